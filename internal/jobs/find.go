package jobs

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"slices"
	"time"

	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/core/proposal"
	"celator/internal/budget"
	"celator/internal/find"
	"celator/internal/reader"
	"celator/internal/store"
)

// longestPiece is how many frames are looked through at once at most: what was found so far
// is kept when a worker ends, and what is followed is let go.
const longestPiece = 1500

// find looks a source through for text, plates and faces, piece by piece from where it was
// left.
func (r *Runner) find(ctx context.Context, job *river.Job[store.FindArgs]) error {
	id := job.Args.Source
	return attend(r, ctx, job, task{
		store.AFindRun, id, findMemory, budget.Later,
		func(ctx context.Context, beat func(int)) error {
			run, err := r.store.FindRun(ctx, id)
			if err != nil || run.State != store.Queued && run.State != store.Running {
				return err
			}
			src, err := r.inShots(ctx, id)
			if err != nil {
				return err
			}
			if src.State == store.Failed {
				return r.store.EndFind(ctx, id, store.Stopped, "")
			}
			err = r.lookThrough(ctx, src, run, beat)
			if errors.Is(err, reader.ErrAbsent) {
				err = errors.Join(errGivenUp, err)
			}
			return err
		}, func(ctx context.Context, why string) error { return r.store.EndFind(ctx, id, store.Failed, why) },
	})
}

// inShots is a source of which it is known where its shots begin, or one that failed; until then the job waits.
func (r *Runner) inShots(ctx context.Context, id string) (store.Source, error) {
	src, err := r.store.Source(ctx, id)
	if err != nil || src.State == store.Failed {
		return src, err
	}
	searching, err := r.store.Searching(ctx, id)
	if err == nil && (src.State != store.Ready || searching) {
		err = river.JobSnooze(3 * time.Second)
	}
	return src, err
}

var errUnwanted = errors.New("it is not wanted any more")

func (r *Runner) lookThrough(ctx context.Context, src store.Source, run store.FindRun, beat func(int)) error {
	clip, err := r.lib.Clip(src)
	if err != nil {
		return err
	}
	reads, err := r.Reader.Reader()
	if err != nil {
		return err
	}
	begun, found := time.Now(), 0
	pace := r.giveWay(ctx, idle, nobody)
	for _, p := range pieces(src, run.Done) {
		work, cancel := context.WithCancelCause(ctx)
		tell := every(func(done int) {
			if w, err := r.store.SetFind(ctx, src.ID, p.First+done); err == nil && !w {
				cancel(errUnwanted)
			}
		})
		all, looked, err := find.Run(work, find.Job{
			Clip: clip, First: p.First, Last: p.Last, Reader: reads, Pace: pace,
			Progress: func(done int) { beat(p.First + done); tell(done) },
		})
		stopped := errors.Is(context.Cause(work), errUnwanted)
		cancel(nil)
		if stopped {
			return nil
		}
		if err != nil {
			return err
		}
		rows, err := proposalRows(all)
		if err != nil {
			return err
		}
		if err := r.store.FoundProposals(ctx, src.ID, p.First, p.Last+1, looked, rows); err != nil {
			return err
		}
		found += len(rows)
	}
	r.log.Info("looked for text and faces", "source", src.Name, "found", found, "seconds", time.Since(begun).Seconds())
	return r.store.EndFind(ctx, src.ID, store.Done, "")
}

// pieces are the stretches of a source from a frame on that are looked through at once: from cut
// to cut, and not too long.
func pieces(src store.Source, from int) (out []cover.Span) {
	starts := []int{0}
	for _, b := range src.Boundaries.V {
		starts = append(starts, b.Frame)
	}
	starts = append(starts, src.Frames)
	slices.Sort(starts)
	for i := range len(starts) - 1 {
		for first := starts[i]; first < starts[i+1]; first += longestPiece {
			p := cover.Span{First: max(first, from), Last: min(first+longestPiece, starts[i+1]) - 1}
			if p.First <= p.Last {
				out = append(out, p)
			}
		}
	}
	return out
}

func proposalRows(all []find.Found) ([]store.Proposal, error) {
	var out []store.Proposal
	for _, f := range all {
		row := store.Proposal{
			Kind: f.Kind, Text: f.Text, Sure: f.Sure, First: f.First, Last: f.Last, Frame: f.Best.Frame, Height: f.Height(),
			Sights: store.JSON[[]proposal.Sight]{V: f.Sights},
		}
		if f.Still != nil {
			var b bytes.Buffer
			if err := png.Encode(&b, f.Still); err != nil {
				return nil, err
			}
			row.Still = b.Bytes()
		}
		out = append(out, row)
	}
	return out, nil
}

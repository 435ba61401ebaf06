package jobs

import (
	"context"
	"errors"
	"time"

	"github.com/riverqueue/river"

	"celator/core/proposal"
	"celator/core/reading"
	"celator/internal/budget"
	"celator/internal/find"
	"celator/internal/reader"
	"celator/internal/sought"
	"celator/internal/store"
)

// mostAtOnce are looked for in one pass through a source: each takes a few MB, and some time on each picture.
const mostAtOnce = 24

// seek looks a source through for the surfaces that wait for it, piece by piece from where they were left.
func (r *Runner) seek(ctx context.Context, job *river.Job[store.SeekArgs]) error {
	id := job.Args.Source
	return attend(r, ctx, job, task{
		store.ASeek, id, seekMemory, budget.Later,
		func(ctx context.Context, beat func(int)) error {
			src, err := r.inShots(ctx, id)
			if err != nil {
				return err
			}
			if src.State == store.Failed {
				return r.store.EndSeek(ctx, id, nil, store.Stopped, "")
			}
			for pass := 0; ; pass++ {
				waiting, err := r.store.SoughtIn(ctx, id)
				if err != nil || len(waiting) == 0 {
					return err
				}
				told := func(done int) { beat(pass*src.Frames + done) }
				if err := r.seekThrough(ctx, src, together(waiting), told); err != nil {
					return err
				}
			}
		}, func(ctx context.Context, why string) error { return r.store.EndSeek(ctx, id, nil, store.Failed, why) },
	})
}

// together are the marks that are looked for from the same frame on, the first so many.
func together(waiting []store.Sought) []store.Sought {
	n := 0
	for n < min(len(waiting), mostAtOnce) && waiting[n].From == waiting[0].From {
		n++
	}
	return waiting[:n]
}

func (r *Runner) seekThrough(ctx context.Context, src store.Source, some []store.Sought, beat func(int)) error {
	clip, err := r.lib.Clip(src)
	if err != nil {
		return err
	}
	reads, err := r.Reader.Reader()
	if err != nil && !errors.Is(err, reader.ErrAbsent) {
		return err
	}
	var ids []string
	var marks []find.Sought
	for _, s := range some {
		m, err := recognised(ctx, s.Mark, reads)
		if err != nil && !sought.Hopeless(err) {
			return err
		}
		if err != nil { // it could be looked for when it was entered
			if err := r.store.EndSeek(ctx, src.ID, []string{s.ID}, store.Failed, sentence(err)); err != nil {
				return err
			}
			continue
		}
		ids, marks = append(ids, s.ID), append(marks, m)
	}
	begun, found := time.Now(), 0
	pace := r.giveWay(ctx, idle, nobody)
	for _, p := range pieces(src, some[0].From) {
		work, cancel := context.WithCancelCause(ctx)
		tell := every(func(int) {
			if n, err := r.store.SetSeek(ctx, src.ID, ids); err == nil && n == 0 {
				cancel(errUnwanted)
			}
		})
		all, err := find.Seek(work, find.SeekJob{Marks: marks, Job: find.Job{
			Clip: clip, First: p.First, Last: p.Last, Reader: reads, Pace: pace,
			Progress: func(done int) { beat(p.First + done); tell(done) },
		}})
		stopped := errors.Is(context.Cause(work), errUnwanted)
		cancel(nil)
		if stopped {
			return nil
		}
		if err != nil {
			return err
		}
		if err := r.enterAgain(ctx, src, some, ids, p.First, p.Last+1, all); err != nil {
			return err
		}
		found += len(all)
	}
	r.log.Info("looked for surfaces", "source", src.Name, "surfaces", len(ids), "found", found, "seconds",
		time.Since(begun).Seconds())
	return r.store.EndSeek(ctx, src.ID, ids, store.Done, "")
}

// recognised is a mark as it is looked for, with what it reads where something can be read.
func recognised(ctx context.Context, m store.Mark, reads *reading.Reader) (out find.Sought, err error) {
	s, err := sought.Surface(m)
	if err == nil {
		out.Mark, err = s.Mark()
	}
	if err == nil && reads != nil {
		if out.Reads, err = s.Reads(ctx, reads); errors.Is(err, reader.ErrAbsent) {
			err = nil
		}
	}
	return out, err
}

// enterAgain enters what was found in a stretch, but for what a cover of the item hides already: the place, too, that
// the surface was taken from.
func (r *Runner) enterAgain(ctx context.Context, src store.Source, some []store.Sought, ids []string, first, to int,
	all []find.Again,
) error {
	item := map[string]string{}
	for _, s := range some {
		item[s.ID] = s.Item
	}
	shots, err := r.store.ShotsOf(ctx, src.ID)
	if err != nil {
		return err
	}
	var rows []store.Proposal
	for _, a := range all {
		hidden, err := r.hidden(ctx, shots, item[ids[a.Mark]], a.Best)
		if err != nil {
			return err
		}
		if hidden {
			continue
		}
		made, err := proposalRows([]find.Found{a.Found})
		if err != nil {
			return err
		}
		made[0].Mark = &ids[a.Mark]
		rows = append(rows, made...)
	}
	return r.store.FoundAgain(ctx, src.ID, ids, first, to, rows)
}

// hidden reports whether a cover of an item lies on what was seen, in any of the shots that show it.
func (r *Runner) hidden(ctx context.Context, shots []store.Shot, item string, s proposal.Sight) (bool, error) {
	for _, sh := range shots {
		if s.Frame < sh.First || s.Frame > sh.Last() {
			continue
		}
		head, err := r.store.Head(ctx, sh.ID)
		if err != nil {
			return false, err
		}
		if proposal.Hidden(head.Document, item, s.Frame-sh.First, s.Quad) {
			return true, nil
		}
	}
	return false, nil
}

// lookElsewhere has what a shot's covers hide looked for in the rest of its programme, once for each cover.
func (r *Runner) lookElsewhere(ctx context.Context, sh store.Shot, src store.Source) error {
	clip, _, err := r.lib.Shot(sh, src)
	if err != nil {
		return err
	}
	head, err := r.store.Head(ctx, sh.ID)
	if err != nil {
		return err
	}
	items, err := r.store.ItemsOf(ctx, sh.ID)
	if err != nil {
		return err
	}
	faces := map[string]bool{} // look like each other, and like nothing flat
	for _, it := range items {
		faces[it.ID] = it.Kind == proposal.Face.Item()
	}
	for i := range head.Document.Covers {
		c := &head.Document.Covers[i]
		if !sought.Plainly(c) || faces[c.Item] {
			continue
		}
		if _, err := r.store.MarkOf(ctx, sh.ID, c.ID); !errors.Is(err, store.ErrNone) {
			if err != nil {
				return err
			}
			continue
		}
		m, err := sought.OfCover(ctx, clip, sh, head.Document, c)
		if sought.Hopeless(err) {
			continue
		}
		if err == nil {
			m.By = head.Author
			_, err = r.store.AddMark(ctx, m)
		}
		if err != nil && !errors.Is(err, store.ErrNone) { // its item is gone
			return err
		}
	}
	return nil
}

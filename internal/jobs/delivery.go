package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/fault"
	"celator/internal/storage"
	"celator/internal/store"
)

// job gathers what rendering and verifying a delivery needs: of a source's, the documents of those shots
// that frames are in.
func (r *Runner) job(ctx context.Context, d store.Delivery, frames func(store.Delivery) (cover.Span, error)) (
	j deliver.Job, err error,
) {
	src, err := r.store.Source(ctx, d.Source)
	if err != nil {
		return j, err
	}
	if j, err = r.ofSource(d, src); err != nil {
		return j, err
	}
	j.First, j.Last, j.Total = d.First, d.First+d.Frames-1, src.Frames
	if d.Shot != "" {
		err := r.ofShot(ctx, &j, d.Shot, d.Revision, src)
		return j, err
	}
	j.Source = src.Digest
	if j.Clip, err = r.lib.Clip(src); err != nil {
		return j, err
	}
	span, err := frames(d)
	if err == nil {
		j.Parts, err = r.partsOf(ctx, d, span)
	}
	if err != nil {
		return j, err
	}
	return j, deliver.Apart(j.Parts, j.Clip.Info, src.Frames)
}

// ofSource is what a delivery's jobs have of their source.
func (r *Runner) ofSource(d store.Delivery, src store.Source) (j deliver.Job, err error) {
	j.Matte, j.Original, j.References = d.Matte, src.Info.V, r.refs
	if j.Sound, err = r.lib.SourcePath(src); err == nil {
		j.Preset, err = d.Way(src.Info.V)
	}
	return j, err
}

// ofShot gives a job a shot's pictures and its document.
func (r *Runner) ofShot(ctx context.Context, j *deliver.Job, shot string, revision int, src store.Source) error {
	sh, err := r.store.Shot(ctx, shot)
	if err != nil {
		return err
	}
	rev, err := r.store.At(ctx, shot, revision)
	if err != nil {
		return err
	}
	var name string
	if j.Clip, name, err = r.lib.Shot(sh, src); err != nil {
		return err
	}
	j.Parts, j.Source = deliver.Whole(rev.Document), src.Digest+strings.TrimPrefix(name, src.ID)
	return deliver.Fits(rev.Document, j.Clip.Info, sh.Frames)
}

// reel gathers the same of whole shots that go out one after another.
func (r *Runner) reel(ctx context.Context, d store.Delivery) (deliver.Reel, error) {
	var out []deliver.Job
	for _, c := range d.Contents.V {
		_, src, err := r.store.WithSource(ctx, c.Shot)
		if errors.Is(err, store.ErrNone) {
			return nil, fmt.Errorf("%w: the shot %s was taken out", errGivenUp, c.Name)
		} else if err != nil {
			return nil, err
		}
		j, err := r.ofSource(d, src)
		if err == nil {
			err = r.ofShot(ctx, &j, c.Shot, c.Revision, src)
		}
		if err != nil {
			return nil, err
		}
		j.Last = c.Last - c.First
		out = append(out, j)
	}
	return deliver.NewReel(out)
}

// partsOf are the documents of a delivery's shots that lie in some of the source's frames.
func (r *Runner) partsOf(ctx context.Context, d store.Delivery, within cover.Span) (out []deliver.Part, err error) {
	for _, c := range d.Contents.V {
		if c.Last < within.First || c.First > within.Last {
			continue
		}
		rev, err := r.store.At(ctx, c.Shot, c.Revision)
		if errors.Is(err, store.ErrNone) { // which would pass for the delivery
			return nil, fmt.Errorf("%w: the shot %s was taken out", errGivenUp, c.Name)
		} else if err != nil {
			return nil, err
		}
		out = append(out, deliver.Part{First: c.First, Last: c.Last, Document: rev.Document})
	}
	return out, nil
}

// all are a delivery's frames.
func all(d store.Delivery) (cover.Span, error) {
	return cover.Span{First: d.First, Last: d.First + d.Frames - 1}, nil
}

func (r *Runner) segment(ctx context.Context, job *river.Job[store.SegmentArgs]) error {
	frames := func(d store.Delivery) (cover.Span, error) {
		segments, err := r.store.Segments(ctx, d.ID)
		if n := job.Args.Number; err != nil || n < 0 || n >= len(segments) {
			return cover.Span{}, errors.Join(err, store.ErrNone)
		}
		return cover.Span{First: segments[job.Args.Number].First, Last: segments[job.Args.Number].Last}, nil
	}
	return attend(r, ctx, job, r.delivering(job.Args.Delivery, renderMemory, frames,
		func(ctx context.Context, d store.Delivery, reel deliver.Reel, beat func(int)) error {
			return r.render(ctx, d, reel, job.Args.Number, beat)
		}))
}

// delivering is the task of doing something for a delivery that has not ended.
func (r *Runner) delivering(id string, memory int64, frames func(store.Delivery) (cover.Span, error),
	do func(context.Context, store.Delivery, deliver.Reel, func(int)) error,
) task {
	return task{store.ADelivery, id, memory, budget.Soon, func(ctx context.Context, beat func(int)) error {
		d, err := r.store.Delivery(ctx, id)
		if err != nil || d.Ended() {
			return err
		}
		var reel deliver.Reel
		if d.Reel {
			reel, err = r.reel(ctx, d)
		} else {
			reel = make(deliver.Reel, 1)
			reel[0], err = r.job(ctx, d, frames)
		}
		if err != nil {
			return err
		}
		r.awaited.Add(1)
		defer r.awaited.Add(-1)
		return do(ctx, d, reel, beat)
	}, func(ctx context.Context, why string) error { return r.store.EndDelivery(ctx, id, why, nil, 0, "") }}
}

func (r *Runner) render(ctx context.Context, d store.Delivery, reel deliver.Reel, number int, beat func(int)) error {
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	if number < 0 || number >= len(segments) {
		return fmt.Errorf("%w: the delivery has no segment %d", errGivenUp, number)
	}
	g := segments[number]
	if wanted, err := r.store.SegmentProgress(ctx, g, 0); err != nil || !wanted {
		return err
	}
	final := r.lib.Segment(g.Key)
	if _, err := os.Stat(final); err == nil {
		now := time.Now()
		os.Chtimes(final, now, now) // it is in use, so the sweeper leaves it
		return r.store.FinishSegment(ctx, g, true)
	}
	j := reel.Of(g.First)
	if err := r.lib.Room(j.Preset.Size(j.Clip.Info, g.Last-g.First+1)); err != nil {
		return err
	}
	wanted := true
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	j.First, j.Last, j.Segment, j.Out = g.First-j.At, g.Last-j.At, true, final+"."+r.id+".part"
	tell := every(func(done int) {
		if w, err := r.store.SegmentProgress(ctx, g, done); err == nil && !w {
			wanted = false
			cancel()
		}
	})
	j.Progress = func(done int) { beat(done); tell(done) }
	defer os.Remove(j.Out)
	if err := deliver.Render(work, j); err != nil {
		if !wanted {
			return nil
		}
		return err
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("segment rendered", "delivery", d.Name, "first", g.First, "last", g.Last)
	return r.store.FinishSegment(ctx, g, false)
}

func (r *Runner) finish(ctx context.Context, job *river.Job[store.FinishArgs]) error {
	return attend(r, ctx, job, r.delivering(job.Args.Delivery, finishMemory, all, r.join))
}

// errProof marks a written file that is not what it must be.
var errProof = errors.New("the written file did not pass")

func (r *Runner) join(ctx context.Context, d store.Delivery, reel deliver.Reel, beat func(int)) error {
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Joining, 0); err != nil || !moved {
		return err
	}
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	var pieces []deliver.Piece
	anew := []cover.Span{}
	var size int64
	for _, g := range segments {
		file := r.lib.Segment(g.Key)
		st, err := os.Stat(file)
		if errors.Is(err, os.ErrNotExist) { // somebody took it away: it is rendered again
			return r.store.ReopenSegment(ctx, g)
		} else if err != nil {
			return err
		}
		size += st.Size()
		pieces = append(pieces, deliver.Piece{File: file, First: g.First, Last: g.Last})
		anew = append(anew, cover.Span{First: g.First, Last: g.Last})
	}
	j := &reel[0]
	j.Anew = anew // as it was planned
	if err := r.lib.Room(room(j, d, size)); err != nil {
		return err
	}
	final := r.lib.DeliveryFile(d.ID, d.Name)
	// The folder is this delivery's own: what is in it was left by a worker that was killed.
	if err := os.RemoveAll(filepath.Dir(final)); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(final), 0o700); err != nil {
		return err
	}
	j.Out = final + ".part"
	defer os.Remove(j.Out)
	if err := reel.Join(ctx, pieces, beat); err != nil {
		return err
	}
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, 0); err != nil || !moved {
		return err
	}
	proof, wanted, err := r.prove(ctx, d, reel, beat)
	if err != nil || !wanted {
		return err
	}
	sha, size, err := storage.Digest(j.Out)
	if err != nil {
		return err
	}
	if d.Shot == "" && !d.Reel {
		if err := r.certify(ctx, d, *j, proof, size, sha); err != nil {
			return err
		}
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("delivered", "delivery", d.Name, "frames", proof.Frames, "compared", proof.Compared)
	return r.store.EndDelivery(ctx, d.ID, "", &proof, size, sha)
}

// Needs is about how many bytes of the disk a delivery that is planned will take: segments that are not there yet,
// and the file. Those of a reel are of pictures like those of its first job.
func Needs(lib storage.Library, j *deliver.Job, d store.Delivery, segments []store.Segment) (n int64) {
	var all int64
	for _, g := range segments {
		size := j.Preset.Size(j.Clip.Info, g.Last-g.First+1)
		if st, err := os.Stat(lib.Segment(g.Key)); err == nil {
			size = st.Size()
		} else {
			n += size
		}
		all += size
	}
	return n + room(j, d, all)
}

// room is what joining takes of the disk, where the segments have so many bytes.
func room(j *deliver.Job, d store.Delivery, segments int64) int64 {
	n := segments + segments/10
	if j.Preset.Packed() { // the pictures and what lies beside them, and what they are packed into
		n += j.Preset.Size(j.Clip.Info, d.Frames)
	}
	if j.Preset.Copies() { // the source's coded pictures, taken apart, and the file
		n += 2 * j.Original.Size
		if j.Preset.Linked() { // the first piece once more, with the parameters of all
			n += j.Original.Size
		}
	}
	return n
}

// prove verifies a written file, while the delivery is wanted.
func (r *Runner) prove(ctx context.Context, d store.Delivery, reel deliver.Reel, beat func(int)) (p deliver.Proof,
	wanted bool, err error,
) {
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted = true
	tell := every(func(done int) {
		if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, done); err == nil && !moved {
			wanted = false
			cancel()
		}
	})
	p, err = reel.Verify(work, func(done int) { beat(done); tell(done) })
	switch {
	case !wanted:
		err = nil
	case err != nil && ctx.Err() == nil && !fault.IsMachine(err):
		err = fmt.Errorf("%w: %w", errProof, err)
	}
	return p, wanted, err
}

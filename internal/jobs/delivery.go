package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/reference"
	"celator/internal/storage"
	"celator/internal/store"
)

// SegmentFrames is the length of a delivery's segments.
const SegmentFrames = 100

// Plan cuts the delivery of some frames, or of their matte, into segments at fixed
// boundaries and names each by everything that determines its result.
func Plan(sh store.Shot, src store.Source, doc *cover.Document, preset media.Preset, frames cover.Span, matte bool,
) ([]store.Segment, error) {
	var out []store.Segment
	var refs reference.Maker
	info := src.Reading()
	for first := frames.First; first <= frames.Last; first += SegmentFrames - first%SegmentFrames {
		last := first - first%SegmentFrames + SegmentFrames - 1
		g := store.Segment{Number: len(out), First: first, Last: min(last, frames.Last)}
		h := sha256.New()
		enc := json.NewEncoder(h)
		live := make([][]cover.Live, 0, SegmentFrames)
		for f := g.First; f <= g.Last; f++ {
			treat.Moments(info.Format(), f, func(t cover.Time, _ frame.Field) { live = append(live, doc.At(t)) })
		}
		beyond := []any{refs.Keys(src.Digest, doc, cover.Span{First: g.First, Last: g.Last})}
		if matte {
			beyond = []any{"matte"}
		} else if preset.Labels || preset.Timecode {
			clip := media.Clip{Info: info}.Part(sh.First, sh.Last())
			for f := g.First; f <= g.Last; f++ {
				beyond = append(beyond, deliver.Shown(doc, preset, clip, f, f))
			}
		}
		for _, p := range doc.Graphics {
			beyond = append(beyond, p.ID, sha256.Sum256(p.PNG))
		}
		if err := enc.Encode([]any{
			deliver.Engine, src.Digest, sh.First + g.First, sh.First + g.Last,
			preset.EncoderArgs(info), live, beyond,
		}); err != nil {
			return nil, err
		}
		g.Key = hex.EncodeToString(h.Sum(nil))
		out = append(out, g)
	}
	return out, nil
}

// PlanShot is Plan of what must be rendered of a shot.
func PlanShot(ctx context.Context, sh store.Shot, src store.Source, j deliver.Job) (out []store.Segment, err error) {
	if j.Preset.SoundAlone() {
		return nil, nil
	}
	spans, err := j.Encoded(ctx)
	if err != nil {
		return nil, err
	}
	for _, span := range spans {
		part, err := Plan(sh, src, j.Parts[0].Document, j.Preset, span, j.Matte)
		if err != nil {
			return nil, err
		}
		for _, g := range part {
			g.Number = len(out)
			out = append(out, g)
		}
	}
	return out, nil
}

// PlanMaster is Plan of what must be rendered of some of a source's frames, which its shots share: segments do not
// go beyond a shot, and are those of its own deliveries where they can be. What lies in no shot is as the
// source has it. The job's parts are those of the shots.
func PlanMaster(ctx context.Context, src store.Source, shots []store.Shot, j deliver.Job) ([]store.Segment, error) {
	if j.Preset.SoundAlone() {
		return nil, nil
	}
	spans, err := j.Encoded(ctx)
	if err != nil {
		return nil, err
	}
	var out []store.Segment
	add := func(sh store.Shot, doc *cover.Document, frames cover.Span) error {
		frames.First, frames.Last = frames.First-sh.First, frames.Last-sh.First
		part, err := Plan(sh, src, doc, j.Preset, frames, j.Matte)
		for _, g := range part {
			g.Number, g.First, g.Last = len(out), g.First+sh.First, g.Last+sh.First
			out = append(out, g)
		}
		return err
	}
	gap := store.Shot{Frames: src.Frames} // what lies between shots
	for _, span := range spans {
		next := span.First
		for i, p := range j.Parts {
			if p.Last < next || p.First > span.Last {
				continue
			}
			if next < p.First {
				if err := add(gap, deliver.Bare, cover.Span{First: next, Last: p.First - 1}); err != nil {
					return nil, err
				}
				next = p.First
			}
			last := min(p.Last, span.Last)
			if err := add(shots[i], p.Document, cover.Span{First: next, Last: last}); err != nil {
				return nil, err
			}
			next = last + 1
		}
		if next <= span.Last {
			if err := add(gap, deliver.Bare, cover.Span{First: next, Last: span.Last}); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// job gathers what rendering and verifying a delivery needs: of a source's, the documents of those shots
// that frames are in.
func (r *Runner) job(ctx context.Context, id string, frames func(store.Delivery) (cover.Span, error)) (store.Delivery,
	deliver.Job, error,
) {
	var j deliver.Job
	d, err := r.store.Delivery(ctx, id)
	if err != nil {
		return d, j, err
	}
	src, err := r.store.Source(ctx, d.Source)
	if err != nil {
		return d, j, err
	}
	if j.Sound, err = r.lib.SourcePath(src); err != nil {
		return d, j, err
	}
	if j.Preset, err = d.Way(src.Info.V); err != nil {
		return d, j, err
	}
	j.First, j.Last, j.Total = d.First, d.First+d.Frames-1, src.Frames
	j.Matte, j.Original, j.References = d.Matte, src.Info.V, r.refs
	if d.Shot == "" {
		j.Source = src.Digest
		if j.Clip, err = r.lib.Clip(src); err != nil {
			return d, j, err
		}
		span, err := frames(d)
		if err == nil {
			j.Parts, err = r.partsOf(ctx, d, span)
		}
		if err != nil {
			return d, j, err
		}
		return d, j, deliver.Apart(j.Parts, j.Clip.Info, src.Frames)
	}
	sh, err := r.store.Shot(ctx, d.Shot)
	if err != nil {
		return d, j, err
	}
	rev, err := r.store.At(ctx, d.Shot, d.Revision)
	if err != nil {
		return d, j, err
	}
	var name string
	if j.Clip, name, err = r.lib.Shot(sh, src); err != nil {
		return d, j, err
	}
	j.Parts, j.Source = deliver.Whole(rev.Document), src.Digest+strings.TrimPrefix(name, src.ID)
	return d, j, deliver.Fits(rev.Document, j.Clip.Info, sh.Frames)
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
		func(ctx context.Context, d store.Delivery, j deliver.Job, beat func(int)) error {
			return r.render(ctx, d, j, job.Args.Number, beat)
		}))
}

// delivering is the task of doing something for a delivery that has not ended.
func (r *Runner) delivering(id string, memory int64, frames func(store.Delivery) (cover.Span, error),
	do func(context.Context, store.Delivery, deliver.Job, func(int)) error,
) task {
	return task{store.ADelivery, id, memory, budget.Soon, func(ctx context.Context, beat func(int)) error {
		d, j, err := r.job(ctx, id, frames)
		if err != nil || d.Ended() {
			return err
		}
		r.awaited.Add(1)
		defer r.awaited.Add(-1)
		return do(ctx, d, j, beat)
	}, func(ctx context.Context, why string) error { return r.store.EndDelivery(ctx, id, why, nil, 0, "") }}
}

func (r *Runner) render(ctx context.Context, d store.Delivery, j deliver.Job, number int, beat func(int)) error {
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
	if err := r.lib.Room(j.Preset.Size(j.Clip.Info, g.Last-g.First+1)); err != nil {
		return err
	}
	wanted := true
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	j.First, j.Last, j.Segment, j.Out = g.First, g.Last, true, final+"."+r.id+".part"
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

func (r *Runner) join(ctx context.Context, d store.Delivery, j deliver.Job, beat func(int)) error {
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Joining, 0); err != nil || !moved {
		return err
	}
	segments, err := r.store.Segments(ctx, d.ID)
	if err != nil {
		return err
	}
	var pieces []deliver.Piece
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
	}
	room := size + size/10
	if j.Preset.Packed() { // the pictures and what lies beside them, and what they are packed into
		room += j.Preset.Size(j.Clip.Info, d.Frames)
	}
	if j.Preset.Copies() { // the source's coded pictures, taken apart, and the file
		room += 2 * j.Original.Size
	}
	if err := r.lib.Room(room); err != nil {
		return err
	}
	final := r.lib.DeliveryFile(d.ID, d.Name)
	if err := os.MkdirAll(filepath.Dir(final), 0o700); err != nil {
		return err
	}
	j.Out = final + ".part"
	defer os.Remove(j.Out)
	if err := deliver.Join(ctx, j, pieces, beat); err != nil {
		return err
	}
	if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, 0); err != nil || !moved {
		return err
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	wanted := true
	tell := every(func(done int) {
		if moved, err := r.store.SetDelivery(ctx, d.ID, store.Verifying, done); err == nil && !moved {
			wanted = false
			cancel()
		}
	})
	proof, err := deliver.Verify(work, j, func(done int) { beat(done); tell(done) })
	switch {
	case !wanted:
		return nil
	case err != nil && ctx.Err() == nil && !fault.IsMachine(err):
		return fmt.Errorf("%w: %w", errProof, err)
	case err != nil:
		return err
	}
	sha, size, err := storage.Digest(j.Out)
	if err != nil {
		return err
	}
	if d.Shot == "" {
		if err := r.certify(ctx, d, j, proof, size, sha); err != nil {
			return err
		}
	}
	if err := os.Rename(j.Out, final); err != nil {
		return err
	}
	r.log.Info("delivered", "delivery", d.Name, "frames", proof.Frames, "compared", proof.Compared)
	return r.store.EndDelivery(ctx, d.ID, "", &proof, size, sha)
}

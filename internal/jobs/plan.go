package jobs

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/reference"
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

// PlanReel is Plan of shots one after another, whose own deliveries have the same segments.
func PlanReel(ctx context.Context, shots []store.Shot, sources []store.Source, reel deliver.Reel) (out []store.Segment,
	err error,
) {
	for i, j := range reel {
		part, err := PlanShot(ctx, shots[i], sources[i], j)
		if err != nil {
			return nil, err
		}
		for _, g := range part {
			g.Number, g.First, g.Last = len(out), g.First+j.At, g.Last+j.At
			out = append(out, g)
		}
	}
	return out, nil
}

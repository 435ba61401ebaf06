package checkrun

import (
	"context"
	"image"
	"slices"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/reading"
)

// reads is the adversary: it reads what covers hide, before and after, on a few frames of each.
type reads struct {
	by     *reading.Reader
	at     map[int][]string // covers to read, by frame
	crops  []crop
	fields int // pictures of a frame
}

// crop is what a cover hides on a frame, as codes of 8 bit.
type crop struct {
	cover     string
	frame     int
	was, now  []float32
	w, h      int
	where     image.Rectangle
	disclosed string
}

// readsOf is how many frames of a cover are read. A word that shows on one of them alone would be
// seen by the check's own measure, which looks at all.
const readsOf = 5

// newReads plans what is read of a document's covers; pictures are counted as in it, each frame having so many.
func newReads(by *reading.Reader, d *cover.Document, each int, wanted func(string) bool) *reads {
	r := &reads{by: by, at: map[int][]string{}, fields: each}
	if by == nil {
		return r
	}
	for i := range d.Covers {
		c := &d.Covers[i]
		if len(c.HoldsOut) > 0 || c.Off || wanted != nil && !wanted(c.ID) {
			continue
		}
		n := c.Span.Last - c.Span.First + 1
		for k := range min(readsOf, n) {
			f := c.Span.First + (2*k+1)*n/(2*min(readsOf, n))
			if !slices.Contains(r.at[f], c.ID) {
				r.at[f] = append(r.at[f], c.ID)
			}
		}
	}
	return r
}

// take keeps what covers hide on a picture.
func (r *reads) take(f int, d *cover.Document, was, now *frame.Picture) {
	ids := r.at[f]
	if len(ids) == 0 {
		return
	}
	for _, l := range d.At(cover.Time(f)) {
		if !slices.Contains(ids, l.Cover) {
			continue
		}
		m := check.Hidden(l, was.Width, was.Height)
		if m.Rect.Empty() {
			continue
		}
		r.crops = append(r.crops, crop{
			cover: l.Cover, frame: f / r.fields, was: hidden(was, m), now: hidden(now, m), w: m.Rect.Dx(), h: m.Rect.Dy(),
			where: m.Rect,
		})
	}
}

// hidden is the luma of what a matte holds, in codes of 8 bit; beside it lies its mean.
func hidden(p *frame.Picture, m frame.Plane) []float32 {
	v := p.Read(0, m.Rect)
	unit := 255 / float32(p.Max())
	out := make([]float32, len(v.Pix))
	var sum, n float32
	for i, x := range v.Pix {
		out[i] = x * unit
		if m.Pix[i] > .5 {
			sum += out[i]
			n++
		}
	}
	for i := range out {
		if m.Pix[i] <= .5 {
			out[i] = sum / max(n, 1)
		}
	}
	return out
}

// findings reads what was kept and tells what it gives away, of covers of which nobody told that yet.
func (r *reads) findings(ctx context.Context, d *cover.Document, told []check.Finding) ([]check.Finding, error) {
	by := map[string][]*crop{}
	for i := range r.crops {
		c := &r.crops[i]
		known := slices.ContainsFunc(told, func(f check.Finding) bool {
			return f.Cover == c.cover && (f.Kind == check.Readable || f.Kind == check.ReadableOverFrames)
		})
		if known {
			continue
		}
		seen, err := r.by.Attack(ctx, c.now, c.w, c.h)
		if err != nil {
			return nil, err
		}
		if len(seen) == 0 {
			continue
		}
		original, err := r.by.Attack(ctx, c.was, c.w, c.h)
		if err != nil {
			return nil, err
		}
		if text, yes := reading.Discloses(original, seen); yes {
			c.disclosed = text
			by[c.cover] = append(by[c.cover], c)
		}
	}
	var out []check.Finding
	for _, v := range d.Covers {
		crops := by[v.ID]
		if len(crops) == 0 {
			continue
		}
		var frames []cover.Span
		for _, c := range crops {
			frames = append(frames, cover.Span{First: c.frame, Last: c.frame})
		}
		worst := slices.MaxFunc(crops, func(a, b *crop) int {
			return len(reading.Fold(a.disclosed)) - len(reading.Fold(b.disclosed))
		})
		f := check.New(check.Readable, v.ID, frames, worst.frame, 100, "A machine reads “%s” through %s.",
			worst.disclosed, v.Name)
		f.Place = worst.where
		f.Recovered = &check.Recovered{W: worst.w, H: worst.h, Original: worst.was, Broken: worst.now}
		out = append(out, f)
	}
	return out, nil
}

// Evidence is what a machine reads in what was made out; empty where it reads nothing, or
// there is none.
func Evidence(ctx context.Context, by *reading.Reader, r *check.Recovered) (string, error) {
	if by == nil || r == nil {
		return "", nil
	}
	seen, err := by.Attack(ctx, r.Broken, r.W, r.H)
	if err != nil || len(seen) == 0 {
		return "", err
	}
	return seen[0].Text, nil
}

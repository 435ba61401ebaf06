package media

import (
	"context"

	"celator/core/cover"
	"celator/core/frame"
)

// ByField returns the clip of the same pictures in which each field is a frame of its own, in
// the order of time and as tall as a whole picture (frame.Picture.Field): frame 2f is the
// first field of f and 2f+1 its second. Where pictures are not woven it is the clip itself.
func (c Clip) ByField() Clip {
	if c.Info.First() == "" || c.woven != nil {
		return c
	}
	whole := c
	c.woven, c.Sums, c.first, c.count = &whole, nil, 0, 0
	c.Info.Frames *= 2
	c.Info.Rate.Num *= 2
	return c
}

// fields are read of woven pictures.
type fields struct {
	of  *Reader
	pic *frame.Picture
	at  int // the frame in pic, -1 none
}

func (c Clip) openFields(ctx context.Context, first, last int) (*Reader, error) {
	to := last
	if to >= 0 {
		to /= 2
	}
	of, err := c.woven.Open(ctx, first/2, to)
	if err != nil {
		return nil, err
	}
	return &Reader{
		ctx: ctx, clip: c, next: first, last: last, woven: &fields{of, frame.New(c.Info.Format(), nil), -1},
	}, nil
}

func (r *Reader) readField(p *frame.Picture) error {
	w := r.woven
	if w.at != r.next/2 {
		if err := w.of.Read(w.pic); err != nil {
			return err
		}
		w.at = r.next / 2
	}
	p.TakeField(p.Fields()[r.next%2], w.pic)
	r.next++
	return nil
}

func (c Clip) pickFields(ctx context.Context, frames []int, do func(f int, p *frame.Picture) error) error {
	var whole []int
	wanted := map[int]bool{}
	for _, f := range frames {
		wanted[f] = true
		if n := len(whole); n == 0 || whole[n-1] != f/2 {
			whole = append(whole, f/2)
		}
	}
	p := frame.New(c.Info.Format(), nil)
	return c.woven.Pick(ctx, whole, func(f int, pic *frame.Picture) error {
		for i, field := range p.Fields() {
			if !wanted[2*f+i] {
				continue
			}
			p.TakeField(field, pic)
			if err := do(2*f+i, p); err != nil {
				return err
			}
		}
		return nil
	})
}

// Pictures are what trackers, searches and checks go through one by one: a clip's frames, or,
// where they are woven, its fields as frames of their own, with everything else counted alike.
type Pictures struct {
	Clip Clip
	Each int // pictures of a frame
}

// Pictures returns the clip's.
func (c Clip) Pictures() Pictures {
	v := c.ByField()
	return Pictures{v, len(v.Info.Format().Fields())}
}

// Span returns the first and the last picture of some frames.
func (v Pictures) Span(first, last int) (int, int) { return v.Each * first, v.Each*(last+1) - 1 }

// Track returns a track as it is among the pictures.
func (v Pictures) Track(t cover.Track) cover.Track {
	if v.Each == 1 {
		return t
	}
	return t.ByField()
}

// Document returns a document as it is among the pictures.
func (v Pictures) Document(d *cover.Document) *cover.Document {
	if v.Each == 1 {
		return d
	}
	return d.ByField()
}

// Of returns picture f of its frame's; nil stays nil.
func (v Pictures) Of(p *frame.Picture, f int) *frame.Picture {
	if p == nil {
		return nil
	}
	return p.Field(p.Fields()[f%v.Each])
}

// Frames are those that some pictures, in order, are of.
func (v Pictures) Frames(pictures []int) (out []int) {
	for _, p := range pictures {
		if n := len(out); n == 0 || out[n-1] != p/v.Each {
			out = append(out, p/v.Each)
		}
	}
	return out
}

// Split gives a frame's pictures to do, one by one.
func (v Pictures) Split(do func(f int, p *frame.Picture)) func(f int, p *frame.Picture) {
	return func(f int, p *frame.Picture) {
		for i := range v.Each {
			do(v.Each*f+i, v.Of(p, i))
		}
	}
}

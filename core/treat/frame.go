package treat

import (
	"image"

	"celator/core/cover"
	"celator/core/frame"
)

// Moments are those of a frame, each with the field that was taken then: one where pictures are
// whole, two where they are woven.
func Moments(format frame.Format, f int, do func(t cover.Time, field frame.Field)) {
	for i, field := range format.Fields() {
		do(cover.Time(f)+cover.Time(i)/2, field)
	}
}

// FieldAt returns the picture at a time of its frame: itself, or of a woven one the field of then.
func FieldAt(p *frame.Picture, t cover.Time) *frame.Picture {
	if t.Second() {
		return p.Field(p.First.Other())
	}
	return p.Field(p.First)
}

// Frame conceals a document's frame in its picture. A woven picture's fields are pictures
// of their own times: each is concealed as the covers are then, from its own lines alone,
// and nothing of the one gets into the other.
func Frame(p *frame.Picture, d *cover.Document, f int, refs *References) {
	Moments(p.Format, f, func(t cover.Time, field frame.Field) {
		live := d.At(t)
		if len(live) == 0 {
			return
		}
		q := p.Field(field)
		Conceal(q, live, refs)
		if field != frame.Whole {
			p.Weave(field, q)
		}
	})
}

// Touches reports whether a document hides anything on a frame, on either field.
func Touches(d *cover.Document, format frame.Format, f int) (any bool) {
	Moments(format, f, func(t cover.Time, _ frame.Field) { any = any || len(d.At(t)) > 0 })
	return any
}

// FrameMatte returns the matte of all covers together on a frame (Combined): of a woven
// picture each line as its field has it.
func FrameMatte(d *cover.Document, format frame.Format, f int) (all frame.Plane) {
	Moments(format, f, func(t cover.Time, field frame.Field) {
		m := Combined(format, d.At(t))
		if all.Pix == nil {
			all = m
		} else {
			all.Weave(field, m)
		}
	})
	return all
}

// subsampleFields is Subsample down a woven picture, where a line of chroma stands for two lines
// of its own field: chroma line 2k+p, of the field with lines p, for luma lines 4k+p and
// 4k+p+2. Lines outside the matte's rectangle are 0.
func subsampleFields(m frame.Plane, f frame.Format, plane int) frame.Plane {
	w, h := f.PlaneSize(plane)
	r := image.Rect(m.Rect.Min.X>>1, m.Rect.Min.Y>>2<<1, (m.Rect.Max.X+1)>>1, (m.Rect.Max.Y+3)>>2<<1).
		Intersect(image.Rect(0, 0, w, h))
	out := frame.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		dst := out.Row(y)
		first := y>>1<<2 + y&1
		second := first + 2
		if second >= f.Height { // an odd number of lines in the field
			second = first
		}
		for _, l := range [2]int{first, second} {
			if l < m.Rect.Min.Y || l >= m.Rect.Max.Y {
				continue
			}
			row := m.Row(l)
			for x := range dst {
				i := (r.Min.X+x)<<1 - m.Rect.Min.X
				dst[x] += (row[i] + row[min(i+1, len(row)-1)]) / 4
			}
		}
	}
	return out
}

package frame

// Field is one of the two halves of an interlaced picture: every other line, the first
// line (0) being the top field's. Whole is none: all lines were taken at one time.
type Field int

const (
	Whole Field = iota
	Top
	Bottom
)

// Other is the frame's other field.
func (f Field) Other() Field {
	switch f {
	case Top:
		return Bottom
	case Bottom:
		return Top
	}
	return Whole
}

// line is the field's first line.
func (f Field) line() int {
	if f == Bottom {
		return 1
	}
	return 0
}

// Fields are a frame's fields in the order of time: one, Whole, where pictures are not woven.
func (f Format) Fields() []Field {
	if f.First == Whole {
		return []Field{Whole}
	}
	return []Field{f.First, f.First.Other()}
}

// Field returns the picture at the time of one of its fields: that field's lines as they
// are, and between them the mean of the two next to each (at the picture's edge the one that
// there is). Nothing of the other field is in it. The lines of chroma belong to fields as those
// of luma do, whatever the subsampling. For Whole it is the picture itself.
func (p *Picture) Field(f Field) *Picture {
	if f == Whole {
		return p
	}
	out := New(p.Format, nil)
	out.TakeField(f, p)
	return out
}

// TakeField makes it the picture that Field returns of another one of the same format.
func (out *Picture) TakeField(f Field, p *Picture) {
	if f == Whole {
		copy(out.Data, p.Data)
		return
	}
	for plane := range 3 {
		w, h := p.PlaneSize(plane)
		for y := range h {
			dst := out.Row(plane, y, 0, w)
			if y&1 == f.line() || h == 1 {
				copy(dst, p.Row(plane, y, 0, w))
				continue
			}
			a, b := y-1, y+1
			if a < 0 {
				a = b
			} else if b >= h {
				b = a
			}
			between(dst, p.Row(plane, a, 0, w), p.Row(plane, b, 0, w), p.Bytes())
		}
	}
}

// between writes the mean of two lines.
func between(dst, a, b []byte, size int) {
	if size == 1 {
		for i := range dst {
			dst[i] = byte((int(a[i]) + int(b[i]) + 1) / 2)
		}
		return
	}
	for i := 0; i+1 < len(dst); i += 2 {
		v := (int(a[i]) + int(a[i+1])<<8 + int(b[i]) + int(b[i+1])<<8 + 1) / 2
		dst[i], dst[i+1] = byte(v), byte(v>>8)
	}
}

// Weave takes the lines of a field from another picture of the same format; Whole takes all.
func (p *Picture) Weave(f Field, from *Picture) {
	if f == Whole {
		copy(p.Data, from.Data)
		return
	}
	for plane := range 3 {
		w, h := p.PlaneSize(plane)
		for y := f.line(); y < h; y += 2 {
			copy(p.Row(plane, y, 0, w), from.Row(plane, y, 0, w))
		}
	}
}

// Weave takes the lines of a field from another plane of the same rectangle, of samples that lie on
// luma, such as a matte; Whole takes all.
func (p Plane) Weave(f Field, from Plane) {
	for y := p.Rect.Min.Y; y < p.Rect.Max.Y; y++ {
		if f == Whole || y&1 == f.line() {
			copy(p.Row(y), from.Row(y))
		}
	}
}

package frame

import (
	"bytes"
	"image"
	"math/rand"
	"testing"
)

// woven formats, of odd and even sizes.
var woven = []Format{
	{Width: 19, Height: 12, Depth: 8, SubX: 1, SubY: 1, Range: Limited, Matrix: BT601, First: Top},
	{Width: 16, Height: 9, Depth: 10, SubX: 1, SubY: 1, Range: Limited, Matrix: BT709, First: Bottom},
	{Width: 15, Height: 8, Depth: 10, SubX: 1, Range: Limited, Matrix: BT709, First: Top},
	{Width: 5, Height: 1, Depth: 8, Range: Full, Matrix: BT601, First: Bottom},
}

func rubbish(rng *rand.Rand, f Format) *Picture {
	p := New(f, nil)
	rng.Read(p.Data)
	if f.Depth > 8 {
		for i := 1; i < len(p.Data); i += 2 {
			p.Data[i] &= byte(1<<(f.Depth-8) - 1)
		}
	}
	return p
}

// A field's picture has its lines as they are and nothing of the other field; the fields of
// a picture woven again are the picture; and what is shown of a line, colour included, is its
// field's alone.
func TestFieldsDoNotMix(t *testing.T) {
	rng := rand.New(rand.NewSource(17))
	for _, f := range woven {
		p := rubbish(rng, f)
		again := New(f, nil)
		for _, field := range f.Fields() {
			q := p.Field(field)
			other := p.Clone()
			other.Weave(field.Other(), rubbish(rng, f))
			if f.Height > 1 && !bytes.Equal(q.Data, other.Field(field).Data) {
				t.Fatalf("%+v: the field %d changes with the other one", f, field)
			}
			again.Weave(field, q)
			a, b := p.RGBA(p.Rect()), other.RGBA(p.Rect())
			for y := field.line(); y < f.Height; y += 2 {
				line := image.Rect(0, y, f.Width, y+1)
				if !bytes.Equal(a.SubImage(line).(*image.RGBA).Pix[:4*f.Width], b.SubImage(line).(*image.RGBA).Pix[:4*f.Width]) {
					t.Fatalf("%+v: what is shown of line %d changes with the other field", f, y)
				}
			}
		}
		if f.Height > 1 && !bytes.Equal(again.Data, p.Data) {
			t.Fatalf("%+v: the fields woven again are another picture", f)
		}
	}
}

// Between its lines a field's picture lies on the straight line from one to the next.
func TestFieldsAreInterpolated(t *testing.T) {
	p := New(Format{Width: 2, Height: 6, Depth: 10, Range: Full, Matrix: BT709, First: Top}, nil)
	for y := range 6 { // 0 100 | 300 at the top field's lines, rubbish between
		v := []uint16{0, 999, 100, 999, 300, 999}[y]
		for x := range 2 {
			copy(p.Row(0, y, x, x+1), []byte{byte(v), byte(v >> 8)})
		}
	}
	for y, want := range []float32{0, 50, 100, 200, 300, 300} {
		if got := p.Field(Top).sample(0, 1, y); got != want {
			t.Errorf("line %d is %g, not %g", y, got, want)
		}
	}
}

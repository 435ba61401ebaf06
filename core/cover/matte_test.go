package cover

import (
	"bytes"
	"image"
	"image/png"
	"testing"
)

// A matte that comes from elsewhere, whatever its bytes are, is refused or gives a part of
// the picture, at any place and any size of it.
func FuzzMatte(f *testing.F) {
	for _, img := range []image.Image{
		image.NewGray(image.Rect(0, 0, 9, 5)), image.NewNRGBA(image.Rect(0, 0, 3, 3)),
		image.NewGray16(image.Rect(0, 0, 1, 1)),
	} {
		var b bytes.Buffer
		if err := png.Encode(&b, img); err != nil {
			f.Fatal(err)
		}
		f.Add(b.Bytes(), 3, 4, .5)
		f.Add(b.Bytes()[:b.Len()/2], 0, 0, 2.)
	}
	f.Fuzz(func(t *testing.T, b []byte, x, y int, size float64) {
		if c, err := png.DecodeConfig(bytes.NewReader(b)); err == nil && c.Width*c.Height > 1<<20 {
			return // it takes long, not more
		}
		d := New(64, 48, 4)
		p := &Proposed{
			Surface: "t", Sensitivity: .5, Edge: 4, Least: 12, Accepted: []Span{{0, 3}}, Strokes: []Stroke{},
			Mattes: &Mattes{Frames: []MatteFrame{{X: x, Y: y, PNG: b}}},
		}
		d.Covers = []Cover{{ID: "h", Name: "h", Span: Span{0, 3}, HoldsOut: []string{"*"}, Proposed: p}}
		if d.Validate() != nil {
			return
		}
		c := d.Find("h")
		form := c.Foreground(0)
		if form.Found == nil {
			return
		}
		found := form.Found
		if size > .1 && size < 10 {
			found = found.Scaled(size, size)
		}
		m := found.Matte()
		for _, v := range m.Pix {
			if v < 0 || v > 1 {
				t.Fatalf("a coverage of %v", v)
			}
		}
		if len(m.Pix) > 0 && !m.Rect.In(found.Bounds()) {
			t.Fatalf("%v lies outside %v", m.Rect, found.Bounds())
		}
	})
}

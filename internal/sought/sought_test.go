package sought

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math/rand/v2"
	"testing"
)

// A picture is looked for as far as it is not clear, before what it stands out from; one in which nothing is, or
// nothing can be recognised, is refused, as is what is no picture.
func TestOfPicture(t *testing.T) {
	p := image.NewNRGBA(image.Rect(0, 0, 300, 200))
	file := func() []byte {
		var b bytes.Buffer
		if err := png.Encode(&b, p); err != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	if _, err := OfPicture("i", "clear", file()); !Hopeless(err) {
		t.Errorf("a clear picture: %v", err)
	}
	if _, err := OfPicture("i", "none", []byte("no picture")); err == nil || Hopeless(err) {
		t.Errorf("no picture: %v", err)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 60 { // dark blots within 60..240 x 40..160
		x, y, w, h := 60+r.IntN(150), 40+r.IntN(95), 6+r.IntN(24), 5+r.IntN(20)
		c := color.NRGBA{uint8(r.IntN(110)), uint8(r.IntN(110)), uint8(r.IntN(110)), 255}
		for j := y; j < y+h; j++ {
			for i := x; i < x+w; i++ {
				p.Set(i, j, c)
			}
		}
	}
	m, err := OfPicture("i", "blots", file())
	if err != nil {
		t.Fatal(err)
	}
	s, err := Surface(m)
	if err != nil {
		t.Fatal(err)
	}
	if q := m.Quad.V; q.Width() < 150 || q.Width() > 185 || q.Height() < 90 || q.Height() > 122 {
		t.Errorf("it is %.0f x %.0f px", q.Width(), q.Height())
	}
	if c := s.Picture.RGBAAt(2, 2); c != (color.RGBA{255, 255, 255, 255}) {
		t.Errorf("what is dark stands before %v", c)
	}
	if _, err := s.Mark(); err != nil {
		t.Errorf("it cannot be looked for: %v", err)
	}
}

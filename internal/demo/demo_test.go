package demo

import (
	"bytes"
	"math"
	"runtime"
	"testing"

	"celator/core/frame"
	"celator/core/geom"
)

func render(s Shot, f int) *drawn {
	d := &drawn{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	s.draw(s.prepare(), f, d)
	return d
}

// The same frame is the same bytes, on any number of cores.
func TestDrawingIsDeterministic(t *testing.T) {
	s := Shots[0]
	a := render(s, 95)
	old := runtime.GOMAXPROCS(1)
	b := render(s, 95)
	runtime.GOMAXPROCS(old)
	if !bytes.Equal(a.pic.Data, b.pic.Data) || !bytes.Equal(a.front, b.front) || a.surface != b.surface {
		t.Fatal("two drawings of one frame differ")
	}
}

// What the truth says is where the picture has it: the plate's light face lies
// inside the corners and the crate around it does not.
func TestTruthMatchesThePicture(t *testing.T) {
	s := Shots[0]
	d := render(s, s.Reference)
	c := d.surface[0].Lerp(d.surface[2], .5)
	luma := func(p geom.Point) float64 { return float64(d.pic.Row(0, int(p.Y), int(p.X), int(p.X)+1)[0]) }
	// A point just inside the right rim, above the letters, against one outside.
	in := d.surface[1].Lerp(d.surface[2], .5).Lerp(c, .06)
	out := d.surface[1].Lerp(d.surface[2], .5).Lerp(c, -.2)
	if luma(in) < luma(out)+40 {
		t.Fatalf("luma %g inside the plate's rim, %g outside", luma(in), luma(out))
	}
	if d.visible < .99 {
		t.Fatalf("the plate is seen whole, the truth says %g", d.visible)
	}
	hidden := 0
	for _, f := range []int{85, 90, 95, 100, 105} {
		if v := render(s, f).visible; v < .7 {
			hidden++
		}
	}
	if hidden == 0 {
		t.Fatal("nobody passes in front of the plate")
	}
}

func BenchmarkDraw720p(b *testing.B) {
	s := Shots[0]
	at := s.prepare()
	d := &drawn{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	b.ResetTimer()
	for i := 0; b.Loop(); i++ {
		s.draw(at, i%s.Frames, d)
	}
	if math.IsNaN(d.visible) {
		b.Fatal()
	}
}

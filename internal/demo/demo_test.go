package demo

import (
	"bytes"
	"image"
	"math"
	"runtime"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

func render(s Shot, f int) *picture {
	d := &picture{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
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

// The covers that the demo begins with leave no part of the surface bare, in any
// frame: points all over the true surface lie where the matte is 1.
func TestDemoCoversHide(t *testing.T) {
	covers := 0
	for _, s := range Shots {
		at := s.prepare()
		truth := make([]Truth, s.Frames)
		for f := range truth {
			truth[f].Corners = at(float64(f)).surface
		}
		c, ok := s.Cover(truth)
		if !ok {
			continue
		}
		covers++
		for f, tr := range truth {
			l, live := c.At(cover.Time(f))
			if !live {
				t.Fatalf("%s: no cover at frame %d", s.Name, f)
			}
			m := raster.Matte(l, s.Width, s.Height)
			for i := range 25 {
				q := tr.Corners
				u, v := float64(i%5)/4, float64(i/5)/4
				p := q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), v)
				if p.X < 1 || p.Y < 1 || p.X >= float64(s.Width-1) || p.Y >= float64(s.Height-1) {
					continue
				}
				if !(image.Pt(int(p.X), int(p.Y)).In(m.Rect) && m.Row(int(p.Y))[int(p.X)-m.Rect.Min.X] == 1) {
					t.Fatalf("%s: frame %d is exposed at %.1f, %.1f", s.Name, f, p.X, p.Y)
				}
			}
		}
	}
	if covers < 3 {
		t.Fatalf("%d covers", covers)
	}
}

func BenchmarkDraw720p(b *testing.B) {
	s := Shots[0]
	at := s.prepare()
	d := &picture{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	b.ResetTimer()
	for i := 0; b.Loop(); i++ {
		s.draw(at, i%s.Frames, d)
	}
	if math.IsNaN(d.visible) {
		b.Fatal()
	}
}

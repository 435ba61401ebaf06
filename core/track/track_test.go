package track

import (
	"errors"
	"math"
	"math/rand"
	"testing"

	"celator/core/geom"
)

// scene draws a textured card on a textured background.
type scene struct {
	card, ground *Gray
	w, h         int
}

// texture is smooth noise of several grains.
func texture(seed int64, w, h int, low, high float64) *Gray {
	g := NewGray(w, h)
	rng := rand.New(rand.NewSource(seed))
	for _, grain := range []int{31, 13, 6, 3} {
		n := NewGray(w/grain+3, h/grain+3)
		for i := range n.Pix {
			n.Pix[i] = float32(rng.Float64())
		}
		for y := range h {
			for x := range w {
				g.Pix[y*w+x] += n.at(geom.Pt(float64(x)/float64(grain)+1, float64(y)/float64(grain)+1)) / 4
			}
		}
	}
	for i, v := range g.Pix {
		g.Pix[i] = float32(low + (high-low)*min(max(2.4*(float64(v)-.5)+.5, 0), 1))
	}
	return g
}

func newScene() scene {
	return scene{texture(1, 220, 120, 30, 220), texture(2, 480, 360, 60, 180), 480, 360}
}

// cardQuad are the card's corners in its own pixels.
var cardQuad = [4]geom.Point{{}, {X: 220}, {X: 220, Y: 120}, {Y: 120}}

// draw shows the card under m (card pixels to picture), by nine samples a pixel,
// with noise, a gain, and an occluder over the columns of the picture given.
func (s scene) draw(m geom.Map, seed int64, noise, gain float64, from, to float64) Frame {
	back, err := m.Inverse()
	if err != nil {
		panic(err)
	}
	rng := rand.New(rand.NewSource(seed))
	g := NewGray(s.w, s.h)
	for y := range s.h {
		for x := range s.w {
			var v float64
			for k := range 9 {
				p := geom.Pt(float64(x)+(float64(k%3)+.5)/3, float64(y)+(float64(k/3)+.5)/3)
				q := back.Apply(p)
				switch {
				case p.X >= from && p.X < to:
					v += 90 + 60*math.Sin(p.Y/7)
				case q.X > 0 && q.Y > 0 && q.X < 220 && q.Y < 120:
					v += gain * float64(s.card.at(q))
				default:
					v += float64(s.ground.at(p))
				}
			}
			g.Pix[y*s.w+x] = float32(math.Round(v/9 + noise*rng.NormFloat64()))
		}
	}
	f, err := Prepare(g)
	if err != nil {
		panic(err)
	}
	return f
}

// outline is the card on the picture, a little inside its rim.
func outline(m geom.Map) []geom.Point {
	return []geom.Point{m.Apply(geom.Pt(2, 2)), m.Apply(geom.Pt(218, 2)), m.Apply(geom.Pt(218, 118)), m.Apply(geom.Pt(2, 118))}
}

// off is the distance of the card's corners from the truth.
func off(p Pose, first, truth geom.Map) float64 {
	return Spread(p.Map.Mul(first), truth, cardQuad)
}

func pose(x, y, deg, sx, sy, px, py float64) geom.Map {
	m := geom.Placement(geom.Pt(110, 60), geom.Pt(x-110, y-60), deg, sx, sy)
	return m.Mul(geom.Map{1, 0, 0, 0, 1, 0, px, py, 1})
}

// A still picture gives the identity, exactly.
func TestStill(t *testing.T) {
	s := newScene()
	at := pose(230, 180, 8, 1, 1, 0, 0)
	f := s.draw(at, 1, 2, 1, 0, 0)
	for _, model := range []Model{Translation, Similarity, Affine, Perspective} {
		p, err := NewPlanar(f, outline(at), model)
		if err != nil {
			t.Fatal(err)
		}
		for range 3 {
			if got := p.step(f); got.Map != geom.Identity || got.State != Good {
				t.Fatalf("%s: %+v", model, got)
			}
		}
	}
}

// Known motion of each kind is found again to a tenth of a pixel or so, through
// noise and changing light; and followed back it returns to where it began.
func TestKnownMotion(t *testing.T) {
	s := newScene()
	paths := map[Model]func(f float64) geom.Map{
		Translation: func(f float64) geom.Map { return pose(200+4*f, 180+6*math.Sin(f/3), 0, 1, 1, 0, 0) },
		Similarity:  func(f float64) geom.Map { return pose(240, 180, 5*f, 1+.03*f, 1+.03*f, 0, 0) },
		Affine:      func(f float64) geom.Map { return pose(230+2*f, 180, 3*f, 1-.02*f, 1+.02*f, 0, 0) },
		Perspective: func(f float64) geom.Map { return pose(240, 170, 2*f, 1-.01*f, 1, 1e-4*f, -5e-5*f) },
	}
	for model, at := range paths {
		const n = 12
		frames := make([]Frame, n)
		for f := range frames {
			frames[f] = s.draw(at(float64(f)), int64(f), 2, 1-.03*float64(f), 0, 0)
		}
		p, err := NewPlanar(frames[0], outline(at(0)), model)
		if err != nil {
			t.Fatal(err)
		}
		var last Pose
		for f := 1; f < n; f++ {
			last = p.step(frames[f])
			if e := off(last, at(0), at(float64(f))); e > .2 || last.State != Good {
				t.Fatalf("%s, frame %d: %.3f px off, %s", model, f, e, last.State)
			}
		}
		back, err := NewPlanar(frames[n-1], outline(last.Map.Mul(at(0))), model)
		if err != nil {
			t.Fatal(err)
		}
		var home Pose
		for f := n - 2; f >= 0; f-- {
			home = back.step(frames[f])
		}
		if e := Spread(home.Map.Mul(last.Map), geom.Identity, [4]geom.Point{{X: 130, Y: 120}, {X: 340, Y: 120}, {X: 340, Y: 240}, {X: 130, Y: 240}}); e > .3 {
			t.Errorf("%s: forward and backward ends %.3f px from where it began", model, e)
		}
	}
}

// What passes in front does not pull the surface along; when it is wholly hidden
// it is lost, never guessed at and called good; it is found again at the first
// frame that shows it, even elsewhere.
func TestOcclusionAndReturn(t *testing.T) {
	s := newScene()
	at := func(f int) geom.Map {
		if f >= 18 { // it jumped while it was hidden
			return pose(300, 110, 12, .9, .9, 0, 0)
		}
		return pose(200+2*float64(f), 180, float64(f)/2, 1, 1, 0, 0)
	}
	band := func(f int) (from, to float64) { // wholly hidden from 14 to 17
		switch {
		case f < 4 || f >= 18:
			return 0, 0
		case f < 14:
			return 20 + 3*float64(f), 40 + 14*float64(f) // up to two thirds of the card
		}
		return 0, 480
	}
	p, err := NewPlanar(s.draw(at(0), 0, 2, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 24; f++ {
		from, to := band(f)
		got := p.step(s.draw(at(f), int64(f), 2, 1, from, to))
		e := off(got, at(0), at(f))
		switch {
		case f >= 14 && f < 18:
			if got.State != Lost || got.Confidence > .3 {
				t.Fatalf("frame %d, wholly hidden: %s, confidence %.2f", f, got.State, got.Confidence)
			}
		case got.State == Good && e > 2 || e > 5:
			t.Fatalf("frame %d: %.2f px off and %s", f, e, got.State)
		case f >= 20 && (e > .5 || got.State != Good):
			t.Fatalf("frame %d, in the open again: %.2f px off, %s", f, e, got.State)
		}
	}
}

// Jolts of 40 px between two frames.
func TestJolts(t *testing.T) {
	s := newScene()
	rng := rand.New(rand.NewSource(4))
	at := func() geom.Map {
		return pose(240+56*(rng.Float64()-.5), 180+56*(rng.Float64()-.5), 6*rng.Float64(), 1, 1, 0, 0)
	}
	first := at()
	p, err := NewPlanar(s.draw(first, 0, 3, 1, 0, 0), outline(first), Similarity)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 12; f++ {
		m := at()
		if got := p.step(s.draw(m, int64(f), 3, 1, 0, 0)); off(got, first, m) > .3 || got.State != Good {
			t.Fatalf("frame %d: %.2f px off, %s", f, off(got, first, m), got.State)
		}
	}
}

func TestSurfacesThatCannotBeFollowed(t *testing.T) {
	s := newScene()
	at := pose(230, 180, 0, 1, 1, 0, 0)
	f := s.draw(at, 1, 0, 1, 0, 0)
	plain, _ := Prepare(NewGray(480, 360))
	for _, c := range []struct {
		frame   Frame
		outline []geom.Point
		want    error
	}{
		{f, []geom.Point{{X: 10, Y: 10}, {X: 18, Y: 10}, {X: 18, Y: 16}, {X: 10, Y: 16}}, ErrSmall},
		{plain, outline(at), ErrFlat},
		{f, []geom.Point{{X: 600, Y: 10}, {X: 700, Y: 10}, {X: 700, Y: 80}, {X: 600, Y: 80}}, ErrOutside},
		{f, []geom.Point{{X: 10, Y: 10}, {X: 110, Y: 110}, {X: 110, Y: 10}, {X: 10, Y: 90}}, ErrCrossed},
		{f, []geom.Point{{X: 10, Y: 10}, {X: 110, Y: 110}}, ErrCrossed},
	} {
		if _, err := NewPlanar(c.frame, c.outline, Affine); !errors.Is(err, c.want) {
			t.Errorf("%v: %v, want %v", c.outline, err, c.want)
		}
	}
	if _, err := Prepare(NewGray(1, 9)); !errors.Is(err, ErrTiny) {
		t.Errorf("%v", err)
	}
}

func BenchmarkStep(b *testing.B) {
	s := newScene()
	at := func(f int) geom.Map { return pose(200+4*float64(f%8), 180, float64(f%8), 1, 1, 0, 0) }
	var frames []Frame
	for f := range 8 {
		frames = append(frames, s.draw(at(f), int64(f), 2, 1, 0, 0))
	}
	p, err := NewPlanar(frames[0], outline(at(0)), Perspective)
	if err != nil {
		b.Fatal(err)
	}
	for f := 1; b.Loop(); f++ {
		p.step(frames[f%8])
	}
}

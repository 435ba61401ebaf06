package track

import (
	"math"
	"math/rand"
	"testing"

	"celator/core/geom"
)

// plainCard is a scene whose card has nothing on it, and where the card lies on a frame.
func plainCard() (scene, func(int) geom.Map) {
	s := newScene()
	for i := range s.card.Pix {
		s.card.Pix[i] = 60
	}
	return s, func(f int) geom.Map {
		n := float64(f)
		return pose(230+3*n, 180+2*n, 3+.3*n, 1+.003*n, 1+.002*n, 0, 0)
	}
}

// A plain card before a textured wall: nothing but its outline says where it is, drawn on its edge or beside it. It is
// found, and not said to be sure.
func TestPlainSurfaceByItsOutline(t *testing.T) {
	s, at := plainCard()
	if x, err := Assess(s.draw(at(0), 0, 3, 1, 0, 0), outline(at(0)), Perspective); err != ErrFlat || !x.Edge || x.Enough {
		t.Errorf("the plain card: %+v, %v", x, err)
	}
	if _, err := NewPoints(s.draw(at(0), 0, 3, 1, 0, 0), []geom.Point{at(0).Apply(geom.Pt(110, 60))}); err != ErrFlat {
		t.Errorf("a point in the middle of it: %v", err)
	}
	for _, beside := range []float64{0, 4, -3} {
		var drawn []geom.Point
		c := at(0).Apply(geom.Pt(float64(s.card.W)/2, float64(s.card.H)/2))
		for _, q := range outline(at(0)) {
			d := q.Sub(c)
			drawn = append(drawn, q.Add(geom.Pt(math.Copysign(beside, d.X), math.Copysign(beside, d.Y))))
		}
		p, err := NewPlanar(s.draw(at(0), 0, 3, 1, 0, 0), drawn, Perspective)
		if err != nil {
			t.Fatal(err)
		}
		for f := 1; f < 25; f++ {
			got := p.step(s.draw(at(f), int64(f), 3, 1, 0, 0))
			if e := off(got, at(0), at(f)); e > 1.5 || got.State != Weak {
				t.Fatalf("drawn %g px beside, frame %d: %.2f px off, %s", beside, f, e, got.State)
			}
		}
	}
}

// What passes in front has edges too: the card is not carried away by them, and found again where it is once they have
// passed.
func TestOutlineIsNotCarriedAway(t *testing.T) {
	s, at := plainCard()
	p, err := NewPlanar(s.draw(at(0), 0, 3, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 25; f++ {
		from := 40 + 20*float64(f)
		most := 2.5
		if f >= 20 {
			most = 1.5
		}
		if got := p.step(s.draw(at(f), int64(f), 3, 1, from, from+24)); off(got, at(0), at(f)) > most {
			t.Fatalf("frame %d: %.2f px off, %s", f, off(got, at(0), at(f)), got.State)
		}
	}
}

// Whatever the light does to a surface, lines over which something passes that is lighter or darker are told from it,
// and hardly any other.
func TestMarkCovered(t *testing.T) {
	rng := rand.New(rand.NewSource(8))
	for range 300 {
		gain, added := .5+rng.Float64(), 40*rng.NormFloat64()
		from, n := rng.Intn(100), rng.Intn(30)
		lines := make([]line, 100)
		for i := range lines {
			l := &lines[i]
			l.was = 60 + 30*math.Sin(float64(i)/9)
			l.is = gain*l.was + added + rng.NormFloat64()
		}
		for k := range n {
			l := &lines[(from+k)%len(lines)]
			l.is += math.Copysign(25+40*rng.Float64(), gain-1) // all of one thing: lighter, or darker
		}
		markCovered(lines, 2)
		missed, wrong := 0, 0
		for i, l := range lines {
			is := (i-from+len(lines))%len(lines) < n
			if is && !l.covered {
				missed++
			} else if !is && l.covered {
				wrong++
			}
		}
		if missed > 0 || wrong > 2 {
			t.Errorf("light %.2f %+.0f, %d covered from %d: %d are missed, %d wrong", gain, added, n, from, missed, wrong)
		}
	}
}

// Of a surface in a wall that looks alike no outline shows.
func TestNoOutline(t *testing.T) {
	flat := NewGray(320, 240)
	rng := rand.New(rand.NewSource(3))
	for i := range flat.Pix {
		flat.Pix[i] = 90 + float32(4*rng.NormFloat64())
	}
	g, err := Prepare(flat)
	if err != nil {
		t.Fatal(err)
	}
	grain := noiseOf(g.pyr)
	drawn := []geom.Point{{X: 60, Y: 50}, {X: 200, Y: 60}, {X: 190, Y: 150}, {X: 60, Y: 140}}
	if r := newRim(g, drawn, &grain[0]); r != nil {
		t.Errorf("%d places of an outline in noise", len(r.places))
	}
}

// The place of a blurred step is told to a small part of a pixel, wherever it lies.
func TestRamp(t *testing.T) {
	rng := rand.New(rand.NewSource(5))
	for range 200 {
		at, blur := rng.Float64()*2-1, .4+rng.Float64()
		in, out := 40+20*rng.Float64(), 90+100*rng.Float64()
		v := make([]float64, 9)
		for i := range v {
			x := (float64(i-4) - at) / blur
			v[i] = in + (out-in)*(1+math.Erf(x/math.Sqrt2))/2
		}
		if got := ramp(v, in, out); math.Abs(got-at) > .03 {
			t.Fatalf("a step at %.2f, blurred by %.2f, is told to be at %.2f", at, blur, got)
		}
	}
}

package track

import (
	"testing"

	"celator/core/geom"
)

// before puts a picture in front of a frame, its left upper corner at x, y.
func (s scene) before(f Frame, thing *Gray, x, y int) Frame {
	g := NewGray(s.w, s.h)
	copy(g.Pix, f.pyr[0].Pix)
	for j := range thing.H {
		for i := range thing.W {
			if u, v := x+i, y+j; u >= 0 && v >= 0 && u < s.w && v < s.h {
				g.Pix[v*s.w+u] = thing.Pix[j*thing.W+i]
			}
		}
	}
	out, err := Prepare(g)
	if err != nil {
		panic(err)
	}
	return out
}

// Somebody stands before a faintly textured card on the reference, and tells more than it: the track goes with them.
// When they have gone it is known what of the reference was theirs, and without that the card is followed from the
// first frame on. Somebody who comes later leaves no such doubt.
func TestWhatStoodInFrontLeadsAstray(t *testing.T) {
	s := newScene()
	s.card = texture(5, 220, 120, 105, 150)
	s.ground = texture(2, 480, 360, 160, 220)
	thing := texture(9, 84, 260, 10, 245)
	const n = 48
	at := func(f int) geom.Map { return pose(190+1.1*float64(f), 180+.4*float64(f), .1*float64(f), 1, 1, 0, 0) }
	follow := func(p *Planar, thingAt func(f int) int) (worst float64) {
		for f := 1; f < n; f++ {
			got := p.step(s.before(s.draw(at(f), int64(f), 2, 1, 0, 0), thing, thingAt(f), 60))
			worst = max(worst, off(got, at(0), at(f)))
		}
		return worst
	}
	stands := func(f int) int { return 170 + 14*max(f-22, 0) }
	first := s.before(s.draw(at(0), 0, 2, 1, 0, 0), thing, stands(0), 60)
	p, err := NewPlanar(first, outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	if worst := follow(p, stands); worst < 10 || !p.Astray() {
		t.Fatalf("%.1f px off at worst, astray: %t: the scene is too easy, or it is not told", worst, p.Astray())
	}
	p, err = NewPlanar(p.Without(first), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	if worst := follow(p, stands); worst > 5 || p.Astray() {
		t.Errorf("without them %.1f px off at worst, astray: %t", worst, p.Astray())
	}
	comes := func(f int) int { return max(-100+12*f, -100) }
	p, err = NewPlanar(s.draw(at(0), 0, 2, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	if worst := follow(p, comes); worst > 2 || p.Astray() {
		t.Errorf("somebody who passes: %.1f px off at worst, astray: %t", worst, p.Astray())
	}
}

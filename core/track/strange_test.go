package track

import (
	"math/rand"
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
	s.card = texture(5, 220, 120, 114, 134)
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
	s.card = texture(5, 220, 120, 105, 150)
	comes := func(f int) int { return max(-100+12*f, -100) }
	p, err = NewPlanar(s.draw(at(0), 0, 2, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	if worst := follow(p, comes); worst > 2 || p.Astray() {
		t.Errorf("somebody who passes: %.1f px off at worst, astray: %t", worst, p.Astray())
	}
}

// Of frames that are asked it is told which samples are strange, exactly: those that agree where the outline lies
// elsewhere, and disagree where it lies right. What passes on some of them is none, and where the outline always lies
// right, or never does, nothing is.
func TestTold(t *testing.T) {
	const n = 400
	r := rand.New(rand.NewSource(7))
	for range 40 {
		strange := map[int]bool{}
		for range 20 + r.Intn(150) {
			strange[r.Intn(n)] = true
		}
		var s suspicions
		for f := range 30 {
			now := asked{.8 + .1*r.Float64(), make([]bool, n), make([]bool, n)}
			led := f < 12
			if led {
				now.outline = .2 + .2*r.Float64()
			}
			passes := r.Intn(n)
			for i := range n {
				now.in[i] = true
				now.agreed[i] = strange[i] == led && (i-passes+n)%n >= n/20 // a twentieth is passed over
			}
			s.frames = append(s.frames, now)
		}
		// The others' disagreement while the track is astray says nothing, nor does its lack.
		for f := range 12 {
			for i := range n {
				if !strange[i] {
					s.frames[f].agreed[i] = r.Intn(2) == 0
				}
			}
		}
		_, got := s.told()
		if got == nil {
			t.Fatalf("nothing is told of %d strange ones", len(strange))
		}
		for i, v := range got {
			if v > 0 != strange[i] {
				t.Errorf("sample %d: strange %t, told %t", i, strange[i], v > 0)
			}
		}
		for _, part := range [][]asked{s.frames[:12], s.frames[12:], nil} {
			if _, got := (&suspicions{frames: part}).told(); got != nil {
				t.Errorf("of %d frames alike strange ones are told", len(part))
			}
		}
	}
}

// However long a surface is doubtful, what is kept of it stays bounded and is spread over all of the way.
func TestDoubtfulFramesAreBounded(t *testing.T) {
	s := newScene()
	at := pose(240, 180, 0, 1, 1, 0, 0)
	f := s.draw(at, 0, 2, 1, 0, 0)
	p, err := NewPlanar(f, outline(at), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	const n = 10 * mostAsked
	for i := range n {
		p.suspicions.doubtful = i
		p.suspect(f, alignment{m: geom.Identity}, float64(i))
		if len(p.suspicions.frames) > mostAsked {
			t.Fatalf("%d frames are kept", len(p.suspicions.frames))
		}
	}
	first, last := p.suspicions.frames[0].outline, p.suspicions.frames[len(p.suspicions.frames)-1].outline
	if first > n/20 || last < n*19/20 || len(p.suspicions.frames) < mostAsked/3 {
		t.Errorf("%d are kept, from %g to %g of %d", len(p.suspicions.frames), first, last, n)
	}
}

// The outline lies where the card is, and hardly where it is not.
func TestOutlined(t *testing.T) {
	s := newScene()
	at := pose(240, 180, 3, 1, 1, 0, 0)
	s.card = texture(5, 220, 120, 114, 134)
	s.ground = texture(2, 480, 360, 150, 220)
	f := s.draw(at, 0, 2, 1, 0, 0)
	p, err := NewPlanar(f, outline(at), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	if v := p.outlined(f, geom.Identity); v < .9 {
		t.Errorf("%.2f of it lies where it is", v)
	}
	for _, d := range []geom.Point{{X: 5, Y: 5}, {X: -6, Y: 4}, {X: 9, Y: -9}} {
		if v := p.outlined(f, geom.Translate(d)); v > .35 {
			t.Errorf("%.2f of it lies %v beside it", v, d)
		}
	}
}

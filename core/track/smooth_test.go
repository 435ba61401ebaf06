package track

import (
	"math"
	"math/rand"
	"testing"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// swaying is a card that moves smoothly, tilts and jolts once.
func swaying(f float64) geom.Map {
	jolt := 0.
	if f > 45 {
		jolt = 25
	}
	return pose(200+40*math.Sin(f/9)+jolt, 180+15*math.Sin(f/6), 6*math.Sin(f/14), 1, 1, 2e-4*math.Sin(f/11), 0)
}

// Corners that a frame hardly tells lie where the motion around it has them; what is well found stays, an outlier moves
// nothing, and after the last frame that tells anything nothing is made up.
func TestSmooth(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	quad := [4]geom.Point{{X: 100, Y: 100}, {X: 300, Y: 100}, {X: 300, Y: 220}, {X: 100, Y: 220}}
	origin, err := swaying(0).Inverse()
	if err != nil {
		t.Fatal(err)
	}
	var steps []Step
	var truth []geom.Map
	for f := range 60 {
		m := swaying(float64(f)).Mul(origin)
		truth = append(truth, m)
		cov := mat.NewSymDense(8, nil)
		sigma := [4]float64{.1, .1, .1, .1}
		state := Good
		if f >= 20 && f < 32 { // the right half is hidden: its corners are a guess
			sigma, state = [4]float64{.1, 8, 8, .1}, Weak
		}
		var to [4]geom.Point
		for c, q := range quad {
			cov.SetSym(2*c, 2*c, sigma[c]*sigma[c])
			cov.SetSym(2*c+1, 2*c+1, sigma[c]*sigma[c])
			to[c] = m.Apply(q).Add(geom.Pt(sigma[c]*rng.NormFloat64(), sigma[c]*rng.NormFloat64()))
			if f == 25 {
				to[c] = to[c].Add(geom.Pt(60, -30)) // something else was taken for it
			}
		}
		seen, err := geom.QuadToQuad(quad, to)
		if err != nil {
			t.Fatal(err)
		}
		s := Step{Pose{Map: seen, Confidence: .8, State: state}, cov}
		switch {
		case f == 0:
			s = Step{Pose{Map: geom.Identity, Confidence: 1, State: Anchor}, nil}
		case f == 40 || f == 41:
			s = Step{Pose{Map: steps[39].Map, Confidence: 0, State: Lost}, nil}
		case f > 56:
			s = Step{Pose{Map: steps[56].Map, Confidence: 0, State: Lost}, nil}
		}
		steps = append(steps, s)
	}
	got := Smooth(steps, quad, Perspective)
	var before, after float64
	for f, s := range steps {
		switch {
		case s.State == Good || f == 0 || f > 56:
			if got[f] != s.Map {
				t.Errorf("frame %d, %s, is moved", f, s.State)
			}
		case f == 40 || f == 41:
			if d := Spread(got[f], truth[f], quad); d > 1.5 {
				t.Errorf("frame %d, which was not found, is %.1f px off between its neighbours", f, d)
			}
		case f != 25:
			before += math.Pow(Spread(s.Map, truth[f], quad), 2)
			after += math.Pow(Spread(got[f], truth[f], quad), 2)
		}
	}
	if d := Spread(got[25], truth[25], quad); d > 4 {
		t.Errorf("the outlier is %.1f px off", d)
	}
	if after > before/9 {
		t.Errorf("half-hidden frames are off by %.2f px, and were by %.2f", math.Sqrt(after/11), math.Sqrt(before/11))
	}
	// A model that cannot slant does not begin to.
	for i := range steps {
		q := steps[i].Map
		steps[i].Map = geom.Translate(q.Apply(quad[0]).Sub(quad[0]))
	}
	for f, m := range Smooth(steps, quad, Translation) {
		if d := m.Apply(quad[0]).Sub(quad[0]); Spread(m, geom.Translate(d), quad) > 1e-6 {
			t.Fatalf("frame %d is no translation: %v", f, m)
		}
	}
}

// The noise of a picture is told by brightness, and texture beside it is not taken for noise.
func TestNoise(t *testing.T) {
	rng := rand.New(rand.NewSource(5))
	g := NewGray(320, 240)
	ground := texture(4, 320, 240, 90, 150)
	sigma := func(v float64) float64 { return 1 + v/40 }
	for y := range g.H {
		for x := range g.W {
			v := 40. + 120*math.Floor(float64(x)/160)
			if y >= 120 {
				v = float64(ground.Pix[y*g.W+x])
			}
			g.Pix[y*g.W+x] = float32(v + sigma(v)*rng.NormFloat64())
		}
	}
	n := noiseOf(newPyramid(g))
	for _, v := range []float64{40, 160} {
		got, want := math.Sqrt(n[0].at(float32(v))), sigma(v)
		if math.Abs(got-want) > .25*want {
			t.Errorf("at %.0f the noise is %.2f, and was thought %.2f", v, want, got)
		}
	}
}

// Of a dark card only a strip is lit: its flat part, where noise is all there is, neither speaks for it nor against it.
func TestFlatAndNoisy(t *testing.T) {
	s := scene{NewGray(220, 120), texture(2, 480, 360, 35, 60), 480, 360, nil}
	for y := range 120 {
		for x := range 220 {
			v := float32(24)
			if x < 70 && (x/14+y/17)%2 == 0 {
				v = 70
			}
			s.card.Pix[y*220+x] = v
		}
	}
	at := func(f int) geom.Map { return pose(220+3*float64(f), 180-2*float64(f), .8*float64(f), 1, 1, 0, 0) }
	p, err := NewPlanar(s.draw(at(0), 1, 9, 1, 0, 0), outline(at(0)), Similarity)
	if err != nil {
		t.Fatal(err)
	}
	back, err := at(0).Inverse()
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 12; f++ {
		got := p.step(s.draw(at(f), int64(f+1), 9, 1, 0, 0))
		if d := Spread(got.Map, at(f).Mul(back), p.Box()); d > 2 || got.State == Lost {
			t.Errorf("frame %d: %.1f px off, %s", f, d, got.State)
		}
	}
}

// A tracker that goes back finds what it found, and leaves the one that went on as it is.
func TestRewind(t *testing.T) {
	s := newScene()
	at := func(f int) geom.Map { return pose(200+5*float64(f), 180, float64(f), 1, 1, 0, 0) }
	var frames []Frame
	for f := range 9 {
		frames = append(frames, s.draw(at(f), int64(f), 2, 1, 0, 0))
	}
	p, err := NewPlanar(frames[0], outline(at(0)), Similarity)
	if err != nil {
		t.Fatal(err)
	}
	back, err := at(0).Inverse()
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 8; f++ {
		p.step(frames[f])
	}
	way := p.Rewind(at(7).Mul(back), at(8).Mul(back))
	for f := 6; f > 0; f-- {
		got := way.step(frames[f])
		if d := Spread(got.Map, at(f).Mul(back), p.Box()); got.State != Good || d > .3 {
			t.Errorf("back at frame %d: %s, %.2f px off", f, got.State, d)
		}
	}
	if got := p.step(frames[8]); got.State != Good || Spread(got.Map, at(8).Mul(back), p.Box()) > .3 {
		t.Errorf("the one that went on: %+v", got)
	}
}

// A camera that jolts from frame to frame does so also where frames hardly tell it: nothing of it is smoothed away.
func TestSmoothKeepsJolts(t *testing.T) {
	rng := rand.New(rand.NewSource(9))
	quad := [4]geom.Point{{X: 100, Y: 100}, {X: 300, Y: 100}, {X: 300, Y: 220}, {X: 100, Y: 220}}
	const sigma = 1.2 // px, of each corner
	cov := mat.NewSymDense(8, nil)
	for i := range 8 {
		cov.SetSym(i, i, sigma*sigma)
	}
	steps := []Step{{Pose{Map: geom.Identity, Confidence: 1, State: Anchor}, nil}}
	truth := []geom.Map{geom.Identity}
	for range 50 {
		m := geom.Translate(geom.Pt(40*(rng.Float64()-.5), 60*(rng.Float64()-.5)))
		var to [4]geom.Point
		for c, q := range quad {
			to[c] = m.Apply(q).Add(geom.Pt(sigma*rng.NormFloat64(), sigma*rng.NormFloat64()))
		}
		seen, err := geom.QuadToQuad(quad, to)
		if err != nil {
			t.Fatal(err)
		}
		steps, truth = append(steps, Step{Pose{Map: seen, Confidence: 1, State: Weak}, cov}), append(truth, m)
	}
	var before, after float64
	for f, m := range Smooth(steps, quad, Perspective) {
		d := Spread(m, truth[f], quad)
		if d > 4*sigma {
			t.Errorf("frame %d is %.1f px off", f, d)
		}
		before, after = before+math.Pow(Spread(steps[f].Map, truth[f], quad), 2), after+d*d
	}
	if after > .8*before {
		t.Errorf("the form, which stays, is as far off as before: squares of %.0f and %.0f px", after, before)
	}
}

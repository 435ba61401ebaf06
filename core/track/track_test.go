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
	bend         func(geom.Point) geom.Point // at q the card shows what lies at q plus this; nil where it is stiff
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
				g.Pix[y*w+x] += n.At(geom.Pt(float64(x)/float64(grain)+1, float64(y)/float64(grain)+1)) / 4
			}
		}
	}
	for i, v := range g.Pix {
		g.Pix[i] = float32(low + (high-low)*min(max(2.4*(float64(v)-.5)+.5, 0), 1))
	}
	return g
}

func newScene() scene {
	return scene{texture(1, 220, 120, 30, 220), texture(2, 480, 360, 60, 180), 480, 360, nil}
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
				if s.bend != nil {
					q = q.Add(s.bend(q))
				}
				switch {
				case p.X >= from && p.X < to:
					v += 90 + 60*math.Sin(p.Y/7)
				case q.X > 0 && q.Y > 0 && q.X < 220 && q.Y < 120:
					v += gain * float64(s.card.At(q))
				default:
					v += float64(s.ground.At(p))
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
	return []geom.Point{
		m.Apply(geom.Pt(2, 2)), m.Apply(geom.Pt(218, 2)), m.Apply(geom.Pt(218, 118)),
		m.Apply(geom.Pt(2, 118)),
	}
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
		if e := Spread(home.Map.Mul(last.Map), geom.Identity,
			[4]geom.Point{{X: 130, Y: 120}, {X: 340, Y: 120}, {X: 340, Y: 240}, {X: 130, Y: 240}}); e > .3 {
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

// A surface of stripes, which tells little along them, is not pulled along them by the rim of what passes in front, nor
// taken for another part of the stripes.
func TestStripesAreNotPulledAlong(t *testing.T) {
	s := newScene()
	for y := range s.card.H {
		for x := range s.card.W {
			v := 128 + 70*math.Sin(float64(y)/4+float64(x)/90) + .12*float64(s.card.Pix[y*s.card.W+x]-128)
			s.card.Pix[y*s.card.W+x] = float32(v)
		}
	}
	at := func(f int) geom.Map { return pose(230+.6*float64(f), 180+.4*float64(f), 4+.1*float64(f), 1, 1, 0, 0) }
	p, err := NewPlanar(s.draw(at(0), 0, 1.5, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 32; f++ {
		from := -60 + 14*float64(f) // across all of the picture, never over more than a third of the card
		got := p.step(s.draw(at(f), int64(f), 1.5, 1, from, from+70))
		if e := off(got, at(0), at(f)); e > 1 || !got.State.Known() {
			t.Fatalf("frame %d: %.2f px off, %s", f, e, got.State)
		}
	}
}

// Frames that suddenly err by far more than those before, because they were coded otherwise, are followed all the same.
func TestFramesSuddenlyWorse(t *testing.T) {
	s := newScene()
	at := func(f int) geom.Map { return pose(230+2*float64(f), 180+2*float64(f), 0, 1, 1, 0, 0) }
	p, err := NewPlanar(s.draw(at(0), 0, .1, 1, 0, 0), outline(at(0)), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 16; f++ {
		noise := .1
		if f >= 8 {
			noise = 4
		}
		if got := p.step(s.draw(at(f), int64(f), noise, 1, 0, 0)); off(got, at(0), at(f)) > .5 || got.State != Good {
			t.Fatalf("frame %d: %.2f px off, %s", f, off(got, at(0), at(f)), got.State)
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

// Two solutions of a stretch: drift is shared out evenly when both see the same;
// where one has slipped the other is taken.
func TestBlend(t *testing.T) {
	shift := func(x float64) geom.Map { return geom.Translate(geom.Pt(x, 0)) }
	const n = 19
	var forward, back, slipped []Pose
	for i := range n {
		k := float64(i + 1)
		forward = append(forward, Pose{Map: shift(10*k + .1*k), Confidence: .9, State: Good})
		back = append(back, Pose{Map: shift(10*k + .1*(k-n-1)), Confidence: .9, State: Good})
		p := Pose{Map: shift(10 * k), Confidence: .9, State: Good}
		if i > 12 {
			p = Pose{Map: shift(10*k + 60), Confidence: .4, State: Weak}
		}
		slipped = append(slipped, p)
	}
	for i, p := range Blend(forward, back, cardQuad) {
		k := float64(i + 1)
		if d := Spread(p.Map, shift(10*k), cardQuad); d > 1e-6 || p.State != Good {
			t.Errorf("drift, frame %d: %.3f px off, %s", i, d, p.State)
		}
	}
	for i, p := range Blend(slipped, back, cardQuad) {
		if d := Spread(p.Map, shift(10*float64(i+1)), cardQuad); d > 2.1 {
			t.Errorf("slipped, frame %d: %.3f px off", i, d)
		}
	}
}

// Frames between two stretches of even motion lie on it, whatever its form.
func TestBetween(t *testing.T) {
	at := func(f float64) geom.Map { return pose(100+7*f, 80+3*f, 1.5*f, 1+.01*f, 1, 0, 0) }
	for i, m := range Between([2]geom.Map{at(3), at(4)}, [2]geom.Map{at(11), at(12)}, 6, cardQuad) {
		if d := Spread(m, at(float64(5+i)), cardQuad); d > .6 {
			t.Errorf("frame %d: %.2f px off", 5+i, d)
		}
	}
}

// A fit gives back the map that moved the points, of each model, and an outlier of
// the noise's size moves it little.
func TestFit(t *testing.T) {
	from := []geom.Point{{X: 100, Y: 40}, {X: 300, Y: 60}, {X: 280, Y: 200}, {X: 90, Y: 190}, {X: 180, Y: 120}}
	for model, m := range map[Model]geom.Map{
		Translation: geom.Translate(geom.Pt(12, -7)),
		Similarity:  geom.Placement(geom.Pt(100, 100), geom.Pt(20, 5), 25, 1.3, 1.3),
		Affine:      {1.1, .2, 9, -.1, .8, 30, 0, 0, 1},
		Perspective: {1.05, .1, 4, -.05, .9, 8, 3e-4, -2e-4, 1},
	} {
		to := make([]geom.Point, len(from))
		for i, p := range from {
			to[i] = m.Apply(p)
		}
		got := Fit(from, to, model)
		for _, p := range from {
			if d := got.Apply(p).Sub(m.Apply(p)).Len(); d > .02 {
				t.Errorf("%s: %.4f px off", model, d)
			}
		}
		if one := Fit(from[:1], to[:1], model); one.Apply(from[0]).Sub(to[0]).Len() > 1e-6 {
			t.Errorf("%s from one point: %v", model, one)
		}
	}
	if Fit(nil, nil, Affine) != geom.Identity {
		t.Error("no points move something")
	}
}

// What is known to pass in front is left out: the surface is found as well behind a
// thing that shows another card as with nothing before it.
func TestExcept(t *testing.T) {
	s := newScene()
	first := pose(230, 180, 0, 1, 1, 0, 0)
	hide := func(from, to int) *Gray {
		g := NewGray(s.w, s.h)
		for i := range g.Pix {
			if x := i % s.w; x >= from && x < to {
				g.Pix[i] = 1
			}
		}
		return g
	}
	p, err := NewPlanar(s.draw(first, 1, 2, 1, 0, 0), outline(first), Affine)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 8; f++ {
		m := pose(230+4*float64(f), 180, float64(f), 1, 1, 0, 0)
		frame, err := s.draw(m, int64(f), 2, 1, 150, 250).Except(hide(150, 250))
		if err != nil {
			t.Fatal(err)
		}
		if got := p.step(frame); off(got, first, m) > .4 || got.State != Good {
			t.Errorf("frame %d: %.2f px off, %s, %.2f", f, off(got, first, m), got.State, got.Confidence)
		}
	}
	if _, err := s.draw(first, 1, 2, 1, 0, 0).Except(NewGray(9, 9)); err != ErrMask {
		t.Errorf("a mask of another size: %v", err)
	}
	hidden, _ := s.draw(first, 1, 2, 1, 0, 0).Except(hide(0, s.w))
	if _, err := NewPlanar(hidden, outline(first), Affine); err == nil {
		t.Error("a surface wholly behind something can be followed")
	}
}

// Texture is told before following: the card has enough, a flat patch none, and a
// patch with little is enlarged to what moves with it, not to what does not.
func TestAssess(t *testing.T) {
	s := newScene()
	at := pose(230, 180, 0, 1, 1, 0, 0)
	f := s.draw(at, 1, 2, 1, 0, 0)
	if x, err := Assess(f, outline(at), Perspective); err != nil || !x.Enough || x.Share < .5 || x.Spread <= 0 ||
		x.Spread > .2 {
		t.Errorf("the card: %+v, %v", x, err)
	}
	// A flat window in the middle of the card.
	for y := 40; y < 80; y++ {
		for x := 80; x < 150; x++ {
			s.card.Pix[y*s.card.W+x] = 120
		}
	}
	f = s.draw(at, 1, .5, 1, 0, 0)
	window := []geom.Point{
		at.Apply(geom.Pt(88, 46)), at.Apply(geom.Pt(142, 46)), at.Apply(geom.Pt(142, 74)),
		at.Apply(geom.Pt(88, 74)),
	}
	if x, err := Assess(f, window, Similarity); err != ErrFlat || x.Enough {
		t.Errorf("the flat window: %+v, %v", x, err)
	}
	var next []Frame
	for i := 1; i < 5; i++ {
		next = append(next, s.draw(pose(230+5*float64(i), 180+2*float64(i), 0, 1, 1, 0, 0), int64(i), .5, 1, 0, 0))
	}
	larger, x := Enlarge(f, next, window, Similarity)
	if larger == nil || !x.Enough {
		t.Fatalf("nothing larger: %+v", x)
	}
	back, _ := at.Inverse()
	for _, p := range larger {
		if q := back.Apply(p); q.X < -15 || q.X > 235 || q.Y < -15 || q.Y > 135 {
			t.Errorf("enlarged beyond the card, to %v", q)
		}
	}
}

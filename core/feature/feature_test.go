package feature

import (
	"math"
	"math/rand/v2"
	"testing"

	"celator/core/filter"
	"celator/core/geom"
	"celator/core/track"
)

// painted is a picture of blots, none like another.
func painted(w, h int, seed uint64) *track.Gray {
	r := rand.New(rand.NewPCG(seed, 1))
	g := track.NewGray(w, h)
	for i := range g.Pix {
		g.Pix[i] = 120
	}
	for range w * h / 150 {
		x, y, a, b := r.Float64()*float64(w), r.Float64()*float64(h), 2+6*r.Float64(), 2+9*r.Float64()
		turn, v := r.Float64()*math.Pi, float32(r.Float64()*140-70)
		sin, cos := math.Sincos(turn)
		for j := max(int(y-b-a), 0); j < min(int(y+a+b), h); j++ {
			for i := max(int(x-a-b), 0); i < min(int(x+a+b), w); i++ {
				u, q := float64(i)+.5-x, float64(j)+.5-y
				p, q := (cos*u+sin*q)/a, (cos*q-sin*u)/b
				if p*p+q*q < 1 {
					g.Pix[j*w+i] = min(max(g.Pix[j*w+i]+v, 16), 235)
				}
			}
		}
	}
	filter.Gauss(g.Pix, w, h, .7, .7)
	return g
}

// onto draws a surface into a picture where a map takes it, lit otherwise, with noise over all.
func onto(ground, surface *track.Gray, at geom.Map, gain, lift, noise float64) *track.Gray {
	r := rand.New(rand.NewPCG(7, 7))
	back, err := at.Inverse()
	if err != nil {
		panic(err)
	}
	out := track.NewGray(ground.W, ground.H)
	const n = 3 // samples of a pixel, each way
	for y := range out.H {
		for x := range out.W {
			var sum float64
			for k := range n * n {
				p := geom.Pt(float64(x)+(float64(k%n)+.5)/n, float64(y)+(float64(k/n)+.5)/n)
				q := back.Apply(p)
				if q.X >= 0 && q.Y >= 0 && q.X < float64(surface.W) && q.Y < float64(surface.H) {
					sum += gain*float64(surface.At(q)) + lift
				} else {
					sum += float64(ground.At(p))
				}
			}
			out.Pix[y*out.W+x] = float32(sum/(n*n) + noise*r.NormFloat64())
		}
	}
	return out
}

func whole(g *track.Gray) geom.Quad {
	w, h := float64(g.W), float64(g.H)
	return geom.Quad{{}, {X: w}, {X: w, Y: h}, {Y: h}}
}

// What describes a place stays the same under turn, size and light, to what the samples allow.
func TestDescriptions(t *testing.T) {
	g := painted(200, 160, 3)
	turned := geom.Placement(geom.Pt(100, 80), geom.Pt(80, 60), 35, 1.3, 1.3)
	other := onto(painted(360, 280, 4), g, turned, .6, 40, 1)
	there := Detect(other, 2000)
	right, of := 0, 0
	for _, f := range Detect(g, 60) {
		if p := f.P; p.X < 25 || p.Y < 25 || p.X > 175 || p.Y > 135 {
			continue
		}
		of++
		var best Feature
		most := float32(0)
		for _, o := range there {
			var s float32
			for k, v := range f.desc {
				s += v * o.desc[k]
			}
			if s > most {
				most, best = s, o
			}
		}
		size := best.Size / f.Size / 1.3
		turn := math.Remainder(best.Turn-f.Turn-35*math.Pi/180, 2*math.Pi)
		if best.P.Sub(turned.Apply(f.P)).Len() < 1.5 && size > .8 && size < 1.25 && math.Abs(turn) < .2 {
			right++
		}
	}
	if of < 20 || right*10 < of*8 {
		t.Errorf("%d of %d places are found again", right, of)
	}
}

// A surface is found where it stands, turned, slanted, smaller, darker and part hidden, to a pixel or so; what is not
// there is not found, nor one that is alike in half of its parts.
func TestFound(t *testing.T) {
	surface := painted(180, 120, 5)
	home := onto(painted(400, 300, 6), surface, geom.Translate(geom.Pt(90, 70)), 1, 0, 1)
	m, err := NewMark(home, whole(surface).Under(geom.Translate(geom.Pt(90, 70))))
	if err != nil {
		t.Fatal(err)
	}
	quads := map[string]geom.Quad{
		"as it was":    {{X: 300, Y: 200}, {X: 480, Y: 200}, {X: 480, Y: 320}, {X: 300, Y: 320}},
		"half as high": {{X: 300, Y: 200}, {X: 388, Y: 214}, {X: 380, Y: 272}, {X: 292, Y: 258}},
		"upside down":  {{X: 480, Y: 330}, {X: 320, Y: 320}, {X: 322, Y: 214}, {X: 482, Y: 224}},
		"slanted":      {{X: 300, Y: 180}, {X: 400, Y: 210}, {X: 400, Y: 300}, {X: 300, Y: 320}},
		"at the edge":  {{X: 540, Y: 200}, {X: 700, Y: 205}, {X: 690, Y: 320}, {X: 535, Y: 310}},
	}
	ground := painted(640, 480, 8)
	look := func(g *track.Gray) []Sight {
		t.Helper()
		p, err := Prepare(g)
		if err != nil {
			t.Fatal(err)
		}
		return m.In(p)
	}
	for name, q := range quads {
		at, err := geom.QuadToQuad([4]geom.Point(whole(surface)), [4]geom.Point(q))
		if err != nil {
			t.Fatal(err)
		}
		got := look(onto(ground, surface, at, .7, 20, 2))
		if len(got) != 1 {
			t.Errorf("%s: %d sights", name, len(got))
			continue
		}
		for i, p := range got[0].Quad {
			if d := p.Sub(q[i]).Len(); d > 1.5 {
				t.Errorf("%s: corner %d lies %.1f px off", name, i, d)
			}
		}
	}
	if got := look(ground); len(got) > 0 {
		t.Errorf("where it is not: %+v", got)
	}
	half := painted(180, 120, 5)
	other := painted(180, 120, 99)
	for y := range half.H {
		copy(half.Pix[y*half.W:][:120], other.Pix[y*half.W:][:120])
	}
	if got := look(onto(ground, half, geom.Translate(geom.Pt(200, 200)), 1, 0, 1)); len(got) > 0 {
		t.Errorf("another that is alike in a third of it: %+v", got)
	}
}

// blotted leaves noise in some parts of a picture and none in others, as coding does, so that there seems to be little.
func blotted(g *track.Gray, seed uint64) *track.Gray {
	r := rand.New(rand.NewPCG(seed, 3))
	const blot = 8
	noisy := make([]bool, (g.W/blot+1)*(g.H/blot+1))
	for i := range noisy {
		noisy[i] = r.IntN(3) > 0
	}
	for i := range g.Pix {
		if n := r.NormFloat64(); noisy[i/g.W/blot*(g.W/blot+1)+i%g.W/blot] {
			g.Pix[i] += float32(6 * n)
		}
	}
	return g
}

// A mark of few plain forms, which is mostly noise to the sample, is found in a picture with as much.
func TestPlainForms(t *testing.T) {
	surface := track.NewGray(200, 140)
	for i := range surface.Pix {
		surface.Pix[i] = 40
	}
	for _, f := range []struct{ x, y, w, h, v int }{
		{30, 30, 60, 22, 190},
		{110, 24, 24, 30, 90},
		{70, 60, 70, 44, 70},
		{46, 98, 34, 26, 110},
		{150, 90, 30, 14, 120},
		{160, 30, 12, 40, 160},
	} {
		for y := f.y; y < f.y+f.h; y++ {
			for x := f.x; x < f.x+f.w; x++ {
				surface.Pix[y*surface.W+x] = float32(f.v)
			}
		}
	}
	home := blotted(onto(painted(400, 300, 6), surface, geom.Translate(geom.Pt(90, 70)), 1, 0, 0), 1)
	m, err := NewMark(home, whole(surface).Under(geom.Translate(geom.Pt(90, 70))))
	if err != nil {
		t.Fatal(err)
	}
	q := geom.Quad{{X: 300, Y: 180}, {X: 470, Y: 200}, {X: 460, Y: 320}, {X: 290, Y: 312}}
	at, err := geom.QuadToQuad([4]geom.Point(whole(surface)), [4]geom.Point(q))
	if err != nil {
		t.Fatal(err)
	}
	p, err := Prepare(blotted(onto(painted(640, 480, 8), surface, at, 1, 0, 0), 2))
	if err != nil {
		t.Fatal(err)
	}
	got := m.In(p)
	if len(got) != 1 {
		t.Fatalf("%d sights", len(got))
	}
	for i, c := range got[0].Quad {
		if d := c.Sub(q[i]).Len(); d > 2.5 {
			t.Errorf("corner %d lies %.1f px off", i, d)
		}
	}
}

// A surface with nothing in it is refused, as is one that is too small.
func TestPlain(t *testing.T) {
	g := track.NewGray(200, 200)
	if _, err := NewMark(g, geom.Quad{{X: 50, Y: 50}, {X: 150, Y: 50}, {X: 150, Y: 150}, {X: 50, Y: 150}}); err == nil {
		t.Error("a plain surface was taken")
	}
	p := painted(200, 200, 2)
	if _, err := NewMark(p, geom.Quad{{X: 50, Y: 50}, {X: 56, Y: 50}, {X: 56, Y: 56}, {X: 50, Y: 56}}); err == nil {
		t.Error("a surface of six pixels was taken")
	}
	if _, err := Prepare(track.NewGray(1, 1)); err == nil {
		t.Error("a picture of one sample was taken")
	}
	if got := Detect(track.NewGray(3, 3), 10); len(got) > 0 {
		t.Errorf("of a picture of three samples: %v", got)
	}
}

package holdout

import (
	"image"
	"math"
	"math/rand/v2"
	"testing"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
)

// scene draws a textured wall with a sign on it, moved by m, and a disc in front.
type scene struct {
	w, h  int
	noise float64
	light float64
	shade func(x, y float64) float64 // of the wall, times
	glare func(x, y float64) float64 // light that is added, of white
	hues  float64                    // how strong the wall's colours are, levels of chroma
}

func (s scene) draw(seed uint64, m geom.Map, disc geom.Point, r float64) (*frame.Picture, []float64) {
	p := frame.New(frame.Format{
		Width: s.w, Height: s.h, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
	}, nil)
	rng := rand.New(rand.NewPCG(seed, 1))
	back, _ := m.Inverse()
	front := make([]float64, s.w*s.h)
	for y := range s.h {
		for x := range s.w {
			q := back.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))
			v := 110 + 40*math.Sin(q.X/5)*math.Sin(q.Y/7) + 25*math.Sin(q.X/17+q.Y/11)
			v = 16 + (v-16)*s.light
			if s.shade != nil {
				v = 16 + (v-16)*s.shade(float64(x), float64(y))
			}
			cb, cr := s.hues*math.Sin(q.X/23), s.hues*math.Sin(q.Y/19)
			if s.glare != nil {
				v, cb, cr = under(s.glare(float64(x), float64(y)), v, cb, cr)
			}
			a := min(max(r+.5-geom.Pt(float64(x)+.5, float64(y)+.5).Sub(disc).Len(), 0), 1)
			front[y*s.w+x] = a
			f := 90 + 20*math.Sin((float64(x)-disc.X)/6)*math.Cos((float64(y)-disc.Y)/8)
			v = v*(1-a) + a*f + s.noise*rng.NormFloat64()
			p.Planes[0][y*s.w+x] = byte(min(max(v+.5, 0), 255))
			if x%2 == 0 && y%2 == 0 {
				i := y/2*(s.w/2) + x/2
				p.Planes[1][i] = byte(128.5 + cb*(1-a) - 18*a + rng.NormFloat64())
				p.Planes[2][i] = byte(128.5 + cr*(1-a) + 22*a + rng.NormFloat64())
			}
		}
	}
	return p, front
}

// under is a colour, its chroma about 0, with light that is added, of white.
func under(light, v, b, r float64) (float64, float64, float64) {
	v, b, r = (v-16)/219, b/224, r/224
	of := [3]float64{v + 1.5748*r, v - .1873*b - .4681*r, v + 1.8556*b}
	for c, x := range of {
		of[c] = min(math.Pow(math.Pow(max(x, 0), 2.2)+light, 1/2.2), 1)
	}
	v = .2126*of[0] + .7152*of[1] + .0722*of[2]
	return 16 + 219*v, 224 * (of[2] - v) / 1.8556, 224 * (of[0] - v) / 1.5748
}

var outline = []geom.Point{{X: 60, Y: 40}, {X: 260, Y: 40}, {X: 260, Y: 170}, {X: 60, Y: 170}}

func pose(f int) geom.Map { return geom.Translate(geom.Pt(1.3*float64(f), .7*float64(f))) }

func plateOf(t testing.TB, s scene, outline []geom.Point) *cleanplate.Plate {
	t.Helper()
	g, err := cleanplate.NewGather(outline, 1)
	if err != nil {
		t.Fatal(err)
	}
	for f := range 8 { // the disc passes while it is looked at
		p, _ := s.draw(uint64(f), pose(f), geom.Pt(40+45*float64(f), 110), 30)
		g.Add(p, pose(f).Warp(), f == 0)
	}
	out, err := g.Plate()
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// matte holds found against the truth inside the surface: intersection over union, the
// share held out wrongly, and the mean error where the truth is neither 0 nor 1.
func judge(t *testing.T, found Found, front []float64, s scene, m geom.Map) (iou, wrong float64) {
	t.Helper()
	var both, either, all float64
	back, _ := m.Inverse()
	for y := range s.h {
		for x := range s.w {
			q := back.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))
			if q.X < 60 || q.X > 260 || q.Y < 40 || q.Y > 170 {
				continue
			}
			b := 0.
			if image.Pt(x, y).In(found.Rect) {
				b = float64(found.Pix[(y-found.Rect.Min.Y)*found.Rect.Dx()+x-found.Rect.Min.X]) / 255
			}
			a := front[y*s.w+x]
			all++
			wrong += max(b-a, 0)
			both += math.Min(a, b)
			either += math.Max(a, b)
		}
	}
	return both / max(either, 1), wrong / all
}

// A disc is found where it is, in another light and in noise, and nothing where there
// is none; a shadow on the surface is no foreground.
func TestFind(t *testing.T) {
	for name, s := range map[string]scene{
		"clear":  {w: 320, h: 220, noise: 1.5, light: 1},
		"noisy":  {w: 320, h: 220, noise: 4, light: 1},
		"darker": {w: 320, h: 220, noise: 1.5, light: .7},
		"shadow": {
			w: 320, h: 220, noise: 1.5, light: 1,
			shade: func(x, _ float64) float64 { return 1 - .4/(1+math.Exp((150-x)/6)) },
		},
		"glare": {
			w: 320, h: 220, noise: 1.5, light: 1,
			glare: func(x, _ float64) float64 { return .25 * math.Exp(-(x-110)*(x-110)/1200) },
		},
		"glare on strong colours": {
			w: 320, h: 220, noise: 1.5, light: 1, hues: 45,
			glare: func(x, _ float64) float64 { return .15 * math.Exp(-(x-110)*(x-110)/1200) },
		},
	} {
		usual := s
		usual.light, usual.shade, usual.glare = 1, nil, nil
		f := NewFinder(plateOf(t, usual, outline), Usual)
		for n := 20; n < 30; n++ {
			m := pose(n)
			disc := geom.Pt(60+22*float64(n-20), 120)
			p, front := s.draw(uint64(n), m, disc, 32)
			found := f.Find(p, m.Warp(), geom.Pt(1.3, .7))
			if iou, wrong := judge(t, found, front, s, m); disc.X > 130 && disc.X < 250 && (iou < .9 || wrong > .01) {
				t.Errorf("%s, frame %d: IoU %.3f, wrongly held out %.4f", name, n, iou, wrong)
			}
			if n > 21 && disc.X < 200 {
				if !found.Moved || found.Move.Sub(geom.Pt(22, 0)).Len() > 3.5 { // it is found to a quarter of its samples
					t.Errorf("%s, frame %d: the foreground moves by %v (%v)", name, n, found.Move, found.Moved)
				}
			}
		}
		p, front := s.draw(99, pose(12), geom.Pt(-500, 0), 5)
		found := NewFinder(plateOf(t, usual, outline), Usual).Find(p, pose(12).Warp(), geom.Pt(1.3, .7))
		if _, wrong := judge(t, found, front, s, pose(12)); wrong > .003 || found.Share > .003 {
			t.Errorf("%s: %.4f is held out with nothing in front", name, found.Share)
		}
	}
}

// More sensitive finds no less; a smallest area larger than the disc finds nothing; out
// of the picture there is nothing; what never was seen is an error.
func TestSettings(t *testing.T) {
	s := scene{w: 320, h: 220, noise: 2, light: 1}
	pl := plateOf(t, s, outline)
	p, _ := s.draw(5, pose(10), geom.Pt(180, 120), 25)
	share := func(set Settings) float64 { return NewFinder(pl, set).Find(p, pose(10).Warp(), geom.Point{}).Share }
	last := -1.
	for _, v := range []float64{0, .25, .5, .75, 1} {
		got := share(Settings{Sensitivity: v, Edge: 5, Least: 60})
		if got < last-1e-3 {
			t.Errorf("sensitivity %g finds %.4f, less than before", v, got)
		}
		last = got
	}
	if got := share(Settings{Sensitivity: .5, Edge: 5, Least: 9000}); got != 0 {
		t.Errorf("%.4f is held out though it is too small", got)
	}
	if got := NewFinder(pl, Usual).Find(p, geom.Translate(geom.Pt(5000, 0)).Warp(), geom.Point{}); !got.Rect.Empty() {
		t.Errorf("found %v beside the picture", got.Rect)
	}
	g, _ := cleanplate.NewGather(outline, 1)
	if _, err := g.Plate(); err != cleanplate.ErrNoView {
		t.Error(err)
	}
	if _, err := cleanplate.NewGather(outline[:2], 1); err != cleanplate.ErrOutline {
		t.Error(err)
	}
}

// The spreading solves what it says: a row of one known sample, joined or parted.
func TestSpreader(t *testing.T) {
	var s spreader
	s.size(40, 3)
	for i := range s.num {
		s.num[i], s.den[i], s.across[i], s.down[i] = 0, 1e-4, 1, 1
	}
	s.num[40+5], s.den[40+5] = 1, 1
	for y := range 3 {
		s.across[y*40+19] = 0 // an edge between columns 19 and 20
	}
	s.carry(carryFar, 2)
	at := func(x int) float64 { return float64(s.num[40+x] / s.den[40+x]) }
	if at(18) < .5 || math.Abs(at(21)) > .01 {
		t.Errorf("carried %.3f before the edge and %.3f past it", at(18), at(21))
	}
}

// A soft edge hangs together with what it is the edge of; a lone sample beside it is the surface.
func TestSoftEdgeHangsTogether(t *testing.T) {
	const w, h = 12, 3
	alpha, mask := make([]float32, w*h), make([]uint8, w*h)
	for y := range h {
		copy(alpha[y*w:], []float32{1, 1, .9, .5, .2, .1, 0, 0, .4, 0, 0, 0})
		copy(mask[y*w:], []uint8{1, 1, 1, 1})
	}
	joined(alpha, mask, w, h)
	for i, v := range alpha {
		if want := [w]float32{1, 1, .9, .5, .2, .1}[i%w]; v != want {
			t.Fatalf("sample %d, %d: %g instead of %g", i%w, i/w, v, want)
		}
	}
}

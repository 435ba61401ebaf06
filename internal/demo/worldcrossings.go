package demo

import (
	"image"
	"math"
	"math/rand/v2"

	"celator/core/geom"
)

// worldCrossingKinds are what is hard in crossings from photographs, one of them in each.
var worldCrossingKinds = []string{
	"plain", "low contrast", "thin", "from the first", "glint", "shadow", "quick", "slow", "smeared", "two", "holes",
	"figure",
}

// WorldCrossings are n crossings of a part, made of photographs as Worlds are.
func WorldCrossings(part string, photos []image.Image, n int) (out []Shot) {
	seed, some := partOf(part, photos)
	for k := range n {
		out = append(out, worldCrossing(seed+k, some))
	}
	return out
}

// worldCrossing is a crossing: something photographed passes in front of a photograph on a plane, by the optics of
// world.
func worldCrossing(seed int, photos []image.Image) Shot {
	kind := worldCrossingKinds[seed%len(worldCrossingKinds)]
	r := rand.New(rand.NewPCG(uint64(seed), 13))
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	s := photographed("crossing", seed, kind)
	s.Reference, s.Shutter, s.CRF = 4, between(.2, .5), 18+r.IntN(9)
	s.optics = &optics{
		gain: between(.7, 1), read: between(.001, .004), shot: between(.0002, .001), rolls: between(0, .3), gamma: 1,
	}
	if kind == "smeared" {
		s.Shutter = between(.8, 1)
	}
	cross := drawnCrossing(kind, between)
	back, on := r.IntN(len(photos)), r.IntN(len(photos))
	over := [2]int{r.IntN(len(photos)), r.IntN(len(photos))}
	cut := [4]uint64{r.Uint64(), r.Uint64(), r.Uint64(), r.Uint64()}
	hand, yaw, tall := r.IntN(1<<20), between(5, 20), between(170, 215)
	s.prepare = func() func(float64) moment {
		ground, sign := fromPhoto(photos[back], 1000, 600, cut[0], false), fromPhoto(photos[on], 520, 300, cut[1], false)
		var fronts [2]*texture
		for i := range fronts {
			fronts[i] = passer(kind, fromPhoto(photos[over[i]], 300, 500, cut[2+i], false), sign)
		}
		light, shade := gleam(), shadow()
		for _, t := range []*texture{ground, sign, fronts[0], fronts[1], light, shade} {
			t.finish()
		}
		textures := map[passes]*texture{one: fronts[0], other: fronts[1], glint: light, dark: shade}
		return func(t float64) moment {
			sway := shake(t, 6, hand)
			place := pose(sign, geom.Pt(320, 180).Add(sway), tall, yaw*math.Sin(t*.045), 5*math.Sin(t*.03), 3*math.Sin(t*.06), 4)
			layers := []layer{
				{tex: ground, light: 1, at: centred(ground, geom.Pt(320, 180).Add(sway), .8, 0)},
				{tex: sign, light: 1, at: place},
			}
			for _, c := range cross(t) {
				l := kit{}.front(textures[c.what], c.at.X, c.at.Y, c.wide, c.high, c.roll)
				l.front = c.what == one || c.what == other
				layers = append(layers, l)
			}
			return moment{layers: layers, surface: corners(place, 0, 0, 520, 300)}
		}
	}
	return s
}

// passes is what passes over a sign: one thing or another in front of it, light or shadow on it.
type passes int

const (
	one passes = iota
	other
	glint
	dark
)

type crossingAt struct {
	what             passes
	at               geom.Point
	wide, high, roll float64
}

// drawnCrossing draws how things pass.
//
// Long: one kind after the other.
func drawnCrossing(kind string, between func(a, b float64) float64) func(t float64) []crossingAt {
	speed, wide, high, tilt := between(6, 11), between(90, 170), between(240, 380), between(-10, 10)
	extra, level := between(0, 1), between(150, 210)
	pass := func(what passes, from, speed, wide, high float64) func(t float64) crossingAt {
		return func(t float64) crossingAt {
			return crossingAt{what, geom.Pt(-wide+speed*(t-from), level), wide, high, tilt + 3*math.Sin(.2*t)}
		}
	}
	only := func(c ...func(t float64) crossingAt) func(t float64) []crossingAt {
		return func(t float64) (out []crossingAt) {
			for _, one := range c {
				out = append(out, one(t))
			}
			return out
		}
	}
	switch kind {
	case "thin":
		return only(pass(one, 8, speed, 6+8*extra, 420))
	case "from the first":
		return func(t float64) []crossingAt { // stands there, and goes away after half of the time
			x := 250 + 140*extra
			if t > 38 {
				x += 1.4 * speed * (t - 38)
			}
			return []crossingAt{{one, geom.Pt(x, level), wide, high, tilt}}
		}
	case "glint":
		return only(pass(glint, 6, speed, 110+60*extra, 500), pass(one, 46, 1.4*speed, wide, high))
	case "shadow":
		return only(pass(dark, 4, speed, 1.2*wide, 420), pass(one, 14, speed, wide, high))
	case "quick":
		return only(pass(one, 10, 26+14*extra, wide, high), pass(other, 45, 26+14*extra, wide, high))
	case "slow":
		return func(t float64) []crossingAt { // comes to rest, and goes on
			x := 90 + 3.2*(t-10) + 22*math.Sin(t*.12)
			return []crossingAt{{one, geom.Pt(x, level), wide, high, tilt}}
		}
	case "smeared":
		return only(pass(one, 8, 16+8*extra, wide, high), pass(other, 44, 16+8*extra, wide, high))
	case "two":
		return func(t float64) []crossingAt {
			a, b := pass(one, 8, speed, wide, high)(t), pass(other, 8, speed, .8*wide, high)(t)
			b.at.X = 640 - b.at.X
			return []crossingAt{a, b}
		}
	case "holes":
		return only(pass(one, 8, speed, 230, 250))
	case "figure":
		return only(pass(one, 8, speed, 150, 360))
	}
	return only(pass(one, 8, speed, wide, high))
}

// passer cuts what passes out of a photograph.
func passer(kind string, photo, sign *texture) *texture {
	in := func(u, v float64) float64 { return 1 - math.Pow(math.Abs(u), 4) - math.Pow(math.Abs(v), 4) }
	switch kind {
	case "thin":
		in = func(u, _ float64) float64 { return 1 - math.Abs(u) }
	case "holes":
		in = func(u, v float64) float64 {
			return .45 - min(math.Abs(math.Mod(u+2, .5)-.25)/.5, math.Abs(math.Mod(v+2, .5)-.25)/.5)
		}
	case "figure": // head, shoulders, trunk, legs
		in = func(u, v float64) float64 {
			head := .17 - math.Hypot(u*.6, v+.8)
			trunk := .55 - .25*math.Abs(v) - math.Abs(u)
			if v < -.62 {
				trunk = -1
			}
			if v > .3 {
				trunk = .22 - math.Abs(math.Abs(u)-.28)
			}
			return 3 * max(head, trunk)
		}
	case "low contrast": // as light as the sign, and nearly of its colour
		var is, like [3]float64
		for i := 0; i+3 < len(photo.pix); i += 4 {
			for c := range 3 {
				is[c] += 4 * float64(photo.pix[i+c]) / float64(len(photo.pix))
			}
		}
		for i := 0; i+3 < len(sign.pix); i += 4 {
			for c := range 3 {
				like[c] += 4 * float64(sign.pix[i+c]) / float64(len(sign.pix))
			}
		}
		for i := 0; i+3 < len(photo.pix); i += 4 {
			for c := range 3 {
				v := like[c] + .35*(float64(photo.pix[i+c])-is[c])
				photo.pix[i+c] = float32(max(v, 0))
			}
		}
	}
	photo.cut(in)
	return photo
}

// cut leaves of a texture what lies where in is above 0, for u and v from -1 to 1, with a soft edge of a pixel or two.
func (t *texture) cut(in func(u, v float64) float64) {
	for y := range t.h {
		for x := range t.w {
			u, v := 2*(float64(x)+.5)/float64(t.w)-1, 2*(float64(y)+.5)/float64(t.h)-1
			a := float32(min(max(in(u, v)*float64(t.w)/8, 0), 1))
			for c := range 4 {
				t.pix[4*(y*t.w+x)+c] *= a
			}
		}
	}
}

// gleam is light that lies on a surface: it is added to what is there.
func gleam() *texture {
	t := newTexture(120, 500)
	for y := range t.h {
		for x := range t.w {
			u := 2*(float64(x)+.5)/float64(t.w) - 1
			for c := range 3 {
				t.pix[4*(y*t.w+x)+c] = float32(.3 * math.Pow(1-u*u, 2))
			}
			t.pix[4*(y*t.w+x)+3] = .001 // nothing is hidden, but it is drawn
		}
	}
	return t
}

// shadow takes up to six tenths of the light away.
func shadow() *texture {
	t := newTexture(200, 400)
	for y := range t.h {
		for x := range t.w {
			u, v := 2*(float64(x)+.5)/float64(t.w)-1, 2*(float64(y)+.5)/float64(t.h)-1
			t.pix[4*(y*t.w+x)+3] = float32(.6 * min(max(2*(1-math.Hypot(u, v)), 0), 1))
		}
	}
	return t
}

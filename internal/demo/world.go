package demo

import (
	"fmt"
	"image"
	"math"
	"math/rand/v2"

	xdraw "golang.org/x/image/draw"

	"celator/core/geom"
)

// worldKinds are what is hard in trials from photographs, one of them in each.
var worldKinds = []string{
	"scale", "turn", "tilt", "light", "dark", "smear", "part hidden", "leaving", "jolts", "small", "mixed", "cloth",
}

// The two parts of those trials, from other seeds and other pictures: one to work on, and one that is only ever
// measured, by kinds, and never looked into.
const (
	Work = "work"
	Kept = "kept"
)

// Worlds are n trials of a part, made of photographs.
func Worlds(part string, photos []image.Image, n int) (out []Shot) {
	seed, some := partOf(part, photos)
	for k := range n {
		out = append(out, world(seed+k, some))
	}
	return out
}

// partOf returns where the seeds of a part begin, and its photographs: every second one.
func partOf(part string, photos []image.Image) (seed int, some []image.Image) {
	mine := 0
	if part == Kept {
		seed, mine = 1000, 1
	}
	for i, p := range photos {
		if i%2 == mine {
			some = append(some, p)
		}
	}
	return seed, some
}

// photographed is what trials and crossings from photographs have in common.
func photographed(what string, seed int, kind string) Shot {
	return Shot{
		Name: fmt.Sprintf("%04d", seed), Title: fmt.Sprintf("%s %d: %s", what, seed, kind), Kind: kind,
		Width: 640, Height: 360, Rate: "25", Frames: 81,
	}
}

// world is a trial: a photograph on a plane before another one, filmed from the hand, by a sensor with noise, recorded
// as phones and stations do. All of it is drawn by the seed.
func world(seed int, photos []image.Image) Shot {
	kind := worldKinds[seed%len(worldKinds)]
	r := rand.New(rand.NewPCG(uint64(seed), 7))
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	s := photographed("trial", seed, kind)
	s.Reference, s.Shutter, s.CRF = 40, between(.2, .6), 19+r.IntN(12)
	s.optics = &optics{
		gain: between(.7, 1.1), read: between(.001, .004), shot: between(.0002, .001), rolls: between(0, .5), gamma: 1,
	}
	if r.IntN(3) == 0 {
		s.Broadcast = 1_500_000 + r.IntN(3_500_000)
	}
	switch kind {
	case "smear":
		s.Shutter = between(.7, 1)
	case "mixed":
		s.Shutter = between(.5, .95)
	case "dark":
		s.optics.gain, s.optics.veil = between(.015, .06), between(.005, .03)
		s.optics.read, s.optics.shot, s.optics.gamma = between(.007, .02), between(.001, .003), between(.8, 1)
		s.CRF, s.Broadcast = 12+r.IntN(10), 0
	}
	at := drawnMotion(kind, seed, between)
	back, on, over := r.IntN(len(photos)), r.IntN(len(photos)), r.IntN(len(photos))
	cut := [3]uint64{r.Uint64(), r.Uint64(), r.Uint64()}
	hand, reach := r.IntN(1<<20), between(2, 9)
	s.prepare = func() func(float64) moment {
		ground := fromPhoto(photos[back], 1000, 600, cut[0], false)
		sign := fromPhoto(photos[on], 520, 300, cut[1], kind == "dark")
		front := fromPhoto(photos[over], 240, 500, cut[2], false)
		front.cut(func(u, v float64) float64 { return 1 - math.Pow(math.Abs(u), 4) - math.Pow(math.Abs(v), 4) })
		sheet := sign.framed(hem) // whose rim moves too
		for _, t := range []*texture{ground, sign, front, sheet} {
			t.finish()
		}
		return func(t float64) moment {
			m := at(t)
			sway := shake(t, reach, hand)
			place := pose(sign, m.at.Add(sway), m.high, m.yaw, m.pitch, m.roll, 4)
			layers := []layer{
				{tex: ground, light: m.light, at: centred(ground, geom.Pt(320, 180).Add(sway), .8, .3*sway.X/reach)},
				{tex: sign, light: m.light, at: place},
			}
			if m.wide > 0 {
				layers = append(layers, layer{tex: front, front: true, light: m.light, at: geom.Map{
					m.wide / 240, 0, m.front - m.wide/2, 0, .75, 10, 0, 0, 1,
				}})
			}
			if m.drape != nil {
				layers[1].tex, layers[1].at = sheet, place.Mul(geom.Translate(geom.Pt(-hem, -hem)))
				layers[1].bend = hemmed(m.drape(t))
				return moment{layers: layers, surface: m.drape.plane(place, t), places: m.drape.places(place, t)}
			}
			return moment{layers: layers, surface: corners(place, 0, 0, 520, 300)}
		}
	}
	return s
}

// drawnMotion draws how a trial's sign moves: along slow waves, and by what its kind adds.
//
// Long: one kind after the other.
func drawnMotion(kind string, seed int, between func(a, b float64) float64) func(t float64) moving {
	wave := func(most, slow, fast float64) func(t float64) float64 {
		a, w, p := between(.5*most, most), between(slow, fast), between(0, 2*math.Pi)
		b, v, q := between(0, .4*most), between(fast, 1.7*fast), between(0, 2*math.Pi)
		return func(t float64) float64 { return a*math.Sin(w*(t-40)+p) + b*math.Sin(v*(t-40)+q) }
	}
	x, y, roll := wave(70, .04, .09), wave(25, .05, .1), wave(8, .03, .08)
	yaw, pitch := wave(18, .03, .07), wave(12, .03, .07)
	grows, dims := wave(.15, .03, .06), wave(.12, .05, .15)
	high := between(85, 140)
	extra, side := between(0, 1), between(0, 1)
	swift := wave(1, .14, .24)
	return func(t float64) moving {
		m := moving{
			at: geom.Pt(320+x(t), 180+y(t)), high: high * math.Exp(grows(t)), yaw: yaw(t), pitch: pitch(t), roll: roll(t),
			light: 1 + dims(t),
		}
		from := t - 40
		switch kind {
		case "scale":
			m.high = high * math.Exp(.9*math.Sin(from*(.03+.02*extra)))
		case "turn":
			m.roll += (2 + 3*extra) * from
		case "tilt":
			m.yaw += (35 + 25*extra) * math.Sin(from*(.04+.03*side))
		case "light":
			m.light *= .55 + .45*math.Cos(from*(.1+.15*extra))
		case "smear": // 14 to 32 px between two frames at the most
			m.at.X += (80 + 60*extra) * swift(t)
			m.at.Y += 30 * swift(t+3)
		case "part hidden":
			m.front, m.wide = 320+(7+6*extra)*(math.Abs(from)-30)*(1-2*math.Round(side)), 100+80*extra
		case "leaving":
			m.at.X += (380 + 80*extra) * math.Sin(from*(.05+.03*side))
		case "jolts":
			f := int(math.Round(t))
			far := 20 + 40*extra
			m.at = m.at.Add(geom.Pt(far*(hash(f, 1, int(1e6*side))-.5), far*(hash(f, 2, int(1e6*side))-.5)))
		case "small":
			m.high = 16 + 18*extra
		case "cloth":
			if m.drape = waves(5 + 6*extra); seed/len(worldKinds)%2 == 1 {
				m.drape = flag(5 + 6*extra)
			}
		case "mixed":
			m.high *= math.Exp(.35 * math.Sin(from*.05))
			m.yaw += 30 * math.Sin(from*.06)
			m.at.X += 90 * swift(t)
			m.light *= .7 + .3*math.Cos(from*.13)
			m.front, m.wide = 320+(9+5*extra)*(math.Abs(from)-32)*(1-2*math.Round(side)), 90
		}
		return m
	}
}

// fromPhoto is a part of a photograph as a texture, in linear light: of eight parts the one with most texture, or,
// plain, the flattest of those with a strong contour.
func fromPhoto(p image.Image, w, h int, seed uint64, plain bool) *texture {
	r := rand.New(rand.NewPCG(seed, 11))
	b := p.Bounds()
	var best *image.NRGBA
	most := -1.
	for range 8 {
		share := .35 + .6*r.Float64()
		cw := share * min(float64(b.Dx()), float64(b.Dy())*float64(w)/float64(h))
		ch := cw * float64(h) / float64(w)
		x, y := float64(b.Min.X)+r.Float64()*(float64(b.Dx())-cw), float64(b.Min.Y)+r.Float64()*(float64(b.Dy())-ch)
		part := image.NewNRGBA(image.Rect(0, 0, w, h))
		xdraw.CatmullRom.Scale(part, part.Rect, p, image.Rect(int(x), int(y), int(x+cw), int(y+ch)), xdraw.Src, nil)
		if v := textured(part, plain); v > most {
			best, most = part, v
		}
	}
	t := newTexture(w, h)
	for i := 0; i < len(best.Pix); i += 4 {
		for c := range 3 {
			t.pix[i+c] = float32(best.Pix[i+c]) / 255
		}
		t.pix[i+3] = 1
	}
	t.linear()
	return t
}

// textured is how well a picture's green shows a motion in the direction in which it shows it least, in the quarter of
// it where it does so least (the smaller eigenvalue of the structure tensor: Shi and Tomasi, "Good features to track",
// CVPR 1994): what nobody could follow is no trial. Plain, it is how flat the picture is, if a hundredth or more of it
// is steep.
func textured(p *image.NRGBA, plain bool) float64 {
	var xx, xy, yy [4]float64
	var sum, steep float64
	n := 0
	for y := 4; y < p.Rect.Dy(); y += 4 {
		for x := 4; x < p.Rect.Dx(); x += 4 {
			i, q := p.PixOffset(x, y)+1, 2*(2*y/p.Rect.Dy())+2*x/p.Rect.Dx()
			dx := float64(p.Pix[i]) - float64(p.Pix[i-8])
			dy := float64(p.Pix[i]) - float64(p.Pix[i-2*p.Stride])
			xx[q], xy[q], yy[q] = xx[q]+dx*dx, xy[q]+dx*dy, yy[q]+dy*dy
			v := math.Hypot(dx, dy)
			sum += v
			n++
			if v > 40 {
				steep++
			}
		}
	}
	if plain {
		return min(steep/float64(n)/.01, 1) / (sum/float64(n) + 1)
	}
	least := math.Inf(1)
	for q := range xx {
		least = min(least, (xx[q]+yy[q])/2-math.Hypot((xx[q]-yy[q])/2, xy[q]))
	}
	return least
}

// Package holdout finds what passes in front of a followed surface: the places where
// the picture differs from the surface as it looks when nothing is in front of it. A
// Finder compares frames with the surface's plate (core/plate) and returns a soft matte
// for each. Nothing here does I/O.
//
// All code values are on the scale of 8 bit.
package holdout

import (
	"image"
	"math"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// Settings are what the editor may tune.
type Settings struct {
	// Sensitivity, 0 to 1: how little speaks for the foreground where it is believed.
	Sensitivity float64 `json:"sensitivity" minimum:"0" maximum:"1"`
	// Edge is how wide the soft edge may be on a foreground at rest, px; motion adds to it.
	Edge float64 `json:"edge" minimum:"1" maximum:"40"`
	// Least is the smallest area that is held out, px².
	Least float64 `json:"least" minimum:"0" maximum:"100000"`
}

// Usual are the settings to begin with.
var Usual = Settings{Sensitivity: .5, Edge: 5, Least: 60}

// Found is what passes in front of the surface on one frame.
type Found struct {
	Rect  image.Rectangle // luma samples of the picture, on even coordinates
	Pix   []uint8         // the matte, row-major: 255 is foreground
	Share float64         // of the surface in the picture that is held out
	// Move is how far the foreground moved since the frame before, px; Moved is false
	// where that could not be seen.
	Move  geom.Point
	Moved bool
}

// A Finder compares the frames of a shot with a plate, in the order of time; what the
// foreground looked like on earlier frames helps on later ones. It is for one
// goroutine.
type Finder struct {
	plate *cleanplate.Plate
	set   Settings

	cleanplate.View                 // of the frame
	laid            cleanplate.Laid // the plate as seen on the frame
	gain, veil      []float32       // local light: the plate's code times gain, and veil more
	agree           []float32       // how well the texture agrees, -1 to 1
	half            [8][]float32    // scratch, at half the size
	a, b, cc, d, e  []float32       // scratch
	own             []float32       // what a place and those next to it tell, -1 to 1
	odds            []float32       // log of how much likelier the foreground is
	u               []float32       // the same after spreading, -1 to 1
	join            spreader
	light           float32 // of the last frame
	colours         colours
	shutter         [len(shutters)]float32 // how far frames differ from the plate at each
	last            past
}

// NewFinder begins on a plate.
func NewFinder(p *cleanplate.Plate, set Settings) *Finder {
	return &Finder{plate: p, set: set, light: 1}
}

// Find returns the foreground on a frame, given the map from the reference frame's
// coordinates to its own and how far the surface's middle moves in the time of a frame,
// px. The rectangle is empty where the surface is out of the picture.
func (f *Finder) Find(p *frame.Picture, m geom.Map, speed geom.Point) Found {
	r, bin := f.plate.Part(m, p.Width, p.Height)
	if r.Empty() {
		return Found{}
	}
	f.View.Read(p, r, bin)
	f.lay(m)
	f.smear(speed.Mul(1 / float64(bin)))
	f.relight()
	known := f.colours.known()
	f.weigh()
	f.spread()
	if f.colours.learn(f) && !known { // what it looks like was not known before
		f.weigh()
		f.spread()
	}
	mask := f.decide()
	out := Found{Rect: r}
	out.Move, out.Moved = f.last.motion(f, mask)
	alpha := f.soften(mask, out.Move, out.Moved)
	out.Pix = f.full(alpha)
	out.Share = f.share(alpha, m)
	f.last.keep(f, mask, out.Move, out.Moved)
	return out
}

// lay puts the plate into the frame's place.
func (f *Finder) lay(m geom.Map) {
	n := f.W * f.H
	for _, v := range []*[]float32{&f.gain, &f.veil, &f.agree, &f.a, &f.b, &f.cc, &f.d, &f.e, &f.odds, &f.own, &f.u} {
		*v = cleanplate.Resize(*v, n)
	}
	f.laid.Lay(f.plate, m, &f.View)
}

// shutters are the shares of a frame's time that may smear a moving surface.
var shutters = [5]float64{0, .25, .5, .75, 1}

// smear makes the plate as sharp as the frame: while the surface moves by v samples it
// is the mean along the way. How long the shutter is open is learned from the frames.
func (f *Finder) smear(v geom.Point) {
	if v.Len() < 1.5 {
		return
	}
	way := func(share float64) []int {
		n := min(int(math.Ceil(v.Len()*share/1.3)), 16)
		var at []int
		for k := range n {
			d := v.Mul(share * ((float64(k)+.5)/float64(n) - .5))
			at = append(at, int(math.Round(d.Y))*f.W+int(math.Round(d.X)))
		}
		if n < 2 {
			return []int{0}
		}
		return at
	}
	rim := int(v.Len()/2) + 2
	best := 0
	for s, share := range shutters {
		at := way(share)
		norm := 1 / float32(len(at))
		var sum, n float32
		for y := rim; y < f.H-rim; y += 3 {
			for x := rim + y%5; x < f.W-rim; x += 5 {
				i := y*f.W + x
				if f.laid.Sure[i] <= .6 || f.laid.Sure[i-rim] <= .6 || f.laid.Sure[i+rim] <= .6 {
					continue
				}
				var p float32
				for _, d := range at {
					p += f.laid.Pix[0][i+d]
				}
				sum += min(abs(f.C[0][i]-cleanplate.Black-f.light*(p*norm-cleanplate.Black)), 25)
				n++
			}
		}
		if n < 50 {
			return
		}
		f.shutter[s] = .8*f.shutter[s] + sum/n*float32(v.Len())
		if f.shutter[s] < f.shutter[best] {
			best = s
		}
	}
	at := way(shutters[best])
	if len(at) < 2 {
		return
	}
	norm := 1 / float32(len(at))
	for c := range f.laid.Pix {
		src, out := f.laid.Pix[c], f.a
		copy(out, src)
		for y := rim; y < f.H-rim; y++ {
			for x := rim; x < f.W-rim; x++ {
				i := y*f.W + x
				if f.laid.Sure[i] == 0 || f.laid.Sure[i-rim] == 0 || f.laid.Sure[i+rim] == 0 {
					continue
				}
				var p float32
				for _, d := range at {
					p += src[i+d]
				}
				out[i] = p * norm
				if c == 0 { // the way is known to a part only
					f.laid.SpreadY[i] += .25 * abs(out[i]-src[i])
				}
			}
		}
		f.laid.Pix[c], f.a = out, src
	}
}

const (
	window = 4.  // half-width of the texture that is compared, samples
	lights = 14. // and of what has the same light
	sureAt = .34 // share of the looks that must agree
)

// relight finds how each place is lit against the plate: its code is gain times the
// plate's and veil more, as far as the texture is that of the surface, carried around.
// It works on every second sample both ways. After it agree says how well the texture
// agrees, -1 to 1, as far as there is any.
func (f *Finder) relight() {
	w, h := (f.W+1)/2, (f.H+1)/2
	n := w * h
	y, p := f.C[0], f.laid.Pix[0]
	for i := range f.half {
		f.half[i] = cleanplate.Resize(f.half[i], n)
	}
	m, mi, mp, ip, pp, ii := f.half[0], f.half[1], f.half[2], f.half[3], f.half[4], f.half[5]
	hy, hp := f.half[6], f.half[7]
	for j := range h {
		for i := range w {
			k := 2*j*f.W + 2*i
			right, down := 1, f.W
			if 2*i+1 >= f.W {
				right = 0
			}
			if 2*j+1 >= f.H {
				down = 0
			}
			o := j*w + i
			m[o], mi[o], mp[o], ip[o], pp[o], ii[o], hy[o], hp[o] = 0, 0, 0, 0, 0, 0, 0, 0
			if min(f.laid.Sure[k], f.laid.Sure[k+right], f.laid.Sure[k+down], f.laid.Sure[k+right+down]) <= sureAt {
				continue
			}
			a := (y[k]+y[k+right]+y[k+down]+y[k+right+down])*.25 - cleanplate.Black
			b := (p[k]+p[k+right]+p[k+down]+p[k+right+down])*.25 - cleanplate.Black
			hy[o], hp[o] = a, b
			m[o], mi[o], mp[o], ip[o], pp[o], ii[o] = 1, a, b, a*b, b*b, a*a
		}
	}
	for _, v := range f.half[:6] {
		boxes(v, w, h, window/2, window/2)
	}
	noise := f.plate.Noise[0]
	noise *= noise * .4 // of four samples, not quite independent
	var num, den float64
	gain, veil := ip, ii // no longer wanted below
	for i := range m {
		if m[i] < .3 || hp[i] == 0 && hy[i] == 0 {
			m[i], pp[i], gain[i], veil[i] = 0, 0, 0, 0
			continue
		}
		k := 1 / m[i]
		a, b := mi[i]*k, mp[i]*k
		vp, vi, cov := max(pp[i]*k-b*b, 0), max(ii[i]*k-a*a, 0), ip[i]*k-a*b
		t := vp / noise * .12 // how far texture stands out in a deep shadow
		t = t / (t + 2)
		rho := cov / sqrt(vp*vi+1e-3)
		pp[i] = t * min(max((rho-.45)*3, -1), 1)
		c := t * max(rho-.75, 0)
		g := min(max(cov/(vp+2*noise), .1), 2.2)
		if b > 12 {
			num, den = num+float64(c*min(max(a/b, .2), 2.5)), den+float64(c)
		}
		m[i], gain[i], veil[i] = c, c*g, c*a
		mp[i] = c * b
	}
	if den > .004*float64(n) {
		f.light += .8 * (float32(num/den) - f.light)
	}
	for _, v := range [][]float32{m, gain, veil, mp} {
		boxes(v, w, h, lights/2, lights/2)
	}
	const prior = .02
	for i := range m {
		k := 1 / (m[i] + prior)
		g := (gain[i] + prior*f.light) * k
		// The line through the means; with little known, through no light.
		a, b := veil[i]*k, mp[i]*k
		gain[i], veil[i] = g, a-g*b
	}
	for j := range f.H {
		for i := range f.W {
			o, q := j/2*w+i/2, j*f.W+i
			f.gain[q], f.veil[q], f.agree[q] = gain[o], veil[o], pp[o]
		}
	}
}

// lit is the surface's luma as it is lit, above cleanplate.Black.
func (f *Finder) lit(i int) float32 { return f.gain[i]*(f.laid.Pix[0][i]-cleanplate.Black) + f.veil[i] }

// deviation is by how much luma may differ from the surface without anything in front:
// noise, what the looks of the plate differ, and what a pose a little off makes of edges.
func (f *Finder) deviation(i int) float32 {
	n := f.plate.Noise[0]
	s := f.laid.SpreadY[i]
	return 1.1 * sqrt(n*n+1.2*s*s+.25*f.slope(f.laid.Pix[0], i)+.0004*sqr(f.laid.Pix[0][i]-cleanplate.Black)+.3)
}

// slope is how steep a channel is at a sample, squared: a pose may be a pixel off, and
// edges are then decided by what lies beside them.
func (f *Finder) slope(p []float32, i int) float32 {
	a, b, c, d := max(i-1, 0), min(i+1, len(p)-1), max(i-f.W, 0), min(i+f.W, len(p)-1)
	return sqr(p[b]-p[a]) + sqr(p[d]-p[c])
}

func sqr(v float32) float32 { return v * v }

// weigh finds for each sample the log of how much likelier it shows the foreground
// than the surface. The surface may be seen in its light; or, rarely, in a shadow or
// under a glint, which change its brightness as they like but not its hue: then only
// its texture tells. The foreground may have any colour, and likely has those it had.
func (f *Finder) weigh() {
	nc := max(f.plate.Noise[1], f.plate.Noise[2])
	any := ln(1. / (220 * 2 * math.Pi * 26 * 26)) // colour
	for i := range f.odds {
		if f.laid.Sure[i] <= sureAt { // in doubt nothing is held out
			f.odds[i] = -1
			continue
		}
		y := f.C[0][i] - cleanplate.Black
		b, r := f.C[1][i]-128, f.C[2][i]-128
		py, pb, pr := f.laid.Pix[0][i]-cleanplate.Black, f.laid.Pix[1][i]-128, f.laid.Pix[2][i]-128
		g := f.gain[i]
		sy := f.deviation(i)
		ic := 1 / (1.44 * (nc*nc + 1.5*sqr(f.laid.SpreadC[i]) + .2 +
			.2*(f.slope(f.laid.Pix[1], i)+f.slope(f.laid.Pix[2], i))))
		dy := (y - f.lit(i)) / sy
		dc := (sqr(b-g*pb) + sqr(r-g*pr)) * ic
		off := dy*dy + dc
		if off > 9 { // light may be misjudged where little of the surface is seen
			l := f.light
			dy, dc = (y-l*py)/sy, (sqr(b-l*pb)+sqr(r-l*pr))*ic
			off = min(off, dy*dy+dc+1)
		}
		lit := -.5*min(off, 60) - ln(15.7*sy/ic)
		front := max(any, f.colours.of(f.C[0][i], f.C[1][i], f.C[2][i]))
		trust := min(max((f.laid.Sure[i]-sureAt)*4, 0), 1)
		if lit > front+8 {
			f.odds[i] = -8 * trust
			continue
		}
		// In a shadow or under a glint the hue is the plate's, but paler or darker.
		k, lo, hi := g, .45*g, 1.1*g
		if py > 6 {
			q := min(max(y/py, .2), 2)
			lo, hi = min(lo, .9*q), max(1.05*g, min(q, 1.3*g))
			if q < g {
				hi = min(hi, 1.1*q+.05)
			} else {
				lo = .15 * g
			}
		}
		if e := pb*pb + pr*pr; e > 1 {
			k = (b*pb + r*pr) / e
		}
		k = min(max(k, lo), hi)
		dk := (sqr(b-k*pb) + sqr(r-k*pr)) * ic
		dim := -.5*min(dk, 60) - ln(6.28*220/ic) - 4
		if t := f.agree[i]; y < .22*g*py { // deeper than shadows are
			dim -= 6
		} else if t > 0 {
			dim += 7 * t
		} else {
			dim += 6 * t
		}
		s := max(lit, dim) // of the two the likelier; their sum is hardly more
		f.odds[i] = min(max(front-s, -8), 8)*trust + trust - 1
	}
}

// ln is the natural logarithm of a positive number, within a hundredth.
func ln(v float32) float32 {
	b := math.Float32bits(v)
	e := float32(int32(b>>23) - 127)
	m := math.Float32frombits(b&0x7fffff | 0x3f800000)
	return (e + (-1.7417939 + (2.8212026+(-1.4699568+(.44717955-.056570851*m)*m)*m)*m)) * .6931472
}

// spread carries what is known to where little is, stopping at edges that both the
// picture and its difference from the surface have: the outlines of what is in front.
func (f *Finder) spread() {
	f.join.size(f.W, f.H)
	w := f.W
	// f.d: difference from the surface.
	for i := range f.d {
		f.d[i] = 0
		if f.laid.Sure[i] > sureAt {
			f.d[i] = f.C[0][i] - cleanplate.Black - f.lit(i)
		}
	}
	ny, nc := 1/(3*f.plate.Noise[0]), 1/(3.5*max(f.plate.Noise[1], f.plate.Noise[2]))
	joints := func(out []float32, step int) {
		n := len(f.d) - step
		y, cb, cr, pb, pr, d := f.C[0][:n], f.C[1][:n], f.C[2][:n], f.laid.Pix[1][:n], f.laid.Pix[2][:n], f.d[:n]
		y2, cb2, cr2, pb2, pr2, d2 := f.C[0][step:][:n], f.C[1][step:][:n], f.C[2][step:][:n], f.laid.Pix[1][step:][:n],
			f.laid.Pix[2][step:][:n], f.d[step:][:n]
		for i, o := range out[:n] {
			b, r := cb[i]-cb2[i], cr[i]-cr2[i]
			pic := abs(y[i]-y2[i])*ny + (abs(b)+abs(r))*nc
			off := abs(d[i]-d2[i])*ny + (abs(b-pb[i]+pb2[i])+abs(r-pr[i]+pr2[i]))*nc
			o = 1
			if e := min(pic, off) - .6; e > 0 {
				e *= e
				o = 1 / (1 + e*(4+30*e)) // falls fast, and costs no exponential
			}
			out[i] = o
		}
	}
	joints(f.join.across, 1) // the last of a row is not joined to the next row: see rows
	joints(f.join.down, w)
	copy(f.join.num, f.odds)
	for i := range f.join.den {
		f.join.den[i] = 1
	}
	f.join.carry(near, 1)
	for i, v := range f.join.num {
		f.own[i] = min(max(v/f.join.den[i]/5, -1), 1)
	}
	// What is around decides where little is known.
	for i, v := range f.own {
		f.join.num[i], f.join.den[i] = v, max(abs(v), .01)
	}
	f.join.carry(far, 2)
	for i, v := range f.own {
		f.u[i] = v + .5*(1-abs(v))*f.join.num[i]/f.join.den[i]
	}
}

// decide makes the mask of what is in front: where more speaks for it, in areas of some
// size of which some are sure.
func (f *Finder) decide() []uint8 {
	n := f.W * f.H
	mask := make([]uint8, n)
	at := float32(.6 * (.5 - f.set.Sensitivity))
	for i := range mask {
		if f.u[i] > at && f.laid.Sure[i] > sureAt {
			mask[i] = 1
		}
	}
	f.thick(mask)
	least := int(f.set.Least / float64(f.Bin*f.Bin))
	regions(mask, f.W, f.H, 1, func(area []int32) bool {
		if len(area) < least {
			return false
		}
		var sum float32
		for _, i := range area {
			sum += f.u[i]
		}
		return sum/float32(len(area)) > at+.15 && (len(area) > n/40 || f.comes(area))
	})
	// Small holes in it are texture that happens to agree.
	regions(mask, f.W, f.H, 0, func(area []int32) bool {
		if len(area) > 2*least {
			return true
		}
		var sum float32
		for _, i := range area {
			sum += f.u[i]
		}
		return sum/float32(len(area)) < -.6
	})
	return mask
}

// thick leaves of a mask what is thicker than thin samples: edges of the surface under a
// pose a little off are not. It is the opening by a square.
func (f *Finder) thick(mask []uint8) {
	v := f.cc
	for i, m := range mask {
		v[i] = float32(m)
	}
	boxes(v, f.W, f.H, thin, thin)
	for i, m := range v {
		v[i] = 0
		if m > .999 {
			v[i] = 1
		}
	}
	boxes(v, f.W, f.H, thin, thin)
	for i, m := range v {
		if m < 1e-3 {
			mask[i] = 0
		}
	}
}

const thin = 2. // half of the thickness, samples, at and under which nothing is in front

// comes reports whether an area can be something that passes: it reaches the rim of what
// is known, or was there on the frame before. Nothing small appears amid a surface.
func (f *Finder) comes(area []int32) bool {
	l := &f.last
	if l.step == 0 {
		return true
	}
	for _, i := range area {
		x, y := int(i)%f.W, int(i)/f.W
		if x < 2 || y < 2 || x >= f.W-2 || y >= f.H-2 || f.laid.Sure[int(i)-2] <= sureAt ||
			f.laid.Sure[int(i)+2] <= sureAt || f.laid.Sure[int(i)-2*f.W] <= sureAt || f.laid.Sure[int(i)+2*f.W] <= sureAt {
			return true
		}
		p := f.Rect.Min.Add(image.Pt(x, y).Mul(f.Bin)).Sub(l.at).Div(l.step)
		for _, d := range [5]image.Point{{}, {X: around}, {X: -around}, {Y: around}, {Y: -around}} {
			if q := p.Add(d); q.X >= 0 && q.Y >= 0 && q.X < l.w && q.Y < l.h && l.in[q.Y*l.w+q.X] {
				return true
			}
		}
	}
	return false
}

// around is how far from where it was the foreground may be found again, in samples of
// the past.
const around = 6

// regions visits the connected areas of a value; those that keep refuses are turned
// into the other one.
func regions(mask []uint8, w, h int, value uint8, keep func(area []int32) bool) {
	const seen = 2
	var stack, area []int32
	for start := range mask {
		if mask[start] != value {
			continue
		}
		stack, area = append(stack[:0], int32(start)), area[:0]
		mask[start] = value | seen
		for len(stack) > 0 {
			i := int(stack[len(stack)-1])
			stack = stack[:len(stack)-1]
			area = append(area, int32(i))
			x := i % w
			visit := func(j int) {
				if mask[j] == value {
					mask[j] |= seen
					stack = append(stack, int32(j))
				}
			}
			if x > 0 {
				visit(i - 1)
			}
			if x < w-1 {
				visit(i + 1)
			}
			if i >= w {
				visit(i - w)
			}
			if i < w*(h-1) {
				visit(i + w)
			}
		}
		if !keep(area) {
			for _, i := range area {
				mask[i] = 1 - value | seen
			}
		}
	}
	for i := range mask {
		mask[i] &= 1
	}
}

// share is how much of the surface in the picture is held out.
func (f *Finder) share(alpha []float32, m geom.Map) float64 {
	outline := make([]geom.Point, len(f.plate.Outline))
	for i, p := range f.plate.Outline {
		outline[i] = m.Apply(p).Sub(geom.Pt(float64(f.Rect.Min.X), float64(f.Rect.Min.Y))).Mul(1 / float64(f.Bin))
	}
	inside := raster.Fill(outline, image.Rect(0, 0, f.W, f.H))
	var all, held float64
	for i, v := range inside.Pix {
		all += float64(v)
		held += float64(v * alpha[i])
	}
	return held / max(all, 1)
}

// full returns the matte at the picture's own size.
func (f *Finder) full(alpha []float32) []uint8 {
	w, h := f.Rect.Dx(), f.Rect.Dy()
	out := make([]uint8, w*h)
	code := func(v float32) uint8 { return uint8(min(max(v, 0), 1)*255 + .5) }
	if f.Bin == 1 {
		for i, v := range alpha {
			out[i] = code(v)
		}
		return out
	}
	k := 1 / float64(f.Bin)
	for y := range h {
		for x := range w {
			t := cleanplate.Tap((float64(x)+.5)*k, (float64(y)+.5)*k, f.W, f.H)
			out[y*w+x] = code(t.Of(alpha))
		}
	}
	return out
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }

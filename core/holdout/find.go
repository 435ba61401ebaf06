package holdout

import (
	"image"
	"math"

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
	plate *Plate
	set   Settings

	view                        // of the frame
	surf           [3][]float32 // the plate as seen on the frame
	spreadY        []float32    // its deviations
	spreadC        []float32
	sure           []float32    // 0 beside the plate
	gain, veil     []float32    // local light: the plate's code times gain, and veil more
	agree          []float32    // how well the texture agrees, -1 to 1
	half           [8][]float32 // scratch, at half the size
	a, b, cc, d, e []float32    // scratch
	own            []float32    // what a place and those next to it tell, -1 to 1
	odds           []float32    // log of how much likelier the foreground is
	u              []float32    // the same after spreading, -1 to 1
	join           spreader
	light          float32 // of the last frame
	colours        colours
	shutter        [len(shutters)]float32 // how far frames differ from the plate at each
	last           past
}

// NewFinder begins on a plate.
func NewFinder(p *Plate, set Settings) *Finder {
	return &Finder{plate: p, set: set, light: 1}
}

// Find returns the foreground on a frame, given the map from the reference frame's
// coordinates to its own and how far the surface's middle moves in the time of a frame,
// px. The rectangle is empty where the surface is out of the picture.
func (f *Finder) Find(p *frame.Picture, m geom.Map, speed geom.Point) Found {
	r, bin := f.plate.part(m, p.Width, p.Height)
	if r.Empty() {
		return Found{}
	}
	f.view.read(p, r, bin)
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
	f.last.keep(f, mask)
	return out
}

// lay puts the plate into the frame's place.
func (f *Finder) lay(m geom.Map) {
	n := f.w * f.h
	for c := range f.surf {
		f.surf[c] = resize(f.surf[c], n)
	}
	for _, v := range []*[]float32{&f.spreadY, &f.spreadC, &f.sure, &f.gain, &f.veil, &f.agree, &f.a, &f.b, &f.cc, &f.d, &f.e, &f.odds, &f.own, &f.u} {
		*v = resize(*v, n)
	}
	clear(f.sure)
	back, err := m.Mul(f.plate.to).Inverse()
	if err != nil {
		return
	}
	p := f.plate
	bin := float64(f.bin)
	for y := range f.h {
		fy := float64(f.rect.Min.Y) + (float64(y)+.5)*bin
		for x := range f.w {
			fx := float64(f.rect.Min.X) + (float64(x)+.5)*bin
			w := 1 / (back[6]*fx + back[7]*fy + back[8])
			gx, gy := (back[0]*fx+back[1]*fy+back[2])*w, (back[3]*fx+back[4]*fy+back[5])*w
			if !(gx > 0 && gy > 0 && gx < float64(p.w) && gy < float64(p.h)) {
				continue
			}
			t := tap(gx, gy, p.w, p.h)
			s00, s10, s01, s11 := &p.pix[t.i], &p.pix[t.i+t.right], &p.pix[t.i+t.down], &p.pix[t.i+t.down+t.right]
			i := y*f.w + x
			f.surf[0][i] = t.w00*s00[0] + t.w10*s10[0] + t.w01*s01[0] + t.w11*s11[0]
			f.surf[1][i] = t.w00*s00[1] + t.w10*s10[1] + t.w01*s01[1] + t.w11*s11[1]
			f.surf[2][i] = t.w00*s00[2] + t.w10*s10[2] + t.w01*s01[2] + t.w11*s11[2]
			// Their looks' spread needs no places between.
			f.spreadY[i], f.spreadC[i] = max(s00[3], s11[3]), max(s00[4], s11[4])
			f.sure[i] = min(s00[5], s11[5])
		}
	}
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
			at = append(at, int(math.Round(d.Y))*f.w+int(math.Round(d.X)))
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
		for y := rim; y < f.h-rim; y += 3 {
			for x := rim + y%5; x < f.w-rim; x += 5 {
				i := y*f.w + x
				if f.sure[i] <= .6 || f.sure[i-rim] <= .6 || f.sure[i+rim] <= .6 {
					continue
				}
				var p float32
				for _, d := range at {
					p += f.surf[0][i+d]
				}
				sum += min(abs(f.c[0][i]-black-f.light*(p*norm-black)), 25)
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
	for c := range f.surf {
		src, out := f.surf[c], f.a
		copy(out, src)
		for y := rim; y < f.h-rim; y++ {
			for x := rim; x < f.w-rim; x++ {
				i := y*f.w + x
				if f.sure[i] == 0 || f.sure[i-rim] == 0 || f.sure[i+rim] == 0 {
					continue
				}
				var p float32
				for _, d := range at {
					p += src[i+d]
				}
				out[i] = p * norm
				if c == 0 { // the way is known to a part only
					f.spreadY[i] += .25 * abs(out[i]-src[i])
				}
			}
		}
		f.surf[c], f.a = out, src
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
	w, h := (f.w+1)/2, (f.h+1)/2
	n := w * h
	y, p := f.c[0], f.surf[0]
	for i := range f.half {
		f.half[i] = resize(f.half[i], n)
	}
	m, mi, mp, ip, pp, ii := f.half[0], f.half[1], f.half[2], f.half[3], f.half[4], f.half[5]
	hy, hp := f.half[6], f.half[7]
	for j := range h {
		for i := range w {
			k := 2*j*f.w + 2*i
			right, down := 1, f.w
			if 2*i+1 >= f.w {
				right = 0
			}
			if 2*j+1 >= f.h {
				down = 0
			}
			o := j*w + i
			m[o], mi[o], mp[o], ip[o], pp[o], ii[o], hy[o], hp[o] = 0, 0, 0, 0, 0, 0, 0, 0
			if min(f.sure[k], f.sure[k+right], f.sure[k+down], f.sure[k+right+down]) <= sureAt {
				continue
			}
			a := (y[k]+y[k+right]+y[k+down]+y[k+right+down])*.25 - black
			b := (p[k]+p[k+right]+p[k+down]+p[k+right+down])*.25 - black
			hy[o], hp[o] = a, b
			m[o], mi[o], mp[o], ip[o], pp[o], ii[o] = 1, a, b, a*b, b*b, a*a
		}
	}
	for _, v := range f.half[:6] {
		boxes(v, w, h, window/2, window/2)
	}
	noise := f.plate.noise[0]
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
	for j := range f.h {
		for i := range f.w {
			o, q := j/2*w+i/2, j*f.w+i
			f.gain[q], f.veil[q], f.agree[q] = gain[o], veil[o], pp[o]
		}
	}
}

// lit is the surface's luma as it is lit, above black.
func (f *Finder) lit(i int) float32 { return f.gain[i]*(f.surf[0][i]-black) + f.veil[i] }

// deviation is by how much luma may differ from the surface without anything in front:
// noise, what the looks of the plate differ, and what a pose a little off makes of edges.
func (f *Finder) deviation(i int) float32 {
	n := f.plate.noise[0]
	s := f.spreadY[i]
	return 1.1 * sqrt(n*n+1.2*s*s+.25*f.slope(f.surf[0], i)+.0004*sqr(f.surf[0][i]-black)+.3)
}

// slope is how steep a channel is at a sample, squared: a pose may be a pixel off, and
// edges are then decided by what lies beside them.
func (f *Finder) slope(p []float32, i int) float32 {
	a, b, c, d := max(i-1, 0), min(i+1, len(p)-1), max(i-f.w, 0), min(i+f.w, len(p)-1)
	return sqr(p[b]-p[a]) + sqr(p[d]-p[c])
}

func sqr(v float32) float32 { return v * v }

// weigh finds for each sample the log of how much likelier it shows the foreground
// than the surface. The surface may be seen in its light; or, rarely, in a shadow or
// under a glint, which change its brightness as they like but not its hue: then only
// its texture tells. The foreground may have any colour, and likely has those it had.
func (f *Finder) weigh() {
	nc := max(f.plate.noise[1], f.plate.noise[2])
	any := ln(1. / (220 * 2 * math.Pi * 26 * 26)) // colour
	for i := range f.odds {
		if f.sure[i] <= sureAt { // in doubt nothing is held out
			f.odds[i] = -1
			continue
		}
		y := f.c[0][i] - black
		b, r := f.c[1][i]-128, f.c[2][i]-128
		py, pb, pr := f.surf[0][i]-black, f.surf[1][i]-128, f.surf[2][i]-128
		g := f.gain[i]
		sy := f.deviation(i)
		ic := 1 / (1.44 * (nc*nc + 1.5*sqr(f.spreadC[i]) + .2 + .2*(f.slope(f.surf[1], i)+f.slope(f.surf[2], i))))
		dy := (y - f.lit(i)) / sy
		dc := (sqr(b-g*pb) + sqr(r-g*pr)) * ic
		off := dy*dy + dc
		if off > 9 { // light may be misjudged where little of the surface is seen
			l := f.light
			dy, dc = (y-l*py)/sy, (sqr(b-l*pb)+sqr(r-l*pr))*ic
			off = min(off, dy*dy+dc+1)
		}
		lit := -.5*min(off, 60) - ln(15.7*sy/ic)
		front := max(any, f.colours.of(f.c[0][i], f.c[1][i], f.c[2][i]))
		trust := min(max((f.sure[i]-sureAt)*4, 0), 1)
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
	f.join.size(f.w, f.h)
	w := f.w
	// f.d: difference from the surface.
	for i := range f.d {
		f.d[i] = 0
		if f.sure[i] > sureAt {
			f.d[i] = f.c[0][i] - black - f.lit(i)
		}
	}
	ny, nc := 1/(3*f.plate.noise[0]), 1/(3.5*max(f.plate.noise[1], f.plate.noise[2]))
	joints := func(out []float32, step int) {
		n := len(f.d) - step
		y, cb, cr, pb, pr, d := f.c[0][:n], f.c[1][:n], f.c[2][:n], f.surf[1][:n], f.surf[2][:n], f.d[:n]
		y2, cb2, cr2, pb2, pr2, d2 := f.c[0][step:][:n], f.c[1][step:][:n], f.c[2][step:][:n], f.surf[1][step:][:n], f.surf[2][step:][:n], f.d[step:][:n]
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
	n := f.w * f.h
	mask := make([]uint8, n)
	at := float32(.6 * (.5 - f.set.Sensitivity))
	for i := range mask {
		if f.u[i] > at && f.sure[i] > sureAt {
			mask[i] = 1
		}
	}
	f.thick(mask)
	least := int(f.set.Least / float64(f.bin*f.bin))
	regions(mask, f.w, f.h, 1, func(area []int32) bool {
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
	regions(mask, f.w, f.h, 0, func(area []int32) bool {
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
	boxes(v, f.w, f.h, thin, thin)
	for i, m := range v {
		v[i] = 0
		if m > .999 {
			v[i] = 1
		}
	}
	boxes(v, f.w, f.h, thin, thin)
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
		x, y := int(i)%f.w, int(i)/f.w
		if x < 2 || y < 2 || x >= f.w-2 || y >= f.h-2 || f.sure[int(i)-2] <= sureAt || f.sure[int(i)+2] <= sureAt || f.sure[int(i)-2*f.w] <= sureAt || f.sure[int(i)+2*f.w] <= sureAt {
			return true
		}
		p := f.rect.Min.Add(image.Pt(x, y).Mul(f.bin)).Sub(l.at).Div(l.step)
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
	outline := make([]geom.Point, len(f.plate.outline))
	for i, p := range f.plate.outline {
		outline[i] = m.Apply(p).Sub(geom.Pt(float64(f.rect.Min.X), float64(f.rect.Min.Y))).Mul(1 / float64(f.bin))
	}
	inside := raster.Fill(outline, image.Rect(0, 0, f.w, f.h))
	var all, held float64
	for i, v := range inside.Pix {
		all += float64(v)
		held += float64(v * alpha[i])
	}
	return held / max(all, 1)
}

// full returns the matte at the picture's own size.
func (f *Finder) full(alpha []float32) []uint8 {
	w, h := f.rect.Dx(), f.rect.Dy()
	out := make([]uint8, w*h)
	code := func(v float32) uint8 { return uint8(min(max(v, 0), 1)*255 + .5) }
	if f.bin == 1 {
		for i, v := range alpha {
			out[i] = code(v)
		}
		return out
	}
	k := 1 / float64(f.bin)
	for y := range h {
		for x := range w {
			t := tap((float64(x)+.5)*k, (float64(y)+.5)*k, f.w, f.h)
			out[y*w+x] = code(t.of(alpha))
		}
	}
	return out
}

package holdout

import (
	"math"

	"celator/core/cleanplate"
	"celator/core/geom"
)

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

// relight finds how each place is lit against the plate: its code is gain times the
// plate's and veil more, as far as the texture is that of the surface, carried around.
// It works on every second sample both ways. After it agree says how well the texture
// agrees, -1 to 1, as far as there is any.
func (f *Finder) relight() {
	w, h := (f.W+1)/2, (f.H+1)/2
	f.textures(w, h)
	m, mi, mp, ip, pp, ii, dev := f.half[0], f.half[1], f.half[2], f.half[3], f.half[4], f.half[5], f.half[6]
	hy, hp := f.half[7], f.half[8]
	noise := f.plate.Noise[0]
	noise *= noise * .4
	var num, den float64
	gain, veil := ip, ii // no longer wanted below
	for i := range m {
		if m[i] < .3 || hp[i] == 0 && hy[i] == 0 {
			m[i], pp[i], gain[i], veil[i], mp[i] = 0, 0, 0, 0, 0
			continue
		}
		k := 1 / m[i]
		a, b := mi[i]*k, mp[i]*k
		vp, vi, cov := max(pp[i]*k, 0), max(ii[i]*k, 0), ip[i]*k
		t := vp / noise * .12 // how far texture stands out in a deep shadow
		t = t / (t + 2)
		rho := cov / sqrt(vp*vi+1e-3)
		pp[i] = texture(vp, vi, cov, dev[i]*k)
		c := t * max(rho-.75, 0)
		g := min(max(cov/(vp+2*noise), .1), 2.2)
		if b > 12 {
			num, den = num+float64(c*min(max(a/b, .2), 2.5)), den+float64(c)
		}
		m[i], gain[i], veil[i] = c, c*g, c*a
		mp[i] = c * b
	}
	if den > .004*float64(w*h) {
		f.light += .8 * (float32(num/den) - f.light)
	}
	for _, v := range [][]float32{m, gain, veil, mp} {
		boxes(v, w, h, lightHalf/2, lightHalf/2)
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

// textures measures around every second sample both ways: into f.half the share of what is known, the sums of the
// frame's code and the plate's, the means of what differs from them, multiplied, of the plate's squared and the
// frame's, and of the variance that an evenly lit surface has there, and the two themselves.
func (f *Finder) textures(w, h int) {
	y, p := f.C[0], f.laid.Pix[0]
	for i := range f.half {
		f.half[i] = cleanplate.Resize(f.half[i], w*h)
	}
	m, mi, mp, ip, pp, ii, dev := f.half[0], f.half[1], f.half[2], f.half[3], f.half[4], f.half[5], f.half[6]
	hy, hp := f.half[7], f.half[8]
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
			m[o], mi[o], mp[o], ip[o], pp[o], ii[o], dev[o], hy[o], hp[o] = 0, 0, 0, 0, 0, 0, 0, 0, 0
			if min(f.laid.Sure[k], f.laid.Sure[k+right], f.laid.Sure[k+down], f.laid.Sure[k+right+down]) <= leastAgreeing {
				continue
			}
			a := (y[k]+y[k+right]+y[k+down]+y[k+right+down])*.25 - cleanplate.Black
			b := (p[k]+p[k+right]+p[k+down]+p[k+right+down])*.25 - cleanplate.Black
			hy[o], hp[o] = a, b
			m[o], mi[o], mp[o] = 1, a, b
			// Of four samples, not quite independent; and light changes codes otherwise where they are others.
			dev[o] = .4*sqr(f.deviation(k)) + sqr(uneven*(a-f.light*b))
		}
	}
	for _, v := range [][]float32{m, mi, mp} {
		boxes(v, w, h, textureHalf/2, textureHalf/2)
	}
	// Texture is what differs from around: light that grows across the window is none.
	for i := range m {
		if hp[i] == 0 && hy[i] == 0 || m[i] == 0 {
			continue
		}
		a, b := hy[i]-mi[i]/m[i], hp[i]-mp[i]/m[i]
		ip[i], pp[i], ii[i] = a*b, b*b, a*a
	}
	for _, v := range [][]float32{ip, pp, ii, dev} {
		boxes(v, w, h, textureHalf/2, textureHalf/2)
	}
}

// texture tells, by the variances of the surface and of the frame around a place, their covariance, and the variance
// that the frame has about a surface in even light, whether it shows the surface's texture or one of its own: -1 to 1,
// the log of how much likelier the surface is, by sureOfTexture, as far as samples of a Gaussian tell. Where neither
// has texture it is 0: a shadow's even inside may be anything.
func texture(plate, frame, both, noise float32) float32 {
	gain := min(max(both/(plate+.1), leastLight), 1.3)
	left := max(frame-2*gain*both+gain*gain*plate, noise)
	tells := independent / 2 * (ln(max(frame, noise)/noise) + 1 - left/noise)
	return min(max(tells/sureOfTexture, -1), 1)
}

const (
	leastLight    = .25 // what the deepest shadow leaves of a texture
	independent   = 10  // samples in a window, as many as those that hang together count for
	sureOfTexture = 7   // log of odds that are not doubted
	uneven        = .06 // of how much light has changed a place, that it may have changed one beside it otherwise
)

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

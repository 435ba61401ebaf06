package track

import (
	"math"
	"slices"

	"celator/core/geom"
)

// Noise looks like texture to whoever measures contrast alone. So a place counts by what of its contrast is above the
// noise, which is estimated from the picture itself: in the calmest parts of each brightness the response to a
// difference of Laplacians is noise alone (Immerkaer, "Fast noise variance estimation", CVIU 64(2), 1996; by
// brightness, for a sensor's noise grows with the light and a curve lies over it: Liu et al., "Automatic estimation
// and removal of noise from a single image", PAMI 30(2), 2008).

const (
	tones     = 8   // ranges of brightness that have a noise of their own
	tile      = 6   // samples on a side of the parts that are compared
	calmest   = .1  // share of the parts that are taken to be flat
	calmShare = .72 // of its mean, what that quantile of the variance of so few samples is
	fewest    = 10  // parts that a tone needs
	grainy    = 2   // levels above one's own whose noise is seen in it: coding leaves noise in blots
	blots     = 2.  // how much larger, at most, their variance is than what is measured here; more is texture
)

// noise is the variance of the noise, in codes, by brightness.
type noise [tones]float64

// at is the variance at a brightness.
func (n *noise) at(v float32) float64 {
	x := min(max(float64(v)/256*tones-.5, 0), tones-1)
	i := min(int(x), tones-2)
	return n[i] + (x-float64(i))*(n[i+1]-n[i])
}

// noiseOf estimates the noise at each level of a pyramid: that of the level itself, or of one a little coarser where
// the noise is in blots.
func noiseOf(pyr pyramid) []noise {
	own := make([]noise, len(pyr))
	for k, g := range pyr {
		own[k] = g.noise()
	}
	out := slices.Clone(own)
	for k := range out {
		for _, n := range own[k:min(k+1+grainy, len(own))] {
			for t := range n {
				out[k][t] = max(out[k][t], min(n[t], blots*own[k][t]))
			}
		}
	}
	return out
}

// noise estimates the variance of a picture's noise.
func (g *Gray) noise() (out noise) {
	var by [tones][]float64
	var all []float64
	for y := 1; y+tile < g.H; y += tile {
		for x := 1; x+tile < g.W; x += tile {
			var mean, square float64
			for j := y; j < y+tile; j++ {
				up, p, low := g.Pix[(j-1)*g.W:], g.Pix[j*g.W:], g.Pix[(j+1)*g.W:]
				for i := x; i < x+tile; i++ {
					v := 4*p[i] - 2*(p[i-1]+p[i+1]+up[i]+low[i]) + up[i-1] + up[i+1] + low[i-1] + low[i+1]
					mean += float64(p[i])
					square += float64(v * v)
				}
			}
			const n = tile * tile
			t := min(max(int(mean/n/256*tones), 0), tones-1)
			by[t] = append(by[t], square/n/36)
			all = append(all, square/n/36)
		}
	}
	return byTone(by, all, calmest, calmShare)
}

// byTone takes a quantile of the variances of each tone, of which it is such a share of the mean.
func byTone(by [tones][]float64, all []float64, quantile, share float64) (out noise) {
	calm := func(v []float64) float64 {
		slices.Sort(v)
		return v[int(quantile*float64(len(v)))] / share
	}
	if len(all) == 0 {
		return out
	}
	usual := calm(all)
	for t := range out {
		out[t] = math.NaN()
		if len(by[t]) >= fewest {
			out[t] = calm(by[t])
		}
	}
	// A tone that is hardly in the picture has the noise of the nearest one that is.
	was := out
	for t := range out {
		for d := 1; d < tones && math.IsNaN(out[t]); d++ {
			for _, near := range [2]int{t - d, t + d} {
				if near >= 0 && near < tones && !math.IsNaN(was[near]) {
					out[t] = was[near]
					break
				}
			}
		}
		if math.IsNaN(out[t]) {
			out[t] = usual
		}
	}
	return out
}

// What another frame shows under the right map differs from the reference by the noise of both, whatever texture there
// is; under a wrong one it differs by more. So the least difference over the first frames tells the noise better than
// the reference alone, in which fine texture is taken for noise and noise in blots for texture.

const (
	calibrates = 8  // frames at first by which the noise is told
	clearly    = .6 // mean correlation above which there is too little noise to care for
	middle     = .4 // quantile of the parts: something may pass in front of some
	middleIs   = .9 // and what share of the mean that is
	coarserHas = .6 // of the variance, where too few parts are left to tell
)

// difference is the variance of the noise by what the last look differs from the reference; ok is false where too
// little of it is seen.
func (p *patch) difference(w *work) (out noise, ok bool) {
	var by [tones][]float64
	var all []float64
	for y := 0; y+tile <= p.h; y += tile {
		for x := 0; x+tile <= p.w; x += tile {
			var sum, square, mean float64
			n := 0.
			for j := y; j < y+tile; j++ {
				for i := j*p.w + x; i < j*p.w+x+tile; i++ {
					if p.mask[i] == 0 || w.inside[i] == 0 {
						continue
					}
					d := float64((w.view[i] - w.mean[i]) - (p.raw[i] - p.means[i]))
					n, sum, square, mean = n+1, sum+d, square+d*d, mean+float64(p.raw[i])
				}
			}
			if n < tile*tile*3/4 {
				continue
			}
			v := (square/n - sum*sum/n/n) / 2
			t := min(max(int(mean/n/256*tones), 0), tones-1)
			by[t], all = append(by[t], v), append(all, v)
		}
	}
	if len(all) < fewest {
		return out, false
	}
	return byTone(by, all, middle, middleIs), true
}

// calibrated returns the reference with the noise that a frame differs from it by under m, where that is less than was
// thought by such differences before; nil where it is not.
func (t *Planar) calibrated(pyr pyramid, m geom.Map) *reference {
	if t.grain == nil {
		t.grain = make([]noise, len(t.ref.levels))
		for k := range t.grain {
			for i := range t.grain[k] {
				t.grain[k][i] = math.Inf(1)
			}
		}
	}
	less := false
	var last noise
	for k, p := range t.ref.levels {
		t.w.smear = geom.Point{}
		p.correlate(pyr, m, &t.w)
		n, ok := p.difference(&t.w)
		for i := range n {
			if !ok {
				n[i] = coarserHas * last[i]
			}
			if n[i] < .9*t.grain[k][i] {
				t.grain[k][i], less = n[i], true
			}
		}
		last = n
	}
	if !less {
		return nil
	}
	out := *t.ref
	out.levels = nil
	for k, p := range t.ref.levels {
		q, n := *p, t.grain[k]
		q.noise = &n
		q.weigh()
		out.levels = append(out.levels, &q)
	}
	return &out
}

package holdout

import (
	"math"

	"celator/core/cleanplate"
	"celator/core/geom"
)

// soften makes the soft matte of a mask. Deep inside it is 1 and well outside 0; in the
// band around its edge, wider along the foreground's motion, it is how far a sample's
// colour lies on the way from the surface, which is known, to the foreground nearby
// (Smith and Blinn, "Blue screen matting", SIGGRAPH 1996, with the foreground estimated
// as the mean of what is surely in front around).
//
// Long: one measurement over a band, whose parts share what is known of each sample.
func (f *Finder) soften(mask []uint8, move geom.Point, moved bool) []float32 {
	whole := make([]float32, f.W*f.H)
	first, last := len(mask), -1
	for i, m := range mask {
		whole[i] = float32(m)
		if m > 0 {
			first, last = min(first, i), i
		}
	}
	if last < 0 {
		return whole
	}
	k := 1 / float64(f.Bin)
	band := max(f.set.Edge*k, 1.5)
	bx, by := band, band
	if moved {
		bx, by = bx+.5*math.Abs(move.X)*k, by+.5*math.Abs(move.Y)*k
	}
	// The rows that anything can reach; what follows is about them.
	margin := int(3*by) + 4
	from, to := max(first/f.W-margin, 0), min(last/f.W+1+margin, f.H)
	off, n, h := from*f.W, (to-from)*f.W, to-from
	alpha, mask := whole[off:off+n], mask[off:off+n]
	// How much of the surroundings is in front: 1 deep inside, 0 well outside.
	deep := f.a[:n]
	copy(deep, alpha)
	boxes(deep, f.W, h, bx, by)
	// What the shutter makes of the mask's edge, where nothing better is known.
	expect := f.agree[:n]
	copy(expect, alpha)
	boxes(expect, f.W, h, .5+.5*(bx-band), .5+.5*(by-band))
	next := f.e[:n]
	copy(next, alpha)
	boxes(next, f.W, h, 2+.5*(bx-band), 2+.5*(by-band))
	// The foreground's colour from deep inside, and where there is none near, from
	// all that is inside.
	var fore [3][]float32
	weight, square := f.b[:n], f.join.num[:n]
	scratch := [3][]float32{f.cc[:n], f.d[:n], f.join.den[:n]}
	for i, m := range mask {
		w := float32(0)
		if m > 0 {
			w = 1e-4
			if deep[i] > .98 {
				w = 1
			} else if deep[i] > .8 {
				w = .01
			}
		}
		weight[i], square[i] = w, w*sqr(f.C[0][off+i]-128)
		for c := range fore {
			scratch[c][i] = w * (f.C[c][off+i] - 128)
		}
	}
	for _, v := range [][]float32{weight, square, scratch[0], scratch[1], scratch[2]} {
		boxes(v, f.W, h, 1.6*bx+1, 1.6*by+1)
	}
	fore = scratch
	var noise [3]float32
	for c, s := range f.plate.Noise {
		noise[c] = s * s
	}
	for i := range alpha {
		d := deep[i]
		if d <= .002 || d >= .998 {
			continue
		}
		if alpha[i] = expect[i]; f.laid.Sure[off+i] <= leastAgreeing || weight[i] <= 1e-7 {
			continue
		}
		var num, den, own float32
		k := 1 / weight[i]
		// The foreground is no even colour: a third of how uneven it is counts as noise.
		uneven := .35 * max(square[i]*k-sqr(fore[0][i]*k), 0)
		for c := range fore {
			s := f.gain[off+i] * (f.laid.Pix[c][off+i] - 128)
			if c == 0 {
				s = cleanplate.Black + f.lit(off+i) - 128
			}
			w := 1 / (noise[c] + uneven)
			uneven *= .2
			v, o := fore[c][i]*k-s, f.C[c][off+i]-128-s
			num += w * v * o
			den += w * v * v
			own += w * o * o
		}
		// Where both look alike what is expected stands, and where the sample's colour
		// does not lie between the two: there the foreground's is not that of around.
		doubt := 6 + 6*max(own-num*num/max(den, 1)-9, 0)
		v := min(max((num+doubt*expect[i])/(den+doubt), 0), 1)
		if next[i] <= 1e-6 { // further out than the shutter smears there is nothing
			v = 0
		}
		alpha[i] = v
	}
	for i, v := range alpha { // what is left of noise at both ends
		alpha[i] = min(max((v-.06)/.88, 0), 1)
	}
	return whole
}

package holdout

import (
	"math"

	"celator/core/cleanplate"
	"celator/core/geom"
)

// soften makes the soft matte of a mask. Deep inside it is 1 and well outside 0; in the
// band around its edge, wider along the foreground's motion, it is how far a sample's
// colour lies on the way from the surface, which is known, to the foreground nearby (see between).
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
	alpha := whole[off : off+n]
	// What the shutter makes of the mask's edge, where nothing better is known.
	expect := f.agree[:n]
	copy(expect, alpha)
	boxes(expect, f.W, h, .5+.5*(bx-band), .5+.5*(by-band))
	// How much of the surroundings is in front: 1 deep inside, 0 well outside. A shutter that is open for most of a
	// frame's time smears further than is expected.
	deep := f.a[:n]
	copy(deep, alpha)
	boxes(deep, f.W, h, .4*band+.7*(bx-band), .4*band+.7*(by-band))
	reach := int(2*max(bx, by)) + 2
	for i := range alpha {
		if deep[i] <= 1e-6 || deep[i] >= .999 {
			continue
		}
		if alpha[i] = expect[i]; f.laid.Sure[off+i] > leastAgreeing {
			alpha[i] = f.between(i, off, deep, expect[i], reach)
		}
	}
	for i, v := range alpha { // what is left of noise at both ends
		alpha[i] = min(max((v-.06)/.88, 0), 1)
	}
	joined(alpha, mask[off:off+n], f.W, h)
	return whole
}

// between is how far the colour of sample i lies on the way from the surface's to the foreground's. The foreground has
// many colours: what it has just inside, in the direction in which it lies, gives their mean and how far they are apart
// (its places as in Gastal and Oliveira, "Shared sampling for real-time alpha matting", Eurographics 2010; its model as
// in Chuang, Curless, Salesin and Szeliski, "A Bayesian approach to digital matting", CVPR 2001, but with the surface
// known). It is the mean of the coverages, as likely as the colour and what is expected make them. i and deep begin off
// samples into the frame.
func (f *Finder) between(i, off int, deep []float32, expect float32, reach int) float32 {
	w := f.W
	x, y, h := i%w, i/w, len(deep)/w
	at := func(x, y int) float32 { return deep[min(max(y, 0), h-1)*w+min(max(x, 0), w-1)] }
	gx, gy := at(x+2, y)-at(x-2, y), at(x, y+2)-at(x, y-2)
	g := sqrt(gx*gx + gy*gy)
	if g == 0 {
		return expect
	}
	gx, gy = gx/g, gy/g
	// The first place on the way inwards that is deep inside, or the deepest.
	var best float32
	fx, fy := float32(x), float32(y)
	for k := 1; k <= reach; k++ {
		px, py := float32(x)+gx*float32(k), float32(y)+gy*float32(k)
		if px < 0 || py < 0 || px > float32(w-1) || py > float32(h-1) {
			break
		}
		if d := at(int(px+.5), int(py+.5)); d > best {
			best, fx, fy = d, px, py
			if d > .97 {
				break
			}
		}
	}
	if best < .5 {
		return expect
	}
	o, nc := off+i, sqr(max(f.plate.Noise[1], f.plate.Noise[2]))
	var back, own [3]float32
	noise := [3]float32{sqr(f.deviation(o)), 2*nc + 1, 2*nc + 1} // of the surface, variances
	for c := range back {
		back[c] = f.gain[o] * (f.laid.Pix[c][o] - 128)
		if c == 0 {
			back[c] = cleanplate.Black + f.lit(o) - 128
		}
		own[c] = f.C[c][o] - 128 - back[c]
	}
	// The foreground's colours there: their mean and how far they are apart.
	var n float32
	var sum, sq [3]float32
	for _, s := range samplesInside {
		px, py := int(fx+gx*s[0]-gy*s[1]+.5), int(fy+gy*s[0]+gx*s[1]+.5)
		if px < 0 || py < 0 || px >= w || py >= h || deep[py*w+px] < .9*best {
			continue
		}
		q := off + py*w + px
		n++
		for c := range sum {
			v := f.C[c][q] - 128 - back[c]
			sum[c] += v
			sq[c] += v * v
		}
	}
	if n == 0 {
		return expect
	}
	var front, uneven [3]float32
	for c := range sum {
		front[c] = sum[c] / n
		uneven[c] = max(sq[c]/n-front[c]*front[c], 0) + 4
	}
	var all, mean float32
	for k := range 9 {
		a := float32(k) / 8
		off := sqr((a - expect) / (priorApart + priorRamp*expect*(1-expect)))
		for c := range own {
			v := noise[c] + a*a*uneven[c]
			off += sqr(own[c]-a*front[c])/v + ln(v)
		}
		p := float32(math.Exp(float64(-.5 * off)))
		all += p
		mean += p * a
	}
	if all < 1e-30 {
		return expect
	}
	return mean / all
}

// How far coverage may lie from what is expected: standard deviations where that is nothing or all, and times the
// product of both shares on the ramp between, where the mask may be some samples off.
const (
	priorApart = .08
	priorRamp  = 1.2
)

// samplesInside are places of the foreground that are looked at, further in and to the side, samples.
var samplesInside = [...][2]float32{{0, 0}, {1, 0}, {2.5, 0}, {5, 0}, {0, 2}, {0, -2}, {2, 4}, {2, -4}, {4, 8}, {4, -8}}

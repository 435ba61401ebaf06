package holdout

import (
	"celator/core/cleanplate"
	"celator/core/frame"
)

// dim is the log of how likely a sample is of the surface in a shadow or under a glint, which change its brightness
// as they like. y is its luma above black, b and r are its chroma about 0, ic is what a squared difference of chroma
// counts.
func (f *Finder) dim(i int, y, b, r, ic float32) float32 {
	py, pb, pr := f.laid.Pix[0][i]-cleanplate.Black, f.laid.Pix[1][i]-128, f.laid.Pix[2][i]-128
	g := f.gain[i]
	// The hue is the plate's, but paler or darker.
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
	if y > brighter*g*py { // or turned by light that is added, its own light between that of the place and of the whole
		b0, r0 := f.matrix.veiled(g*py, g*pb, g*pr, y)
		b1, r1 := f.matrix.veiled(f.light*py, f.light*pb, f.light*pr, y)
		db, dr := b1-b0, r1-r0
		at := min(max(((b-b0)*db+(r-r0)*dr)/(db*db+dr*dr+1e-3), 0), 1)
		dk = min(dk, (sqr(b-b0-at*db)+sqr(r-r0-at*dr))*ic)
	}
	dim := -.5*min(dk, 60) - ln(6.28*220/ic) - 4
	dim -= 6 * min(max((lightest*g*py-y)/((lightest-deepest)*g*py+1e-3), 0), 1)
	if t := f.agree[i]; t > 0 {
		dim += 7 * t
	} else {
		dim += 6 * t
	}
	return dim
}

// What shadows leave of a surface's luma, of its code. Ever rarer below the first, and no more so below the second: in
// linear light a sixth, as a clear sky leaves of the sun's, and a thirtieth.
const lightest, deepest = .45, .22

// brighter is how much brighter than its place would be a sample is for light to be taken as added to it: less than
// that noise does by itself, and it turns no hue.
const brighter = 1.05

// matrix is what red, green and blue are of luma.
type matrix struct{ r, g, b float32 }

func matrixOf(f frame.Format) matrix {
	r, b := f.Coefficients()
	return matrix{float32(r), float32(1 - r - b), float32(b)}
}

// veiled is the chroma of a colour, its luma above black, under light that is added to it until its luma is y. In
// linear light, for which squares are near enough here, what is added is the same for red, green and blue; what has
// reached white stays so, and the hue turns. In the dark squares are less near: where all is below a thirtieth of
// white's light the chroma is off by two levels typically, by more than six hardly ever.
func (m matrix) veiled(luma, b, r, y float32) (vb, vr float32) {
	const white, chroma = 219, 224
	luma, b, r, y = luma/white, 2*(1-m.b)*b/chroma, 2*(1-m.r)*r/chroma, min(y/white, 1)
	of := [3]float32{luma + r, luma - (m.b*b+m.r*r)/m.g, luma + b}
	for c, v := range of {
		of[c] = sqr(max(v, 0))
	}
	var red, blue, got float32
	lo, hi := float32(0), float32(1)
	for range 7 { // halvings: to a hundredth of white's light
		mid := (lo + hi) / 2
		red, blue = sqrt(min(of[0]+mid, 1)), sqrt(min(of[2]+mid, 1))
		got = m.r*red + m.g*sqrt(min(of[1]+mid, 1)) + m.b*blue
		if got < y {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (blue - got) / (2 - 2*m.b) * chroma, (red - got) / (2 - 2*m.r) * chroma
}

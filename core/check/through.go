// Package check tries to make out what covers hide.
package check

import (
	"image"
	"math"
	"slices"

	"celator/core/frame"
	"celator/core/raster"
)

// Through is what of a picture can be made out through what conceals it.
type Through struct {
	// Detail is the correlation, 0 to 1, of the concealed picture with the original in the
	// band of the original's strokes, or the one beside it, where it is clearest: what is
	// left of the form of letters, however weak, as far as it stands out against the
	// rounding of codes.
	Detail float64 `json:"detail"`
	// Stroke is about how wide the strokes are, px.
	Stroke float64 `json:"stroke"`
	// Readable says that forms of this detail can be read.
	Readable bool `json:"readable"`
}

// ReadableFrom is the detail from which lettering was read, by machine and by eye, in
// made-up plates and signs (see docs/benchmarks.md).
const ReadableFrom = .7

// finest is the sigma of the finest band: finer than that is noise.
const finest = 1.

// floor is what a broadcast leaves of a faint pattern: half of a code of 8 bit is lost in
// rounding and compression.
const floor = .6

// SeeThrough compares the concealed with the original picture (same format) where the
// matte, on luma samples, hides. Bands are differences of Gaussians (Marr and Hildreth,
// 1980), half an octave and more apart; the band of the strokes is the one in which the
// original has most contrast.
func SeeThrough(original, concealed *frame.Picture, matte frame.Plane) Through {
	r := matte.Rect
	w, h := r.Dx(), r.Dy()
	if w < 4 || h < 4 {
		return Through{}
	}
	unit := float32(int(1) << (original.Depth - 8))
	a, b := luma(original, r, unit), luma(concealed, r, unit)
	// Beyond the matte both show the same; only what is hidden counts, from its middle
	// value, so that its rim is no stroke.
	var mean [2]float64
	var all float64
	for i, m := range matte.Pix {
		mean[0] += float64(m * a[i])
		mean[1] += float64(m * b[i])
		all += float64(m)
	}
	if all < 16 {
		return Through{}
	}
	for i, m := range matte.Pix {
		a[i] = m * (a[i] - float32(mean[0]/all))
		b[i] = m * (b[i] - float32(mean[1]/all))
	}
	type band struct {
		sigma, energy float64
		x, y          []float32 // of the original and of the concealed
	}
	var bands []band
	most := 0
	pa, pb := blurred(a, w, h, finest), blurred(b, w, h, finest)
	for sigma := finest; sigma < float64(min(w, h))/4; sigma *= 1.5 {
		qa, qb := blurred(a, w, h, sigma*1.5), blurred(b, w, h, sigma*1.5)
		var energy float64
		for i, m := range matte.Pix {
			pa[i], pb[i] = pa[i]-qa[i], pb[i]-qb[i]
			energy += float64(m * pa[i] * pa[i])
		}
		bands = append(bands, band{sigma, energy, pa, pb})
		if energy > bands[most].energy {
			most = len(bands) - 1
		}
		pa, pb = qa, qb
	}
	if len(bands) == 0 || bands[most].energy < all*4 { // nothing there that could be read
		return Through{}
	}
	t := Through{Stroke: 2.2 * bands[most].sigma}
	for k := max(most-1, 0); k <= min(most+1, len(bands)-1); k++ {
		if v := &bands[k]; v.energy > .25*bands[most].energy {
			t.Detail = max(t.Detail, local(v.x, v.y, matte, floor/(1+v.sigma), 5*t.Stroke)) // means of many samples are surer
		}
	}
	t.Readable = t.Detail >= ReadableFrom
	return t
}

// local correlates two bands in windows of a letter's size and returns what the clearest
// seventh of the original's contrast has: a letter that lies bare is not made up for by
// others that do not.
func local(x, y []float32, matte frame.Plane, noise, reach float64) float64 {
	w, h := matte.Rect.Dx(), matte.Rect.Dy()
	reach = min(reach, float64(min(w, h))/2)
	xx, xy, yy := make([]float32, len(x)), make([]float32, len(x)), make([]float32, len(x))
	for i, m := range matte.Pix {
		xx[i], xy[i], yy[i] = m*x[i]*x[i], m*x[i]*y[i], m*(y[i]*y[i]+float32(noise*noise))
	}
	for _, v := range [][]float32{xx, xy, yy} {
		raster.BoxAcross(v, w, h, reach)
		raster.BoxDown(v, w, h, reach)
	}
	const steps = 200
	var share [steps + 1]float64
	var all float64
	for i, m := range matte.Pix {
		if m < .5 || xx[i] <= 0 {
			continue
		}
		d := min(max(float64(xy[i])/math.Sqrt(float64(xx[i])*float64(yy[i])+1e-9), 0), 1)
		share[int(d*steps+.5)] += float64(xx[i])
		all += float64(xx[i])
	}
	left := all / 7
	for k := steps; k >= 0; k-- {
		if left -= share[k]; left <= 0 {
			return float64(k) / steps
		}
	}
	return 0
}

func luma(p *frame.Picture, r image.Rectangle, unit float32) []float32 {
	v := p.Read(0, r).Pix
	for i := range v {
		v[i] /= unit
	}
	return v
}

func blurred(v []float32, w, h int, sigma float64) []float32 {
	out := slices.Clone(v)
	raster.Gauss(out, w, h, sigma, sigma)
	return out
}

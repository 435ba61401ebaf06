// Package check tries to make out what covers hide.
package check

import (
	"image"
	"math"
	"slices"

	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// Through is what of a picture can be made out through what conceals it.
type Through struct {
	// Detail is the correlation, 0 to 1, of the concealed picture with the original in the
	// band of the original's strokes, where it is clearest: what is left of the form of
	// letters, however weak, as far as it stands out against the rounding of codes.
	Detail float64 `json:"detail"`
	// Stroke is about how wide the strokes are, px.
	Stroke float64 `json:"stroke"`
	// Readable says that forms of this detail can be read.
	Readable bool `json:"readable"`
}

// ReadableFrom is the detail from which lettering was read, by machine or by templates of
// its letters, in made-up plates and signs (see docs/benchmarks.md).
const ReadableFrom = .6

// finestSigma is the sigma of the finestSigma band: finer than that is noise. widestStroke is how wide the
// strokes of a single line may be, of its height with what is around it.
const (
	finestSigma  = 1.
	widestStroke = .22
)

// roundingNoise is what rounding to codes of 8 bit adds, their standard deviation.
const roundingNoise = .3

// SeeThrough compares the concealed with the original picture (same format) where the
// matte, on luma samples, hides. Bands are differences of Gaussians (Marr and Hildreth,
// 1980), half an octave and more apart; the band of the strokes is the one in which the
// original has most contrast, or the finest of those that have about as much.
func SeeThrough(original, concealed *frame.Picture, matte frame.Plane) Through {
	r := matte.Rect
	w, h := r.Dx(), r.Dy()
	if w < 4 || h < 4 {
		return Through{}
	}
	unit := float32(int(1) << (original.Depth - 8))
	a, b, noise, by := luma(original, r, unit), luma(concealed, r, unit), roundingNoise, 1.
	for w, h = matte.Rect.Dx(), matte.Rect.Dy(); w*h > mostRead; w, h = w/2,
		h/2 { // what is as large is not read by its finest detail
		half := matte
		half.Rect = image.Rect(0, 0, w/2, h/2)
		half.Pix = halved(matte.Pix, w, h)
		a, b, matte, noise, by = halved(a, w, h), halved(b, w, h), half, noise/2, by*2
	}
	t := see(a, b, matte, noise)
	t.Stroke *= by
	return t
}

// mostRead are the samples of a picture that is read through.
const mostRead = 60_000

// halved takes the means of two by two samples.
func halved(v []float32, w, h int) []float32 {
	out := make([]float32, w/2*(h/2))
	for y := range h / 2 {
		p, q, dst := v[2*y*w:][:w], v[(2*y+1)*w:][:w], out[y*(w/2):][:w/2]
		for x := range dst {
			dst[x] = (p[2*x] + p[2*x+1] + q[2*x] + q[2*x+1]) / 4
		}
	}
	return out
}

// Hidden is where a live cover is meant to hide wholly: its outlines less what is held
// out, without what it grows and softens beyond them. How much the cover lets through
// does not matter.
func Hidden(l cover.Live, width, height int) frame.Plane {
	l.Transparency = 0
	full := raster.Matte(l, width, height)
	l.Grow, l.Soften, l.Holdouts = 0, geom.Point{}, nil
	whole := raster.Matte(l, width, height)
	for y := whole.Rect.Min.Y; y < whole.Rect.Max.Y; y++ {
		row := whole.Row(y)
		for i := range row {
			if at(full, whole.Rect.Min.X+i, y) < .98 {
				row[i] = 0
			}
		}
	}
	return whole
}

// see compares two pictures of luma, on the matte's rectangle, which it uses up; noise
// is what a broadcast adds to the second.
func see(a, b []float32, matte frame.Plane, noise float64) Through {
	w, h := matte.Rect.Dx(), matte.Rect.Dy()
	var all float64
	for _, m := range matte.Pix {
		all += float64(m)
	}
	if all < 16 {
		return Through{}
	}
	// Only what is hidden counts: means are taken over the matte alone (normalized
	// convolution; Knutsson and Westin, CVPR 1993), so that its rim is no stroke.
	for i, m := range matte.Pix {
		a[i], b[i] = m*a[i], m*b[i]
	}
	means := func(sigma float64) (x, y []float32) {
		x, y = blurred(a, w, h, sigma), blurred(b, w, h, sigma)
		for i, n := range blurred(matte.Pix, w, h, sigma) {
			if n > .02 {
				x[i], y[i] = x[i]/n, y[i]/n
			}
		}
		return x, y
	}
	short := min(float64(min(w, h)), 1.1*all/float64(max(w, h)))
	inner := within(matte, rimShare*short)
	type band struct {
		sigma, energy float64
		x, y          []float32 // of the original and of the concealed
	}
	var bands []band
	most := 0
	pa, pb := means(finestSigma)
	// What is as wide as a good part of the whole is no stroke of a letter, but a form.
	for sigma := finestSigma; sigma == finestSigma || 2.2*sigma <= widestStroke*short; sigma *= 1.5 {
		qa, qb := means(sigma * 1.5)
		var energy float64
		for i, m := range inner.Pix {
			pa[i], pb[i] = pa[i]-qa[i], pb[i]-qb[i]
			energy += float64(m * pa[i] * pa[i])
		}
		bands = append(bands, band{sigma, energy, pa, pb})
		if energy > bands[most].energy {
			most = len(bands) - 1
		}
		pa, pb = qa, qb
	}
	if bands[most].energy < all*2 { // nothing there that could be read
		return Through{}
	}
	// Of several kinds of form the finest is the lettering: groups of letters and panels
	// behind them are coarser, and nothing to read.
	for k := range most {
		if e := bands[k].energy; e >= .7*bands[most].energy && e >= bands[k+1].energy {
			most = k
			break
		}
	}
	t := Through{Stroke: 2.2 * bands[most].sigma}
	v := &bands[most]
	t.Detail = local(v.x, v.y, matte, noise/(1+v.sigma), 5*t.Stroke) // means of many samples are surer
	t.Readable = t.Detail >= ReadableFrom
	return t
}

// rimShare of the height of what is hidden is left out at its rim: frames and edges of
// plates and signs are no letters.
const rimShare = .14

// within is a matte less what lies near its rim.
func within(m frame.Plane, far float64) frame.Plane {
	sum := slices.Clone(m.Pix)
	w, h := m.Rect.Dx(), m.Rect.Dy()
	// Beyond the rectangle nothing is hidden.
	padded := image.Rect(0, 0, w+2*int(far+1), h+2*int(far+1))
	wide := frame.NewPlane(padded)
	for y := range h {
		copy(wide.Row(y + int(far+1))[int(far+1):], m.Pix[y*w:(y+1)*w])
	}
	filter.BoxAcross(wide.Pix, padded.Dx(), padded.Dy(), far)
	filter.BoxDown(wide.Pix, padded.Dx(), padded.Dy(), far)
	out := frame.Plane{Rect: m.Rect, Pix: sum}
	for y := range h {
		row := wide.Row(y + int(far+1))[int(far+1):]
		for x := range w {
			if row[x] < .97 {
				out.Pix[y*w+x] = 0
			}
		}
	}
	return out
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
		filter.BoxAcross(v, w, h, reach)
		filter.BoxDown(v, w, h, reach)
	}
	const steps = 200
	var share [steps + 1]float64
	var all float64
	for i, m := range matte.Pix {
		if m < .5 || xx[i] <= 0 {
			continue
		}
		d := min(max(float64(xy[i])/math.Sqrt(float64(xx[i])*float64(max(yy[i], 0))+1e-9), 0), 1)
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
	filter.Gauss(out, w, h, sigma, sigma)
	return out
}

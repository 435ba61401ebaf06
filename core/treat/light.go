package treat

import (
	"image"
	"math"
	"slices"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/filter"
	"celator/core/frame"
	"celator/core/geom"
)

// light is how a frame is lit against the clean plate: its luma above black is gain times the
// clean plate's and veil more, its chroma gain times, and off by a cast. 8 bit.
type light struct {
	gain, veil float32
	cast       [2]float32
}

const lightSamples = 5_000 // are enough to measure light

// lightOn measures it over all of the surface that agrees with the clean plate: what passes in
// front is left out as outliers (median, then least squares over what lies within three
// deviations, with a prior that little texture tells no veil).
func (g *CleanPlate) lightOn(p *frame.Picture, w geom.Warp) light {
	l := light{gain: 1}
	r, bin := g.plate.Part(w, p.Width, p.Height)
	if r.Empty() {
		return l
	}
	for r.Dx()/bin*(r.Dy()/bin) > lightSamples && bin < 64 {
		bin *= 2
		r.Min = image.Pt(r.Min.X/(2*bin)*(2*bin), r.Min.Y/(2*bin)*(2*bin))
	}
	var v cleanplate.View
	v.Sample(p, r, bin)
	var laid cleanplate.Laid
	laid.Lay(g.plate, w, &v)
	var at []int
	var ratios []float32
	for i, s := range laid.Sure {
		if s <= .4 {
			continue
		}
		at = append(at, i)
		if b := laid.Pix[0][i] - cleanplate.Black; b > 8 {
			ratios = append(ratios, (v.C[0][i]-cleanplate.Black)/b)
		}
	}
	if len(ratios) < 12 {
		return l
	}
	slices.Sort(ratios)
	g0 := min(max(ratios[len(ratios)/2], .05), 8)
	off := func(i int) float32 { return v.C[0][i] - cleanplate.Black - g0*(laid.Pix[0][i]-cleanplate.Black) }
	offs := make([]float32, len(at))
	for k, i := range at {
		offs[k] = abs(off(i))
	}
	slices.Sort(offs)
	limit := 3 * max(1.48*offs[len(offs)/2], 1)
	var n, sp, sy, spp, spy float64
	var cast, chroma [2]float64
	for _, i := range at {
		if abs(off(i)) > limit {
			continue
		}
		a, b := float64(v.C[0][i]-cleanplate.Black), float64(laid.Pix[0][i]-cleanplate.Black)
		n, sp, sy, spp, spy = n+1, sp+b, sy+a, spp+b*b, spy+a*b
		for c := range cast {
			cast[c] += float64(v.C[c+1][i] - 128)
			chroma[c] += float64(laid.Pix[c+1][i] - 128)
		}
	}
	if n < 12 {
		l.gain = g0
		return l
	}
	// (a - g b - v)² + prior: g is g0 give or take a tenth, v is 0 give or take two codes,
	// each as strong as a fiftieth of the samples.
	noise := float64(limit) / 3
	pg, pv := n/50*noise*noise/.01, n/50*noise*noise/4
	det := (spp+pg)*(n+pv) - sp*sp
	if det <= 0 {
		l.gain = g0
		return l
	}
	gain := ((spy+pg*float64(g0))*(n+pv) - sp*sy) / det
	veil := (sy - gain*sp) / (n + pv)
	l.gain, l.veil = float32(gain), float32(veil)
	for c := range cast {
		l.cast[c] = float32((cast[c] - gain*chroma[c]) / n)
	}
	return l
}

// lit returns the code of a plane for the clean plate's colour, in the frame's light and depth.
func (s *Site) lit(plane int, v float32) float32 {
	l := &s.light
	switch {
	case s.Matrix == frame.RGB:
	case plane == 0:
		v = cleanplate.Black + l.gain*(v-cleanplate.Black) + l.veil
	default:
		v = 128 + l.gain*(v-128) + l.cast[plane-1]
	}
	return v * s.unit
}

// finish gives laid samples the original's shape of light and the grain. What was laid
// from the clean plate has the clean plate's own shape already.
func (s *Site) finish(out frame.Plane, plane int, t cover.LiveTreatment, shaped bool) {
	if t.Shading > 0 {
		s.shade(out, plane, float32(t.Shading), shaped)
	}
	if t.Grain > 0 && s.CleanPlate != nil {
		s.CleanPlate.grain.add(out, plane, seedOf(s.Live.Frame), float32(t.Grain)*s.unit)
	}
}

// seedOf is another number for each moment; of a frame it is the frame.
func seedOf(t cover.Time) int {
	const second = 1 << 24 // beyond the frames of any shot
	if t.Second() {
		return t.Frame() + second
	}
	return t.Frame()
}

// shade multiplies by how much brighter than elsewhere the surface is lit at each place.
func (s *Site) shade(out frame.Plane, plane int, much float32, shaped bool) {
	shape := &s.shape[0]
	if shaped {
		shape = &s.shape[1]
	}
	if shape.Pix == nil {
		*shape = s.shapeOfLight(shaped)
	}
	none, _ := s.Levels(plane)
	sx, sy := s.Sub(plane)
	r := out.Rect
	for y := r.Min.Y; y < r.Max.Y; y++ {
		row := out.Row(y)
		from := shape.Row(min(y<<sy, shape.Rect.Max.Y-1))
		for x := range row {
			k := from[min((r.Min.X+x)<<sx, shape.Rect.Max.X-1)-shape.Rect.Min.X]
			row[x] = none + (row[x]-none)*(1+much*(k-1))
		}
	}
}

// shapeOfLight is, for each sample, how the light there differs from the mean. Where the
// clean plate is known it is the ratio of the frame to the clean plate as it is, both smoothed, so
// that the content cancels out; and, unless shaped, the clean plate's own shape without the
// content. Else it is the frame smoothed so widely that nothing can be read in it.
func (s *Site) shapeOfLight(shaped bool) frame.Plane {
	none, _ := s.Levels(0)
	r := s.was.Rect
	w, h := r.Dx(), r.Dy()
	num, den := frame.NewPlane(r), frame.NewPlane(r)
	base := frame.NewPlane(r)
	reach := max(.22*float64(min(w, h)), 6)
	if s.CleanPlate != nil {
		base = s.layPlate(s.CleanPlate.plate, 0, r)
		reach *= .5
	}
	for i, m := range s.Matte.Pix {
		num.Pix[i], den.Pix[i] = m*(s.was.Pix[i]-none), m
		if s.CleanPlate != nil {
			den.Pix[i] = m * max(base.Pix[i]-none, s.unit)
		}
	}
	for _, p := range []frame.Plane{num, den} {
		for range 3 {
			filter.BoxAcross(p.Pix, w, h, reach)
			filter.BoxDown(p.Pix, w, h, reach)
		}
	}
	if s.CleanPlate != nil && !shaped {
		base = s.layPlate(s.CleanPlate.clean, 0, r)
	}
	var sum, weight float32
	for i, d := range den.Pix {
		k := float32(1)
		if d > 1e-4 {
			k = num.Pix[i] / d
		}
		if s.CleanPlate != nil && !shaped {
			k *= max(base.Pix[i]-none, s.unit)
		}
		num.Pix[i] = k
		sum, weight = sum+k*s.Matte.Pix[i], weight+s.Matte.Pix[i]
	}
	norm := float32(1)
	if mean := sum / max(weight, 1e-6); mean > 1e-6 && !(s.CleanPlate != nil && shaped) {
		norm = 1 / mean
	}
	for i, k := range num.Pix {
		num.Pix[i] = min(max(k*norm, .1), 4)
	}
	return num
}

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

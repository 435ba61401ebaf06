package treat

import (
	"slices"

	"celator/core/cleanplate"
	"celator/core/filter"
)

// rim is the median colour in a ring around the hole.
func rim(p *cleanplate.Plate, hole []bool) (out [3]float32) {
	var v [3][]float32
	for i, near := range beside(hole, p.W, p.H, 6) {
		if s := &p.Pix[i]; near && s[5] > 0 {
			for c := range v {
				v[c] = append(v[c], s[c])
			}
		}
	}
	out = [3]float32{cleanplate.Black, 128, 128}
	for c := range v {
		if len(v[c]) > 0 {
			slices.Sort(v[c])
			out[c] = v[c][len(v[c])/2]
		}
	}
	return out
}

// beside marks the samples beside the hole.
func beside(hole []bool, w, h int, wide float64) []bool {
	near := make([]float32, len(hole))
	for i, in := range hole {
		if in {
			near[i] = 1
		}
	}
	filter.BoxAcross(near, w, h, wide)
	filter.BoxDown(near, w, h, wide)
	out := make([]bool, len(hole))
	for i, in := range hole {
		out[i] = !in && near[i] > 1e-4
	}
	return out
}

// Heal fills the hole of a plate, a mark for each of its samples, from its rim with the
// surface that has the least slope: Laplace's equation with the rim's colours as boundary,
// coarse to fine (Pérez, Gangnet and Blake,
// "Poisson image editing", SIGGRAPH 2003, without guidance; the start from Gortler et
// al., "The lumigraph", SIGGRAPH 1996). What was never seen is filled alike.
func Heal(p *cleanplate.Plate, hole []bool) *cleanplate.Plate {
	out := *p
	out.Pix = slices.Clone(p.Pix)
	w, h := p.W, p.H
	known := make([]float32, w*h)
	near := beside(hole, w, h, 4)
	var v [3][]float32
	for c := range v {
		v[c] = make([]float32, w*h)
	}
	for i := range known {
		if s := &p.Pix[i]; near[i] && s[5] > 0 {
			known[i] = 1
			for c := range v {
				v[c][i] = s[c]
			}
		}
	}
	if !slices.Contains(known, 1) { // nothing is around: no light, and no colour
		for i := range out.Pix {
			out.Pix[i] = cleanplate.Sample{cleanplate.Black, 128, 128, 0, 0, 1}
		}
		return &out
	}
	stray(known, &v, w, h)
	// The rim without its noise.
	weight := slices.Clone(known)
	smooth := func(q []float32) {
		filter.BoxAcross(q, w, h, 1.5)
		filter.BoxDown(q, w, h, 1.5)
	}
	smooth(weight)
	for c := range v {
		smooth(v[c])
		for i := range v[c] {
			if known[i] > 0 {
				v[c][i] /= weight[i]
			} else {
				v[c][i] = 0
			}
		}
		membrane(v[c], known, w, h)
	}
	for i := range out.Pix {
		if hole[i] {
			out.Pix[i] = cleanplate.Sample{v[0][i], v[1][i], v[2][i], 0, 0, 1}
		}
	}
	return &out
}

// stray makes unknown what stands out against most of the rim around it: a letter that
// an outline cuts through must not spread into the hole.
func stray(known []float32, v *[3][]float32, w, h int) {
	r := max(.3*float64(min(w, h)), 8)
	box := func(q []float32) {
		filter.BoxAcross(q, w, h, r)
		filter.BoxDown(q, w, h, r)
	}
	for range 2 {
		n := slices.Clone(known)
		box(n)
		for c := range v {
			mean, square := make([]float32, w*h), make([]float32, w*h)
			for i, x := range v[c] {
				mean[i], square[i] = known[i]*x, known[i]*x*x
			}
			box(mean)
			box(square)
			for i := range known {
				if known[i] == 0 || n[i] < 1e-3 {
					continue
				}
				m := mean[i] / n[i]
				if d := v[c][i] - m; d*d > 2.2*(square[i]/n[i]-m*m)+9 {
					known[i] = 0
				}
			}
		}
	}
	for c := range v {
		for i, k := range known {
			if k == 0 {
				v[c][i] = 0
			}
		}
	}
}

// membrane solves Laplace's equation where known is 0; v holds values where it is 1.
func membrane(v, known []float32, w, h int) {
	if w < 2 && h < 2 || !slices.Contains(known, 0) {
		return
	}
	cw, ch := (w+1)/2, (h+1)/2
	cv, ck := make([]float32, cw*ch), make([]float32, cw*ch)
	for y := range h {
		for x := range w {
			if i, c := y*w+x, y/2*cw+x/2; known[i] > 0 {
				cv[c] += v[i]
				ck[c]++
			}
		}
	}
	for c, k := range ck {
		if k > 0 {
			cv[c], ck[c] = cv[c]/k, 1
		}
	}
	membrane(cv, ck, cw, ch)
	var unknown []int32
	for y := range h {
		for x := range w {
			if i := y*w + x; known[i] == 0 {
				t := cleanplate.Tap(float64(x)*.5+.25, float64(y)*.5+.25, cw, ch)
				v[i] = t.Of(cv)
				unknown = append(unknown, int32(i))
			}
		}
	}
	const sweeps, over = 24, 1.6
	for range sweeps {
		for _, i32 := range unknown {
			i := int(i32)
			x, y := i%w, i/w
			var s, n float32
			if x > 0 {
				s, n = s+v[i-1], n+1
			}
			if x < w-1 {
				s, n = s+v[i+1], n+1
			}
			if y > 0 {
				s, n = s+v[i-w], n+1
			}
			if y < h-1 {
				s, n = s+v[i+w], n+1
			}
			v[i] += over * (s/n - v[i])
		}
	}
}

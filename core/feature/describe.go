package feature

import (
	"math"

	"celator/core/track"
)

const (
	cells      = 4 // of a description, each way
	directions = 8 // in each
	descriptor = cells * cells * directions
	// cellWide is how wide a cell is, in blurs of the feature, and most how much of a description one direction in one
	// cell may be: Lowe's.
	cellWide = 3.
	mostOf   = .2

	turnBins  = 36
	turnReach = 1.5 // blurs, of the window in which its direction is looked for
	alsoTurn  = .8  // of the highest, from which another direction counts as well
)

// gradient is how a level brightens at a sample; false at its rim.
func gradient(g *track.Gray, x, y int) (strength, turn float64, ok bool) {
	if x < 1 || y < 1 || x >= g.W-1 || y >= g.H-1 {
		return 0, 0, false
	}
	i := y*g.W + x
	dx, dy := float64(g.Pix[i+1]-g.Pix[i-1]), float64(g.Pix[i+g.W]-g.Pix[i-g.W])
	return math.Sqrt(dx*dx + dy*dy), math.Atan2(dy, dx), true
}

// bell is a Gaussian about a place, at the samples around it.
func bell(at float64, reach int, sigma float64) []float64 {
	out := make([]float64, 2*reach+1)
	for i := range out {
		d := (math.Round(at) + float64(i-reach) - at) / sigma
		out[i] = math.Exp(-d * d / 2)
	}
	return out
}

// turns are the directions in which a picture brightens around a place: the one that most of it does, and others that
// are nearly as strong.
func (o *octave) turns(e extremum) (out []float64) {
	g := o.levels[e.level]
	sigma := turnReach * e.sigma
	reach := int(math.Round(3 * sigma))
	var bins [turnBins]float64
	across, down := bell(e.x, reach, sigma), bell(e.y, reach, sigma)
	for j := -reach; j <= reach; j++ {
		for i := -reach; i <= reach; i++ {
			s, t, ok := gradient(g, int(math.Round(e.x))+i, int(math.Round(e.y))+j)
			if !ok {
				continue
			}
			b := int(math.Round(t/(2*math.Pi)*turnBins)+turnBins) % turnBins
			bins[b] += s * across[i+reach] * down[j+reach]
		}
	}
	for range 2 {
		was := bins
		for k := range bins {
			bins[k] = (was[(k+turnBins-1)%turnBins] + was[k] + was[(k+1)%turnBins]) / 3
		}
	}
	most := 0.
	for _, v := range bins {
		most = max(most, v)
	}
	for k, v := range bins {
		a, b := bins[(k+turnBins-1)%turnBins], bins[(k+1)%turnBins]
		if v > a && v >= b && v >= alsoTurn*most {
			out = append(out, (float64(k)+.5*(a-b)/(a-2*v+b))*2*math.Pi/turnBins)
		}
	}
	return out
}

// describe writes how the picture brightens around a place, in cells turned and sized with it. Its entries are square
// roots of shares (Arandjelović and Zisserman, "Three things everyone should know to improve object retrieval",
// CVPR 2012), so that two of them are compared by their product.
func (o *octave) describe(e extremum, turn float64, out *[descriptor]float32) {
	g := o.levels[e.level]
	wide := cellWide * e.sigma
	sin, cos := math.Sincos(turn)
	reach := int(wide*math.Sqrt2*(cells+1)/2 + .5)
	cx, cy := int(math.Round(e.x)), int(math.Round(e.y))
	across, down := bell(e.x, reach, wide*cells/2), bell(e.y, reach, wide*cells/2)
	var h [descriptor]float64
	for j := -reach; j <= reach; j++ {
		for i := -reach; i <= reach; i++ {
			u, v := (float64(cx+i)-e.x)/wide, (float64(cy+j)-e.y)/wide
			u, v = cos*u+sin*v, cos*v-sin*u
			p, q := u+cells/2-.5, v+cells/2-.5
			if p <= -1 || q <= -1 || p >= cells || q >= cells {
				continue
			}
			s, t, ok := gradient(g, cx+i, cy+j)
			if !ok {
				continue
			}
			share(&h, p, q, (t-turn)/(2*math.Pi)*directions, s*across[i+reach]*down[j+reach])
		}
	}
	norm := 0.
	for _, v := range h {
		norm += v * v
	}
	most, sum := mostOf*math.Sqrt(norm), 0.
	for k, v := range h {
		h[k] = min(v, most)
		sum += h[k]
	}
	for k, v := range h {
		out[k] = float32(math.Sqrt(v / max(sum, 1e-9)))
	}
}

// share enters a gradient into the cells and directions that it lies between.
func share(h *[descriptor]float64, p, q, d, s float64) {
	p0, q0, d0 := math.Floor(p), math.Floor(q), math.Floor(d)
	for j := range 2 {
		y := int(q0) + j
		if y < 0 || y >= cells {
			continue
		}
		sy := s * (1 - math.Abs(q-float64(y)))
		for i := range 2 {
			x := int(p0) + i
			if x < 0 || x >= cells {
				continue
			}
			sx := sy * (1 - math.Abs(p-float64(x)))
			for k := range 2 {
				n := (int(d0)%directions + directions + k) % directions
				h[(y*cells+x)*directions+n] += sx * (1 - math.Abs(d-d0-float64(k)))
			}
		}
	}
}

package treat

import (
	"math"
	"math/rand/v2"
	"slices"

	"celator/core/cleanplate"
	"celator/core/frame"
)

// grain is noise like the source's: its deviation by plane, 8 bit, and tiles of it whose
// neighbouring samples hang together as the source's do.
type grain struct {
	sd    [3]float32
	tiles [3][]float32 // of deviation 1
}

const tile = 256 // samples each way

// smoothed is how much stronger than by its neighbours alone grain may be that compression
// has smoothed.
const smoothed = 1.4

// measureGrain compares looks with the mean of all of them, sample by sample of the
// look, so that nothing is interpolated; edges, where a pose a little off shows, are left
// out. Deviations are robust (median of absolute differences). A single look is compared
// with its own surroundings instead.
func (s *Survey) measureGrain(p *cleanplate.Plate) *grain {
	g := &grain{}
	var rest [3][]float32
	var across [3]float64 // correlation of neighbours
	for c := range 3 {
		var products, squares float64
		for k := range s.kept {
			v := &s.kept[k].v
			diff := s.residual(p, k, c)
			for i, d := range diff {
				if d == missing {
					continue
				}
				rest[c] = append(rest[c], abs(d))
				if (i+1)%v.W != 0 && diff[i+1] != missing && abs(d) < 12 && abs(diff[i+1]) < 12 {
					products += float64(d * diff[i+1])
					squares += float64(d*d+diff[i+1]*diff[i+1]) / 2
				}
			}
		}
		if squares > 0 {
			across[c] = min(max(products/squares, 0), .6)
		}
		g.sd[c] = deviation(rest[c])
		if looks := float32(min(s.done, len(s.lives))); looks > 1 {
			g.sd[c] *= float32(math.Sqrt(float64(looks / (looks - 1))))
			// Where a cover was placed by hand, looks do not lie on one another, and that
			// is no grain: neither is what differs from its own neighbours by much less.
			var own []float32
			for k := range s.kept {
				for _, d := range laplacian(&s.kept[k].v, c) {
					if d != missing {
						own = append(own, abs(d))
					}
				}
			}
			if most := smoothed * deviation(own); most > 0 && g.sd[c] > most {
				g.sd[c], across[c] = most, min(across[c], .3)
			}
		}
	}
	rng := rand.New(rand.NewPCG(7, 11)) // always the same tiles
	for c := range g.tiles {
		g.tiles[c] = noise(rng, across[c])
	}
	return g
}

const missing = math.MaxFloat32

// residual is what a look differs from the plate, in the plate's light; missing where it
// is not known or near an edge.
func (s *Survey) residual(p *cleanplate.Plate, k, c int) []float32 {
	v := &s.kept[k].v
	out := make([]float32, v.W*v.H)
	if s.done < 2 {
		return laplacian(v, c)
	}
	var laid cleanplate.Laid
	laid.Lay(p, s.kept[k].w, v)
	// In the plate's light: the median ratio.
	gain := float32(1)
	if c == 0 {
		var ratios []float32
		for i := 0; i < len(out); i += 7 {
			if laid.Sure[i] > .5 && laid.Pix[0][i] > cleanplate.Black+8 {
				ratios = append(ratios, (v.C[0][i]-cleanplate.Black)/(laid.Pix[0][i]-cleanplate.Black))
			}
		}
		if len(ratios) > 0 {
			slices.Sort(ratios)
			gain = ratios[len(ratios)/2]
		}
	}
	none := float32(cleanplate.Black)
	if c > 0 {
		none = 128
	}
	for i := range out {
		out[i] = missing
		x := i % v.W
		if laid.Sure[i] < .6 || x == 0 || x == v.W-1 || i < v.W || i >= len(out)-v.W {
			continue
		}
		q := laid.Pix[c]
		if abs(q[i+1]-q[i-1])+abs(q[i+v.W]-q[i-v.W]) > 3 {
			continue
		}
		out[i] = v.C[c][i] - none - gain*(q[i]-none)
	}
	return out
}

// laplacian is what of a channel no plane explains, scaled so that white noise keeps its
// deviation (the mask [1 -2 1]ᵀ[1 -2 1] of Immerkær, CVIU 64(2), 1996), where the picture
// is not steep; missing elsewhere.
func laplacian(v *cleanplate.View, c int) []float32 {
	out := make([]float32, v.W*v.H)
	q, step := v.C[c], 1
	if c > 0 { // chroma lies on every other sample at the most
		step = 2
	}
	for i := range out {
		out[i] = missing
		x, y := i%v.W, i/v.W
		if x < 2*step || x >= v.W-2*step || y < 2*step || y >= v.H-2*step {
			continue
		}
		d := step * v.W
		if abs(q[i+2*step]-q[i-2*step])+abs(q[i+2*d]-q[i-2*d]) < 10 {
			out[i] = (q[i-d-step] + q[i-d+step] + q[i+d-step] + q[i+d+step] - 2*(q[i-step]+q[i+step]+q[i-d]+q[i+d]) + 4*q[i]) / 6
		}
	}
	return out
}

// deviation is robust: that of normal numbers with this median of absolute values.
func deviation(v []float32) float32 {
	if len(v) == 0 {
		return 0
	}
	slices.Sort(v)
	return 1.4826 * v[len(v)/2]
}

// noise is a tile of Gaussian noise of deviation 1 that wraps around; neighbours along
// rows and columns correlate as given: white noise through [a 1 a] both ways, which gives
// 2a/(1+2a²).
func noise(rng *rand.Rand, correlation float64) []float32 {
	a := 0.
	if correlation > .01 {
		a = (1 - math.Sqrt(max(1-2*correlation*correlation, 0))) / (2 * correlation)
	}
	white := make([]float32, tile*tile)
	for i := range white {
		white[i] = float32(rng.NormFloat64())
	}
	out := make([]float32, tile*tile)
	row := make([]float32, tile*tile)
	norm := float32(1 / (1 + 2*a*a))
	k := float32(a)
	for i := range white {
		x, y := i%tile, i/tile*tile
		row[i] = white[i] + k*(white[y+(x+1)%tile]+white[y+(x+tile-1)%tile])
	}
	for i := range row {
		out[i] = (row[i] + k*(row[(i+tile)%len(row)]+row[(i+len(row)-tile)%len(row)])) * norm
	}
	return out
}

// add lays the grain of a frame on samples: the tile at a place of its own for each frame.
func (g *grain) add(out frame.Plane, plane, f int, much float32) {
	k := g.sd[plane] * much
	if k <= 0 {
		return
	}
	h := uint32(f+1) * 2654435761
	h ^= h >> 15
	h *= 2246822519
	h ^= h >> 13
	dx, dy := int(h&(tile-1)), int(h>>8&(tile-1))
	from := g.tiles[plane]
	for y := out.Rect.Min.Y; y < out.Rect.Max.Y; y++ {
		line := from[((y+dy)&(tile-1))*tile:][:tile]
		for x, row := 0, out.Row(y); x < len(row); x++ {
			row[x] += k * line[(out.Rect.Min.X+x+dx)&(tile-1)]
		}
	}
}

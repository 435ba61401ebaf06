package track

import (
	"cmp"
	"math"
	"slices"

	"celator/core/geom"
)

// find looks for the surface under m moved by up to reach frame pixels across and
// down, and returns the best few maps (the reference's view moved), the best
// first: normalised cross-correlation of whole samples over the mask.
//
// Long: one search over scales, whose candidates are handed on from scale to scale.
func (p *patch) find(pyr pyramid, m geom.Map, reach geom.Point, most int) []geom.Map {
	c := geom.Pt(float64(p.w)/2, float64(p.h)/2)
	to := m.Mul(p.to)
	o := to.Apply(c)
	ax, ay := to.Apply(c.Add(geom.Pt(1, 0))).Sub(o), to.Apply(c.Add(geom.Pt(0, 1))).Sub(o)
	det := ax.Cross(ay)
	if math.Abs(det) < 1e-9 || !o.Finite() {
		return nil
	}
	// The reach in samples of the patch, whatever its turn.
	rx := int(math.Ceil((reach.X*math.Abs(ay.Y) + reach.Y*math.Abs(ay.X)) / math.Abs(det)))
	ry := int(math.Ceil((reach.X*math.Abs(ax.Y) + reach.Y*math.Abs(ax.X)) / math.Abs(det)))
	const widest = 420
	rx, ry = min(rx, widest), min(ry, widest)
	gw, gh := p.w+2*rx, p.h+2*ry
	k := pyr.level(math.Sqrt(math.Abs(det)))
	g, f := pyr[k], 1/float64(int(1)<<k)
	grid := make([]float32, gw*gh)
	outside := make([]float32, gw*gh)
	for y := range gh {
		for x := range gw {
			// Affine about the middle: far from it perspective means nothing.
			u, v := float64(x-rx)+.5-c.X, float64(y-ry)+.5-c.Y
			q := geom.Pt(o.X+ax.X*u+ay.X*v, o.Y+ax.Y*u+ay.Y*v)
			if q.X < 0 || q.Y < 0 || q.X > float64(pyr[0].W) || q.Y > float64(pyr[0].H) {
				outside[y*gw+x] = 1
			}
			grid[y*gw+x] = g.At(q.Mul(f))
		}
	}
	// The reference's samples less their mean, 0 outside the mask.
	var mean, power float32
	for _, i := range p.points {
		mean += p.raw[i]
	}
	mean /= float32(len(p.points))
	taps, mask := make([]float32, p.w*p.h), make([]float32, p.w*p.h)
	for _, i := range p.points {
		taps[i], mask[i] = p.raw[i]-mean, 1
		power += taps[i] * taps[i]
	}
	n := float64(len(p.points))
	score := make([]float32, (2*rx+1)*(2*ry+1))
	w := 2*rx + 1
	for dy := range 2*ry + 1 {
		for dx := range w {
			at := dy*gw + dx
			if outside[at+p.h/2*gw+p.w/2] > 0 {
				score[dy*w+dx] = -1
				continue
			}
			var st, sum, squares float64
			for y := range p.h {
				t, in, v := taps[y*p.w:][:p.w], mask[y*p.w:][:p.w], grid[at+y*gw:][:p.w]
				var a, b, c float32 // of a row: of all of a dim patch nothing would be left of its variance
				for x, v := range v {
					a += t[x] * v
					v *= in[x]
					b += v
					c += v * v
				}
				st, sum, squares = st+float64(a), sum+float64(b), squares+float64(c)
			}
			variance := max(squares-sum*sum/n, 0)
			score[dy*w+dx] = float32(st / (math.Sqrt(variance*float64(power)) + n))
		}
	}
	type peak struct {
		x, y int
		s    float32
	}
	var peaks []peak
	for y := range 2*ry + 1 {
		for x := range w {
			v := score[y*w+x]
			if v < .3 {
				continue
			}
			top := true
			for j := max(y-2, 0); j <= min(y+2, 2*ry) && top; j++ {
				for i := max(x-2, 0); i <= min(x+2, w-1); i++ {
					if score[j*w+i] > v {
						top = false
						break
					}
				}
			}
			if top {
				peaks = append(peaks, peak{x - rx, y - ry, v})
			}
		}
	}
	slices.SortStableFunc(peaks, func(a, b peak) int { return cmp.Compare(b.s, a.s) })
	var out []geom.Map
	for _, q := range peaks[:min(len(peaks), most)] {
		d := ax.Mul(float64(q.x)).Add(ay.Mul(float64(q.y)))
		out = append(out, geom.Translate(d).Mul(m))
	}
	return out
}

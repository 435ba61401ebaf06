package track

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// clothCells is how many cells the spline has each way: a fold needs two of them.
const clothCells = 6

// What is expected of a sheet, as deviations in shares of the surface's longest side: how far a control lies from
// halfway between its neighbours, how far from the plane, and from where it was on the frame before.
const (
	foldsBy  = .03
	bendsBy  = .3
	changeBy = .05
)

// sheet is what is expected of a surface that bends.
type sheet struct {
	box    geom.Rect
	still  *mat.SymDense // of the controls across, and of those down: what folds and displaces them costs
	change float64       // and what one costs that changes, for its square
}

func newSheet(quad []geom.Point) *sheet {
	b := geom.Bounds(quad)
	size := max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y)
	const n = clothCells + 3
	s := &sheet{box: b, still: mat.NewSymDense(n*n, nil), change: 1 / (changeBy * changeBy * size * size)}
	add := func(weight float64, at []int, by ...float64) {
		for a, i := range at {
			for b, j := range at {
				if j >= i {
					s.still.SetSym(i, j, s.still.At(i, j)+weight*by[a]*by[b])
				}
			}
		}
	}
	fold, bend := 1/(foldsBy*foldsBy*size*size), 1/(bendsBy*bendsBy*size*size)
	for y := range n {
		for x := range n {
			k := y*n + x
			add(bend, []int{k}, 1)
			if x > 0 && x+1 < n {
				add(fold, []int{k - 1, k, k + 1}, 1, -2, 1)
			}
			if y > 0 && y+1 < n {
				add(fold, []int{k - n, k, k + n}, 1, -2, 1)
			}
			if x+1 < n && y+1 < n {
				add(2*fold, []int{k, k + 1, k + n, k + n + 1}, 1, -1, -1, 1)
			}
		}
	}
	return s
}

// offsets are by how much a bend displaces the middle of each sample, in samples.
func (p *patch) offsets(b *geom.Bend) []geom.Point {
	off := make([]geom.Point, p.w*p.h)
	for y := range p.h {
		for x := range p.w {
			off[y*p.w+x] = b.At(p.to.Apply(geom.Pt(float64(x)+.5, float64(y)+.5))).Mul(p.scale)
		}
	}
	return off
}

// bending are the normal equations of a bend's controls: across first, then down.
type bending struct {
	bend          *geom.Bend // as it is
	h             *mat.SymDense
	rhs           []float64
	total, square float64 // of the samples' weights, and of their weighted squared errors
}

// flex is one Gauss-Newton step: it returns the bend that suits the frame better in which the surface lies under m, and
// before which it was bent otherwise.
func (p *patch) flex(pyr pyramid, m geom.Map, was *geom.Bend, lenient bool, s *sheet, w *work) *geom.Bend {
	p.correlate(pyr, m, w)
	n := 2 * len(w.bend.Net)
	e := bending{bend: w.bend, h: mat.NewSymDense(n, nil), rhs: make([]float64, n)}
	e.samples(p, lenient, w)
	if e.total < 12 {
		return w.bend
	}
	e.expect(s, was)
	var chol mat.Cholesky
	var step mat.VecDense
	if !chol.Factorize(e.h) || chol.SolveVecTo(&step, mat.NewVecDense(n, e.rhs)) != nil {
		return w.bend
	}
	w.loose = loose(&chol, w.bend)
	out := &geom.Bend{Box: w.bend.Box, Net: make([]geom.Point, n/2)}
	for i, q := range w.bend.Net {
		out.Net[i] = q.Add(geom.Pt(step.AtVec(i), step.AtVec(n/2+i)))
	}
	return out
}

// loosePlaces is on how many places each way it is told how well a bend is known.
const loosePlaces = 7

// loose is how well a bend is known when its normal equations are factorised so: the standard deviation of a place, px
// of the reference, in the mean over all.
func loose(chol *mat.Cholesky, b *geom.Bend) float64 {
	var cov mat.SymDense
	if chol.InverseTo(&cov) != nil {
		return math.Inf(1)
	}
	n, size := b.Cells()+3, len(b.Net)
	var sum float64
	for k := range loosePlaces * loosePlaces {
		u, v := (float64(k%loosePlaces)+.5)/loosePlaces, (float64(k/loosePlaces)+.5)/loosePlaces
		first, share := b.Weights(geom.Pt(b.Box.Min.X+u*(b.Box.Max.X-b.Box.Min.X), b.Box.Min.Y+v*(b.Box.Max.Y-b.Box.Min.Y)))
		for a, sa := range share {
			ka := first + a/4*n + a%4
			for c, sc := range share {
				kc := first + c/4*n + c%4
				sum += sa * sc * (cov.At(ka, kc) + cov.At(size+ka, size+kc))
			}
		}
	}
	return math.Sqrt(sum / (loosePlaces * loosePlaces))
}

// believes is how much each of the steep samples of the last look counts.
func (p *patch) believes(lenient bool, w *work) []float64 {
	weights := make([]float64, len(p.steep))
	var errs residuals
	for k, i := range p.steep {
		if w.inside[i] == 0 {
			continue
		}
		v := min(max(float64((w.agree[i]-doubted)/(agrees-doubted)), 0), 1)
		if lenient {
			v = .15 + .85*v
		} else {
			v *= v
		}
		weights[k] = v * float64(p.tells[i]*p.tells[i])
		errs.add(p.off(i, w), weights[k])
	}
	scale := errs.scale()
	for k, i := range p.steep {
		if r := p.off(i, w); lenient {
			weights[k] *= kept(r)
		} else {
			weights[k] *= believed(r, scale)
		}
	}
	return weights
}

// off is how far a sample of the last look is from the reference's.
func (p *patch) off(i int32, w *work) float64 {
	return float64((w.view[i]-w.mean[i])*w.inv[i] - p.norm[i])
}

// samples enters what the last look tells.
func (e *bending) samples(p *patch, lenient bool, w *work) {
	n, size := e.bend.Cells()+3, len(e.bend.Net)
	raw := e.h.RawSymmetric()
	for k, weight := range p.believes(lenient, w) {
		if weight < 1e-3 {
			continue
		}
		i := p.steep[k]
		r := p.off(i, w)
		e.total += weight
		e.square += weight * r * r
		first, share := e.bend.Weights(p.to.Apply(geom.Pt(float64(int(i)%p.w)+.5, float64(int(i)/p.w)+.5)))
		gx, gy := float64(p.gx[i])*p.scale, float64(p.gy[i])*p.scale
		xx, xy, yy := weight*gx*gx, weight*gx*gy, weight*gy*gy
		for a, sa := range share {
			ka := first + a/4*n + a%4
			e.rhs[ka] -= sa * weight * gx * r
			e.rhs[size+ka] -= sa * weight * gy * r
			across, down := raw.Data[ka*raw.Stride:], raw.Data[(size+ka)*raw.Stride:]
			for b, sb := range share {
				kb := first + b/4*n + b%4
				s := sa * sb
				across[size+kb] += s * xy
				if kb >= ka {
					across[kb] += s * xx
					down[size+kb] += s * yy
				}
			}
		}
	}
	// Neighbouring samples err alike: see align.
	told := 1 / (9 * underrated * max(e.square/max(e.total, 1e-9), stillNoise))
	for i := range e.rhs {
		e.rhs[i] *= told
		for j := i; j < len(e.rhs); j++ {
			raw.Data[i*raw.Stride+j] *= told
		}
	}
}

// expect enters what is expected of a sheet that was bent so on the frame before.
func (e *bending) expect(s *sheet, was *geom.Bend) {
	size := len(e.bend.Net)
	for i, q := range e.bend.Net {
		d := q.Sub(was.Net[i])
		for axis, v := range [2]float64{d.X, d.Y} {
			k := axis*size + i
			e.h.SetSym(k, k, e.h.At(k, k)+s.change)
			e.rhs[k] -= s.change * v
		}
		for j, q := range e.bend.Net {
			v := s.still.At(i, j)
			if v == 0 {
				continue
			}
			e.rhs[i] -= v * q.X
			e.rhs[size+i] -= v * q.Y
			if j >= i {
				e.h.SetSym(i, j, e.h.At(i, j)+v)
				e.h.SetSym(size+i, size+j, e.h.At(size+i, size+j)+v)
			}
		}
	}
}

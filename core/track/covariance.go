package track

import (
	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// information is what the samples tell of a model's free numbers. Slopes that are the reference's noise tell nothing,
// though they stand in the equations: they are taken out.
func (p *patch) information(a alignment, model Model, w *work) *mat.SymDense {
	if a.told == ([36]float64{}) {
		return nil
	}
	variance := 9 * underrated * max(a.noise, stillNoise)
	free := free(model.basis())
	_, k := free.Dims()
	all, noise := reduced(a.told, free), reduced(p.blind(w), free)
	for share := 1.; share > 1e-3; share *= .8 {
		sym := mat.NewSymDense(k, nil)
		for a := range k {
			for b := a; b < k; b++ {
				sym.SetSym(a, b, (all.At(a, b)-share*noise.At(a, b))/variance)
			}
			sym.SetSym(a, a, sym.At(a, a)*(1+1e-9)+1e-6)
		}
		var chol mat.Cholesky
		if chol.Factorize(sym) {
			return sym
		}
	}
	return nil
}

// corners is the covariance of the corners under m, px² of the frame, when so much is known of the model's numbers.
func (p *patch) corners(m geom.Map, info *mat.SymDense, model Model) *mat.SymDense {
	var chol mat.Cholesky
	if info == nil || !chol.Factorize(info) {
		return nil
	}
	free := free(model.basis())
	_, k := free.Dims()
	cov := mat.NewSymDense(k, nil)
	if chol.InverseTo(cov) != nil {
		return nil
	}
	// How the corners move with the map's free numbers.
	to := m.Mul(p.fromUnit())
	x, y := float64(p.w)/2/p.unit, float64(p.h)/2/p.unit
	move := mat.NewDense(8, 8, nil)
	for c, q := range [4]geom.Point{{X: -x, Y: -y}, {X: x, Y: -y}, {X: x, Y: y}, {X: -x, Y: y}} {
		o := to.Apply(q)
		const d = 1e-4
		ax, ay := to.Apply(q.Add(geom.Pt(d, 0))).Sub(o).Mul(1/d), to.Apply(q.Add(geom.Pt(0, d))).Sub(o).Mul(1/d)
		w := ways(q)
		for i := range 8 {
			move.Set(2*c, i, ax.X*w[0][i]+ay.X*w[1][i])
			move.Set(2*c+1, i, ax.Y*w[0][i]+ay.Y*w[1][i])
		}
	}
	var turn, part, corners mat.Dense
	turn.Mul(move, free)
	part.Mul(&turn, cov)
	corners.Mul(&part, turn.T())
	out := mat.NewSymDense(8, nil)
	for i := range 8 {
		for j := i; j < 8; j++ {
			out.SetSym(i, j, (corners.At(i, j)+corners.At(j, i))/2)
		}
	}
	return out
}

// free has a column for each way that a model leaves free.
func free(basis [][8]float64) *mat.Dense {
	out := mat.NewDense(8, len(basis), nil)
	for j, way := range basis {
		out.SetCol(j, way[:])
	}
	return out
}

// reduced is the normal matrix of the ways that a model leaves free.
func reduced(h [36]float64, free *mat.Dense) *mat.SymDense {
	full := mat.NewSymDense(8, nil)
	n := 0
	for a := range 8 {
		for b := a; b < 8; b++ {
			full.SetSym(a, b, h[n])
			n++
		}
	}
	var part, all mat.Dense
	part.Mul(full, free)
	all.Mul(free.T(), &part)
	_, k := free.Dims()
	out := mat.NewSymDense(k, nil)
	for a := range k {
		for b := a; b < k; b++ {
			out.SetSym(a, b, all.At(a, b))
		}
	}
	return out
}

// blind is what the reference's noise alone puts into the normal equations of the last look.
func (p *patch) blind(w *work) [36]float64 {
	var sums slopes
	inv := 1 / p.unit
	for _, idx := range p.steep {
		i := int(idx)
		weight := float64((w.agree[i] - doubted) / (agrees - doubted))
		if weight = min(max(weight, 0), 1); weight == 0 || w.inside[i] == 0 {
			continue
		}
		// A slope is half the difference of two samples.
		weight *= float64(p.tells[i]) * p.unit
		slope := float64(1-min(w.agree[i], p.tells[i])) / 2 * weight * weight
		u, v := (float64(i%p.w)+.5-float64(p.w)/2)*inv, (float64(i/p.w)+.5-float64(p.h)/2)*inv
		sums.add(slope, 1, 0, u, v, 0)
		sums.add(slope, 0, 1, u, v, 0)
	}
	return sums.equations().h
}

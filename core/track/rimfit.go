package track

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

const (
	rimAsked = .7  // px, deviation of the corners by the samples alone above which the outline is asked
	rimShows = .4  // share of the places in sight whose edge must lie where it should
	rimGood  = 1.5 // px of the frame up to which it does
	rimKnown = 3.  // px, deviation of the corners up to which a surface is placed
	rimWorse = 12. // squared deviations that the edges speak against the samples by, at least, to be believed
	rimLeap  = 24. // px that the outline alone may move a surface by
	// How much the form may change from frame to frame, px: less than where samples tell it, or the corner whose sides
	// are hidden wanders.
	rimForm, rimFormShare = .4, .002
)

// rimLooks are how the outline is looked for: how far, px, and within which deviations of where all of it says: what
// passes in front has edges too, farther off.
var rimLooks = []struct {
	reach int
	near  []float64
}{{14, []float64{2, 1.5}}, {6, []float64{2, 1.5}}, {5, []float64{1.5, 1.2}}}

// rimmed asks the outline where the samples tell too little, on surfaces of which they never told enough.
func (t *Planar) rimmed(f Frame, guess geom.Map, a alignment) alignment {
	found := a.share >= lostBelow && a.cov != nil
	if t.ref.rim == nil || t.point || t.surely >= accustomed || found && apart(a.cov) <= rimAsked {
		return a
	}
	fit := rimFit{t: t, f: f, expected: prior{m: guess, sigma: rimForm + rimFormShare*t.extent(guess)}}
	ok := false
	if found {
		fit.p, fit.samples = a.by, &a
		ok = fit.from(a.m)
	}
	if !ok {
		fit.p, fit.samples = t.ref.levels[t.finest(guess)], nil
		ok = fit.from(guess)
	}
	if !ok || fit.samples != nil && apart(a.cov) < rimKnown && fit.worse < rimWorse {
		return a
	}
	t.w.smear = geom.Point{}
	fit.p.correlate(f.pyr, fit.m, &t.w)
	b := fit.p.judge(fit.m, &t.w)
	b.by, b.info, b.cov, b.rim = fit.p, fit.info, fit.p.corners(fit.m, fit.info, t.model), fit.share
	if b.cov == nil || apart(b.cov) > rimKnown {
		return a
	}
	b.fit, b.noise = a.fit, a.noise
	return b
}

// rimFit finds a map by the outline, with what is known otherwise.
type rimFit struct {
	t        *Planar
	f        Frame
	p        *patch     // whose coordinates the numbers are in
	samples  *alignment // what the samples tell, or nil
	expected prior      // the form

	m     geom.Map
	share float64       // of the places in sight, those whose edge lies where it should
	worse float64       // by how much the edges' squared deviations are more where the samples alone are
	info  *mat.SymDense // of the model's free numbers, with all that is known
}

// from looks for the outline beginning at m, and reports whether it shows where it then is.
func (r *rimFit) from(m geom.Map) bool {
	t := r.t
	r.m = m
	middle := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	smear := t.speed(m).Mul(t.smear.shutter())
	for i, look := range rimLooks {
		lines := t.ref.rim.lines(r.f, r.m, look.reach, smear)
		if i == 0 && r.samples == nil {
			r.m = geom.Translate(shift(lines, look.reach)).Mul(r.m)
			lines = t.ref.rim.lines(r.f, r.m, look.reach, smear)
		}
		if lines == nil || !r.settle(lines, look.near, i == len(rimLooks)-1) {
			return false
		}
		if !t.plausible(r.m) || r.m.Apply(middle).Sub(m.Apply(middle)).Len() > rimLeap+.1*t.extent(m) {
			return false
		}
	}
	return r.share >= rimShows
}

// settle moves the map to where the lines' edges and all else that is known say: Gauss-Newton steps, in which an edge
// is looked for near where all say that it lies, and ever nearer.
func (r *rimFit) settle(lines []line, near []float64, last bool) bool {
	fromUnit := r.p.fromUnit()
	toUnit, err := fromUnit.Inverse()
	if err != nil {
		return false
	}
	basis := r.t.model.basis()
	free, k := free(basis), len(basis)
	known, pull, off := r.known(fromUnit, basis, free)
	unit := r.p.unit / r.p.scale
	rows := make([]*mat.VecDense, len(lines)) // by how much an edge moves out, px of the frame, with each number
	for i, l := range lines {
		var w [8]float64
		both := ways(toUnit.Apply(l.place.at))
		for j := range w {
			w[j] = (l.place.out.X*both[0][j] + l.place.out.Y*both[1][j]) * unit * l.step
		}
		rows[i] = mat.NewVecDense(k, nil)
		rows[i].MulVec(free.T(), mat.NewVecDense(8, w[:]))
	}
	x := mat.NewVecDense(k, nil)
	for n, deviation := range near {
		sum, rhs := mat.NewSymDense(k, nil), mat.NewVecDense(k, nil)
		sum.CopySym(known)
		rhs.CopyVec(pull)
		in := 0.
		r.worse = 0
		for i := range lines {
			if lines[i].covered { // it counts in the share: where much is covered the outline is not believed
				continue
			}
			at := mat.Dot(rows[i], x)
			s, variance, ok := lines[i].near(at, deviation, last && n == len(near)-1)
			if !ok {
				continue
			}
			d := s - at
			if math.Abs(d) < rimGood {
				in++
			}
			if off != nil {
				e := s + mat.Dot(rows[i], off)
				r.worse += (e*e - d*d) / variance
			}
			sum.SymRankOne(sum, 1/variance, rows[i])
			rhs.AddScaledVec(rhs, s/variance, rows[i])
		}
		r.share = in / float64(len(lines))
		for a := range k {
			sum.SetSym(a, a, sum.At(a, a)*(1+1e-9)+1e-6)
		}
		var chol mat.Cholesky
		if !chol.Factorize(sum) || chol.SolveVecTo(x, rhs) != nil {
			return false
		}
		r.info = sum
	}
	var d mat.VecDense
	d.MulVec(free, x)
	r.m = scaled(r.m.Mul(fromUnit.Mul(small([8]float64(d.RawVector().Data))).Mul(toUnit)))
	return true
}

// known is what is known at the map without the outline: the information of the model's numbers, and where it pulls
// them. off is how they differ from where the samples alone are; nil where there are none.
func (r *rimFit) known(fromUnit geom.Map, basis [][8]float64, free *mat.Dense) (info *mat.SymDense,
	pull, off *mat.VecDense,
) {
	var n normal
	r.expected.add(r.p, r.m.Mul(fromUnit), fromUnit, 1./9, &n)
	k := len(basis)
	info, pull = reduced(n.h, free), mat.NewVecDense(k, nil)
	pull.MulVec(free.T(), mat.NewVecDense(8, n.rhs[:]))
	pull.ScaleVec(-1, pull) // those numbers take the map back
	if r.samples == nil {
		return info, pull, nil
	}
	back, err := r.samples.m.Mul(fromUnit).Inverse()
	if err != nil {
		return info, pull, nil
	}
	d := scaled(back.Mul(r.m).Mul(fromUnit))
	numbers := [8]float64{d[0] - 1, d[1], d[2], d[3], d[4] - 1, d[5], d[6], d[7]}
	off = mat.NewVecDense(k, nil)
	for j, way := range basis {
		dot, square := 0., 0.
		for a, v := range way {
			dot, square = dot+v*numbers[a], square+v*v
		}
		off.SetVec(j, dot/square)
	}
	var told mat.VecDense
	told.MulVec(r.samples.info, off)
	info.AddSym(info, r.samples.info)
	pull.SubVec(pull, &told)
	return info, pull, off
}

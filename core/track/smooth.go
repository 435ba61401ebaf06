package track

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// A surface that is half hidden is known by half: where its hidden corners are the samples hardly tell, but its motion
// on the frames around does. Smooth joins both over a whole way: the corners' most likely places, given what each
// frame measured with its covariance, and that speeds change little from frame to frame (the fixed-interval smoother
// of Rauch, Tung and Striebel, "Maximum likelihood estimates of linear dynamic systems", AIAA 3(8), 1965, here as one
// banded least-squares problem; robust by weights of Student's distribution on both, as in Aravkin et al.,
// "Generalized Kalman smoothing", Automatica 86, 2017).

// Step is a surface on one of several frames that follow each other.
type Step struct {
	Pose
	Cov *mat.SymDense // as Planar.Cov; nil where it was not found
}

const (
	freedom  = 4.   // of Student's distribution: the fewer, the less an outlier tells
	rounds   = 8    // in which the weights settle
	jolted   = 2    // rounds before a jolt is believed: first one frame is taken to err, then three changes of speed
	surest   = .05  // px: no measured corner is taken to be known better
	anchored = .002 // px: but one that was given
)

// ways of a surface's motion that change their speed differently: where it is, how large and turned, how slanted.
const (
	place = iota
	form
	slant
	groups
)

// groupOf are orthonormal directions of the eight coordinates of four corners, by group: a box at x, y is
// (-1,-1), (1,-1), (1,1), (-1,1).
var directions = func() (out [8]struct {
	v     [8]float64
	group int
},
) {
	patterns := [4][4]float64{{1, 1, 1, 1}, {-1, 1, 1, -1}, {-1, -1, 1, 1}, {1, -1, 1, -1}}
	for k, p := range patterns {
		for axis := range 2 {
			d := &out[2*k+axis]
			d.group = [4]int{place, form, form, slant}[k]
			for c, s := range p {
				d.v[2*c+axis] = s / 2
			}
		}
	}
	return out
}()

// expected is how much a corner's speed may change from one frame to the next where too few frames tell, px; and what
// it may change at least.
var expected, calmestMotion = [groups]float64{3, .6, .3}, [groups]float64{.7, .15, .08}

// Smooth returns where the surface most likely was on each step. quad are the corners that the covariances are of, in
// the coordinates that the maps are from. What is surely found stays as it is, and so do steps at the end which
// nothing tells of.
func Smooth(steps []Step, quad [4]geom.Point, model Model) []geom.Map {
	out := make([]geom.Map, len(steps))
	n := 0 // steps up to the last that was measured
	for i, s := range steps {
		out[i] = s.Map
		if s.Cov != nil {
			n = i + 1
		}
	}
	if n < 3 {
		return out
	}
	at, weight := make([][8]float64, n), make([]*mat.SymDense, n)
	for i := range at {
		at[i] = cornersOf(steps[i].Map, quad)
		weight[i] = informationOf(steps[i])
	}
	speeds := changes(steps[:n], at)
	x, ok := settle(at, weight, speeds)
	if !ok {
		return out
	}
	for i := range n {
		if s := steps[i].State; s == Good || s == Anchor {
			continue
		}
		if m, ok := mapOf(x[i], quad, model); ok {
			out[i] = m
		}
	}
	return out
}

func cornersOf(m geom.Map, quad [4]geom.Point) (v [8]float64) {
	for c, q := range quad {
		p := m.Apply(q)
		v[2*c], v[2*c+1] = p.X, p.Y
	}
	return v
}

// mapOf is the map of a model that takes the corners nearest to where they are.
func mapOf(v [8]float64, quad [4]geom.Point, model Model) (geom.Map, bool) {
	var to [4]geom.Point
	for c := range to {
		to[c] = geom.Pt(v[2*c], v[2*c+1])
	}
	if model == Perspective || model == Cloth {
		m, err := geom.QuadToQuad(quad, to)
		return m, err == nil
	}
	return Fit(quad[:], to[:], model), true
}

// informationOf is the inverse of a step's covariance, or nil.
func informationOf(s Step) *mat.SymDense {
	least := surest
	switch {
	case s.State == Anchor:
		least = anchored
	case s.Cov == nil:
		return nil
	}
	sum := mat.NewSymDense(8, nil)
	if s.Cov != nil {
		sum.CopySym(s.Cov)
	}
	for i := range 8 {
		sum.SetSym(i, i, sum.At(i, i)+least*least)
	}
	var chol mat.Cholesky
	if !chol.Factorize(sum) {
		return nil
	}
	inv := mat.NewSymDense(8, nil)
	if chol.InverseTo(inv) != nil {
		return nil
	}
	return inv
}

// second is how much the speed changes at a step, along a direction.
func second(a, b, c *[8]float64, d *[8]float64) (v float64) {
	for i, w := range d {
		v += w * (a[i] - 2*b[i] + c[i])
	}
	return v
}

// changes finds by how much speeds change, by group, where three steps in a row are sure or, where too few are, were
// measured: their median, for a jolt is no rule, less what the measurements err by.
func changes(steps []Step, at [][8]float64) (out [groups]float64) {
	sure := func(s *Step) bool { return s.State == Good || s.State == Anchor }
	measured := func(s *Step) bool { return sure(s) || s.Cov != nil }
	for g := range out {
		out[g] = expected[g]
	}
	for _, known := range []func(*Step) bool{sure, measured} {
		var all, errs [groups][]float64
		for i := 1; i+1 < len(at); i++ {
			if !known(&steps[i-1]) || !known(&steps[i]) || !known(&steps[i+1]) {
				continue
			}
			for k := range directions {
				d := &directions[k]
				all[d.group] = append(all[d.group], math.Abs(second(&at[i-1], &at[i], &at[i+1], &d.v)))
				v := mat.NewVecDense(8, d.v[:])
				err := 0.
				for j, times := range [3]float64{1, 4, 1} {
					if cov := steps[i-1+j].Cov; cov != nil {
						err += times * mat.Inner(v, cov, v)
					}
				}
				errs[d.group] = append(errs[d.group], err)
			}
		}
		if len(all[form]) < 16 {
			continue
		}
		for g, v := range all {
			slices.Sort(v)
			slices.Sort(errs[g])
			change := v[len(v)/2] / .6745
			out[g] = max(math.Sqrt(max(change*change-errs[g][len(v)/2], 0)), calmestMotion[g])
		}
		break
	}
	return out
}

// settle solves for the corners.
func settle(at [][8]float64, weight []*mat.SymDense, speeds [groups]float64) ([][8]float64, bool) {
	const band = 3*8 - 1
	n := len(at)
	x := slices.Clone(at)
	trust, calm := make([]float64, n), make([][8]float64, n)
	for i := range n {
		trust[i] = 1
		for k := range calm[i] {
			calm[i][k] = 1
		}
	}
	for round := range rounds {
		h := mat.NewSymBandDense(8*n, band, nil)
		rhs := mat.NewVecDense(8*n, nil)
		add := func(i, j int, v float64) {
			if j >= i {
				h.SetSymBand(i, j, h.At(i, j)+v)
			}
		}
		for i, w := range weight {
			if w == nil {
				continue
			}
			for a := range 8 {
				var r float64
				for b := range 8 {
					r += w.At(a, b) * at[i][b]
					add(8*i+a, 8*i+b, trust[i]*w.At(a, b))
				}
				rhs.SetVec(8*i+a, rhs.AtVec(8*i+a)+trust[i]*r)
			}
		}
		for i := 1; i+1 < n; i++ {
			for k := range directions {
				d := &directions[k]
				q := calm[i][k] / (speeds[d.group] * speeds[d.group])
				for s, u := range [3]float64{1, -2, 1} {
					for t, v := range [3]float64{1, -2, 1} {
						for a := k % 2; a < 8; a += 2 {
							for b := k % 2; b < 8; b += 2 {
								add(8*(i-1+s)+a, 8*(i-1+t)+b, q*u*v*d.v[a]*d.v[b])
							}
						}
					}
				}
			}
		}
		var chol mat.BandCholesky
		var sol mat.VecDense
		if !chol.Factorize(h) || chol.SolveVecTo(&sol, rhs) != nil {
			return nil, false
		}
		for i := range x {
			for a := range 8 {
				x[i][a] = sol.AtVec(8*i + a)
			}
		}
		if round == rounds-1 {
			break
		}
		for i, w := range weight {
			if w == nil {
				continue
			}
			var off mat.VecDense
			off.SubVec(mat.NewVecDense(8, x[i][:]), mat.NewVecDense(8, at[i][:]))
			trust[i] = min(1, (freedom+8)/(freedom+mat.Inner(&off, w, &off)))
		}
		for i := 1; i+1 < n && round >= jolted; i++ {
			for k := range directions {
				d := &directions[k]
				v := second(&x[i-1], &x[i], &x[i+1], &d.v) / speeds[d.group]
				calm[i][k] = min(1, (freedom+1)/(freedom+v*v))
			}
		}
	}
	return x, true
}

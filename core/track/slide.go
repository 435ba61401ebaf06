package track

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"celator/core/geom"
)

// Where a surface's texture tells little about one way of moving, its slopes along that way are mostly noise, and noise
// in what a step is computed from makes it too short (the attenuation of errors in variables: Fuller, "Measurement
// Error Models", 1987, 1.1). The steps then end before the best place is reached, and a little of the way is lost on
// every frame. Such a way is searched by what is to be found itself, how well the surface agrees, which no slope enters
// (a pattern search: Hooke and Jeeves, "Direct search", JACM 8(2), 1961).

const (
	slidesFrom = .2   // standard deviation of the corners, px, above which a way is searched
	slideWays  = 3    // ways that are searched, those that are known the least
	firstSlide = 1.   // px that the corners are moved by at first, in the mean
	lastSlide  = .2   // and at last
	mostSlides = 12   // places that are looked at along a way
	slideSide  = 28   // samples on the shorter side that a surface has at least where it is looked at
	slideReach = 3    // deviations of a way, beyond which its covariance says that the surface is not
	slideGain  = 5e-4 // of the mean correlation that is worth a move
)

// slide moves a map along the ways in which the corners are known the least, given by their covariance, while the
// surface agrees better. quad are those corners on the reference.
func (p *patch) slide(pyr pyramid, m geom.Map, cov *mat.SymDense, quad [4]geom.Point, model Model, w *work) geom.Map {
	var eigen mat.EigenSym
	if cov == nil || !eigen.Factorize(cov, true) {
		return m
	}
	var vectors mat.Dense
	eigen.VectorsTo(&vectors)
	variance := eigen.Values(nil) // in ascending order
	// What passes in front is not to be suited: the places that agree now are those that count.
	p.correlate(pyr, m, w)
	var places []int32
	for _, i := range p.points {
		if p.weight[i] > 0 && w.inside[i] > 0 && w.agree[i] > agreesClosely {
			places = append(places, i)
		}
	}
	agreement := func() (v float64) {
		var n float64
		for _, i := range places {
			v += float64(p.weight[i] * w.inside[i] * w.agree[i])
			n += float64(p.weight[i])
		}
		return v / max(n, 1e-9)
	}
	best, most := m, agreement()
	for k := 7; k > 7-slideWays; k-- {
		if math.Sqrt(variance[k]) < slidesFrom {
			break
		}
		moved := func(far float64) (geom.Map, bool) {
			v := cornersOf(best, quad)
			for i := range v {
				v[i] += 2 * far * vectors.At(i, k) // of length 1 over four corners
			}
			return mapOf(v, quad, model)
		}
		reach := slideReach * math.Sqrt(variance[k]) / 2
		step, gone, n := firstSlide, 0., 0
		for step > lastSlide && n < mostSlides {
			better := false
			for _, way := range [2]float64{1, -1} {
				to, ok := moved(way * step)
				if n++; !ok || math.Abs(gone+way*step) > reach {
					continue
				}
				p.correlate(pyr, to, w)
				if v := agreement(); v > most+slideGain {
					best, most, better = to, v, true
					gone += way * step
					break
				}
			}
			if better {
				step *= 1.5
			} else {
				step /= 2
			}
		}
	}
	return best
}

package track

import "math"

// What passes in front, a glint, and what has changed are no noise: they err by as much as they like, and the steepest
// of them, the rim of what passes, pulls hardest where the surface itself tells least. Far from the place the error of
// a sample says little and all must pull, if weakly (Huber's weights); near it those that err by far more than most
// are left out (Geman and McClure's weights, with a scale that follows the median as the map improves: Odobez and
// Bouthemy, "Robust multiresolution estimation of parametric motion models", JVCIR 6(4), 1995). Errors are in units
// of the local contrast.

const (
	huber = .7 // where Huber's weights begin to fall
	// A normal error's deviation is 1.5 medians of its size: at strayFrom medians, somewhat over two deviations, a
	// sample counts a quarter.
	strayFrom = 3.5
	// leastScale keeps samples in that differ by how they were coded and read from a grid, not by what they show.
	leastScale = .1
	// underrated is by how much the weighted squares underrate the variance of a place found with these weights, where
	// errors are normal: E[psi^2]/E[psi']^2 (Huber, "Robust Statistics", 1981, 3.2) over what they make of it.
	underrated = 1.44
)

// kept is Huber's weight.
func kept(r float64) float64 { return min(1, huber/max(math.Abs(r), 1e-9)) }

// believed is Geman and McClure's weight.
func believed(r, scale float64) float64 {
	q := 1 / (1 + r*r/(scale*scale))
	return q * q
}

// residuals counts how large the samples' errors are.
type residuals struct {
	bins  [64]float64
	total float64
}

const binsToOne = 40 // of the size of an error; the last takes the rest

func (e *residuals) add(r, weight float64) {
	e.bins[min(int(math.Abs(r)*binsToOne), len(e.bins)-1)] += weight
	e.total += weight
}

// scale is that of the weights, by the median.
func (e *residuals) scale() float64 {
	sum := 0.
	for i, b := range e.bins {
		if sum += b; sum >= e.total/2 {
			return max(strayFrom*(float64(i)+.5)/binsToOne, leastScale)
		}
	}
	return leastScale
}

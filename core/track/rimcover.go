package track

import (
	"math"
	"slices"
)

const (
	coverFits  = 6    // times the light is fitted anew: by then it stands still
	coverOff   = 3.   // deviations of the lines from the light, from which on something passes
	coverLeast = 3.   // codes, of such a deviation at least: the surface may shine unevenly
	coverEven  = 400. // square codes: what differs by less on the reference does not tell how contrast has changed
)

// markCovered marks the lines on whose inner side something else than the surface shows. Light changes all of the
// surface alike, by a factor and a part that is added; where a line is lighter or darker than that, something passes,
// and its edges are not the surface's. The fit is robust, for three tenths of the lines may be so: weighted least
// squares with the weights of Geman and McClure ("Statistical methods for tomographic image reconstruction", 1987).
func markCovered(lines []line, sigma float64) {
	n := len(lines)
	mean := 0.
	for i := range lines {
		mean += lines[i].was / float64(n)
	}
	off, sizes := make([]float64, n), make([]float64, n)
	for i, l := range lines {
		sizes[i] = l.is - l.was
	}
	slices.Sort(sizes)
	gain, added, scale := 1., sizes[n/2], 0.
	for range coverFits {
		for i, l := range lines {
			off[i] = l.is - mean - added - gain*(l.was-mean)
			sizes[i] = math.Abs(off[i])
		}
		slices.Sort(sizes)
		scale = max(1.5*sizes[n/2], sigma/2, coverLeast) // the mean of six samples that err alike
		s, sx, sy, sxx, sxy := 0., 0., 0., coverEven, coverEven
		for i, l := range lines {
			u := off[i] / scale
			w := 1 / ((1 + u*u) * (1 + u*u))
			x, y := l.was-mean, l.is-mean
			s, sx, sy, sxx, sxy = s+w, sx+w*x, sy+w*y, sxx+w*x*x, sxy+w*x*y
		}
		d := s*sxx - sx*sx
		gain, added = (s*sxy-sx*sy)/d, (sxx*sy-sx*sxy)/d
	}
	for i := range lines {
		lines[i].covered = math.Abs(off[i]) > coverOff*scale
	}
}

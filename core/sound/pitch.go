package sound

import "slices"

// A voice is looked at every hop; its pitch lies between lowest and highest.
const (
	hop     = .005 // s
	lowest  = 60.  // Hz
	highest = 500.
	coarse  = 8000 // samples a second that tell a pitch
)

// pitches are the fundamentals of a mono sound at every hop, Hz, 0 where it is not voiced: YIN
// (de Cheveigné and Kawahara, "YIN, a fundamental frequency estimator for speech and music",
// JASA 111, 2002), with a median over five hops.
func pitches(mono []float64, rate int) []float64 {
	every := max(rate/coarse, 1)
	low := make([]float64, len(mono)/every)
	for i := range low { // a mean is low-pass enough to tell a voice
		for _, v := range mono[i*every : (i+1)*every] {
			low[i] += v
		}
		low[i] /= float64(every)
	}
	r := float64(rate) / float64(every)
	n := int(float64(len(mono)) / float64(rate) / hop)
	raw := make([]float64, n)
	for k := range raw {
		raw[k] = yin(low, int(float64(k)*hop*r), r)
	}
	out := make([]float64, n)
	var near []float64
	for k := range out {
		near = append(near[:0], raw[max(k-2, 0):min(k+3, n)]...)
		slices.Sort(near)
		out[k] = near[len(near)/2]
	}
	return out
}

// yin is the fundamental around a sample, 0 where there is none.
func yin(x []float64, at int, rate float64) float64 {
	const (
		window = .025 // s
		clear  = .12  // of the normalised difference: the first dip below is the period
		voiced = .3   // the best dip above is no period
		silent = 1e-7 // of the mean square, -70 dB
	)
	w, shortest := int(window*rate), max(int(rate/highest), 2)
	longest := max(int(rate/lowest), shortest)
	a := at - (w+longest)/2
	if a < 0 || a+w+longest+1 >= len(x) {
		return 0
	}
	if energy(x[a:a+w+longest]) < silent*float64(w+longest) {
		return 0
	}
	d := make([]float64, longest+2)
	var sum float64
	for lag := 1; lag < len(d); lag++ {
		var e float64
		p, q := x[a:a+w], x[a+lag:a+lag+w]
		for i, v := range p {
			e += (v - q[i]) * (v - q[i])
		}
		sum += e
		d[lag] = 1
		if sum > 0 {
			d[lag] = e * float64(lag) / sum
		}
	}
	best := -1
	for lag := shortest; lag <= longest; lag++ {
		if best < 0 || d[lag] < d[best] {
			best = lag
		}
		if d[lag] < clear && d[lag+1] >= d[lag] {
			best = lag
			break
		}
	}
	if d[best] > voiced {
		return 0
	}
	// The dip's place between samples: a parabola through three.
	if l, m, h := d[best-1], d[best], d[best+1]; l+h-2*m > 0 {
		return rate / (float64(best) + .5*(l-h)/(l+h-2*m))
	}
	return rate / float64(best)
}

func energy(v []float64) (sum float64) {
	for _, x := range v {
		sum += x * x
	}
	return sum
}

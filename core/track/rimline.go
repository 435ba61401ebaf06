package track

import (
	"math"
	"slices"

	"celator/core/geom"
)

const (
	rimWithin = 6   // px within the reach on which the surface must show
	rimBeyond = 6   // px beyond it
	rimLeft   = 4   // of them, that are surely beyond
	rimMixed  = 1.5 // px on either side of an edge in which both sides mix
	rimStart  = 3   // px within, up to which the inside is believed to show
	rimLevel  = 2.  // codes that the inside differs by at least
	rimTemper = 3.  // samples that err alike, neighbours do: they tell as one
	rimWild   = 8.  // of the logarithm, that a sample costs at most
	rimElse   = .01 // of the likeliest place: that something else is seen
	rimTells  = .1  // of what is known, that a line adds at least
	rimBlur   = 4   // px on either side of an edge that its ramp lies within
	rimStays  = .05 // of the logarithm, for each line and px: what passes in front moves a side, not all of them
	rimErr    = .35 // px that an edge is off at least
)

// line is a frame's samples across the outline at one place, and what they say of where the edge is: on its inner side
// they are the reference's, on its outer side what is usual there, near it a mixture (Hanek and Beetz, "The contracting
// curve density algorithm", IJCV 59(3), 2004).
type line struct {
	place *rimPlace
	step  float64    // px of the frame to one of the reference, across the outline
	out   geom.Point // which way is out in the frame, of length 1
	reach int
	mixed float64   // px on either side of the edge in which both sides mix
	v     []float64 // from reach+rimWithin px within to reach+rimBeyond px beyond
	level []float64 // by how much the inside is lighter than on the reference, if the edge lies so far out
	like  []float64 // and how likely that is, logarithms; from -reach px on
	sigma float64   // deviation of the inside's samples

	was, is float64 // the inside's level, on the reference and here
	covered bool    // something passes there
}

// lines samples a frame across the outline under m, up to reach px of the frame on either side, where it is in sight.
// The surface moves by smear, px, while the shutter is open.
func (r *rim) lines(f Frame, m geom.Map, reach int, smear geom.Point) []line {
	g := f.pyr[0]
	var out []line
	var errs []float64
	from, n := -(reach + rimWithin), 2*reach+rimWithin+rimBeyond+1
	for i := range r.places {
		p := &r.places[i]
		o := m.Apply(p.at)
		across := m.Apply(p.at.Add(p.out)).Sub(o)
		step := across.Len()
		along := m.Apply(p.at.Add(geom.Pt(-p.out.Y, p.out.X))).Sub(o)
		if !o.Finite() || step < .1 || step > 10 {
			continue
		}
		l := line{place: p, step: step, out: across.Mul(1 / step), reach: reach, v: make([]float64, n)}
		l.mixed = rimMixed + math.Abs(smear.Dot(l.out))/2
		along = along.Mul(rimApart / rimTaps / max(along.Len(), 1e-9))
		seen := true
		for k := 0; k < n && seen; k++ {
			q := o.Add(l.out.Mul(float64(from + k)))
			if q.X < 1 || q.Y < 1 || q.X > float64(g.W)-1 || q.Y > float64(g.H)-1 || f.hidden.covers(q.X, q.Y) {
				seen = false
			}
			for t := range rimTaps {
				l.v[k] += float64(g.At(q.Add(along.Mul(float64(t)-(rimTaps-1)/2.)))) / rimTaps
			}
		}
		if !seen {
			continue
		}
		for k := range rimWithin {
			l.was, l.is = l.was+p.level(float64(-from-k)/step)/rimWithin, l.is+l.v[k]/rimWithin
		}
		level := l.is - l.was
		for k := range reach + rimWithin - rimStart {
			errs = append(errs, math.Abs(l.v[k]-p.level(float64(-from-k)/step)-level))
		}
		out = append(out, l)
	}
	if len(out) < fewestRim {
		return nil
	}
	slices.Sort(errs)
	sigma := max(1.5*errs[len(errs)/2], rimLevel)
	markCovered(out, sigma)
	for i := range out {
		out[i].weigh(sigma)
	}
	return out
}

// weigh finds how likely each place of the edge is.
func (l *line) weigh(sigma float64) {
	first := l.reach + rimWithin // index of where the edge should be
	l.sigma = sigma
	l.like, l.level = make([]float64, 2*l.reach+1), make([]float64, 2*l.reach+1)
	top := math.Inf(-1)
	within := sigma * sigma
	for i := range l.like {
		s := i - l.reach
		edge := first + s // index of the sample in the middle of it
		for k := range rimWithin {
			l.level[i] += (l.v[k] - l.place.level(float64(first-k+s)/l.step)) / rimWithin
		}
		var n, sum, square float64 // of what lies beyond
		for _, x := range l.v[min(edge+int(l.mixed)+1, len(l.v)-rimLeft):] {
			n, sum, square = n+1, sum+x, square+x*x
		}
		mean := sum / n
		beyond := max((square-sum*mean+2*within)/(n+2), within)
		v := 0.
		for k, x := range l.v {
			share := min(max((float64(k-edge)/l.mixed+1)/2, 0), 1) // of what lies beyond
			r := x - (1-share)*(l.place.level(float64(edge-k)/l.step)+l.level[i]) - share*mean
			variance := (1-share)*(1-share)*within + share*share*beyond
			variance = max(variance, within)
			v -= min(r*r/2/variance, rimWild) + math.Log(variance)/2
		}
		l.like[i] = v / rimTemper
		top = max(top, l.like[i])
	}
	for i := range l.like { // something else may be seen there
		l.like[i] = math.Log(math.Exp(l.like[i]-top) + rimElse)
	}
}

// at is how likely it is that the edge lies s px out.
func (l *line) at(s float64) float64 {
	x := min(max(s+float64(l.reach), 0), float64(len(l.like)-1))
	i := min(int(x), len(l.like)-2)
	u := x - float64(i)
	return l.like[i]*(1-u) + l.like[i+1]*u
}

// near is where the edge lies, px, as this line alone tells once it is known to lie near a place by a deviation: what
// both say together, less what was known (a normal distribution out of one that has several tops: Minka, "Expectation
// propagation for approximate Bayesian inference", UAI 2001). ok is false where it tells nothing. fine asks for parts
// of a pixel.
func (l *line) near(at, deviation float64, fine bool) (s, variance float64, ok bool) {
	var sum, mean, square float64
	prior := deviation * deviation
	weight := func(i int) float64 {
		d := float64(i-l.reach) - at
		return l.like[i] - d*d/2/prior
	}
	top := math.Inf(-1)
	for i := range l.like {
		top = max(top, weight(i))
	}
	for i := range l.like {
		w := math.Exp(weight(i) - top)
		x := float64(i - l.reach)
		sum, mean, square = sum+w, mean+w*x, square+w*x*x
	}
	mean /= sum
	variance = square/sum - mean*mean + 1./12
	told := 1/variance - 1/prior
	if told < rimTells/prior {
		return 0, 0, false
	}
	s, variance = (mean/variance-at/prior)/told, 1/told
	i := int(math.Round(mean))
	if fine && i > -l.reach && i < l.reach && variance < 1 {
		if x, ok := l.ramp(i); ok && math.Abs(x-mean) < 2 {
			s = x
		}
	}
	return s, variance + rimErr*rimErr, true
}

// ramp finds the edge near px s to parts of a pixel, where it is clear.
func (l *line) ramp(s int) (float64, bool) {
	const far = rimBlur
	first := l.reach + rimWithin
	in := l.place.level(0) + l.level[s+l.reach]
	var out float64
	for k := far - 1; k <= far; k++ {
		out += l.v[min(first+s+k, len(l.v)-1)] / 2
	}
	if math.Abs(out-in) < 3*l.sigma {
		return 0, false
	}
	lo, hi := first+s-far+1, min(first+s+far, len(l.v))
	part := make([]float64, 0, hi-lo)
	for k := lo; k < hi; k++ {
		x := l.v[k]
		if k-first < s {
			x -= l.place.level(float64(first-k+s)/l.step) - l.place.level(0)
		}
		part = append(part, x)
	}
	return ramp(part, in, out) + float64(lo+hi-1)/2 - float64(first), true
}

// shift is how far the whole outline has most likely moved in the frame.
func shift(lines []line, reach int) geom.Point {
	best, most := geom.Point{}, math.Inf(-1)
	for y := -reach; y <= reach; y++ {
		for x := -reach; x <= reach; x++ {
			d := geom.Pt(float64(x), float64(y))
			v := -rimStays * d.Len() * float64(len(lines))
			for i := range lines {
				if lines[i].covered {
					continue
				}
				v += lines[i].at(lines[i].out.Dot(d))
			}
			if v > most {
				best, most = d, v
			}
		}
	}
	return best
}

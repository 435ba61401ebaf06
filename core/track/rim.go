package track

import (
	"math"

	"celator/core/geom"
)

// A surface without texture still has an outline. What lies beyond it passes by, but what lies within is known, so on a
// line across the outline the edge is where the surface as it looked on the reference ends: the most likely place of
// change from a known signal to an unknown one (Shahrokni, Drummond and Fua, "Texture boundary detection for real-time
// tracking", ECCV 2004). Each edge found measures the surface across the outline (Drummond and Cipolla, "Real-time
// visual tracking of complex structures", PAMI 24(7), 2002).

const (
	mostRim     = 240         // places on the outline at most
	rimApart    = 3.          // px between them at least
	fewestRim   = 12          // places that are worth looking at
	rimTaps     = 4           // samples along the outline that are one place
	rimAround   = 3           // places on either side that an edge is told with
	rimStraight = .97         // cosine of their turn, at least
	rimStray    = 6           // px that an outline may be drawn beside its edge
	rimSide     = 4           // px on either side by which the reference tells an edge
	rimClear    = 5.          // deviations of the noise that the sides differ by at least
	rimLeast    = 6.          // and codes
	rimCrisp    = 1.3         // of the step, that the levels farther off may differ by: more is a smeared edge
	rimSkip     = 1.5         // px beside an edge that both sides mix in
	rimDeep     = 32          // px that the inside is known to, at most
	rimFar      = rimDeep + 8 // px on either side that are looked at
	rimRound    = .6          // of the outline, that must show for a surface without texture to be followed by it
)

// rim is a surface's outline where it shows on the reference.
type rim struct {
	places []rimPlace
	share  float64 // of the outline
}

// rimPlace is one place of it.
type rimPlace struct {
	at, out geom.Point // on the edge, reference coordinates; which way is out, of length 1
	inside  []float32  // the reference by depth under the edge, from rimSkip px on, a pixel a step
}

// shows reports whether the outline shows so far around that it can be followed alone.
func (r *rim) shows() bool { return r != nil && r.share >= rimRound }

// newRim finds where an outline shows on its reference frame; nil where it hardly does.
func newRim(f Frame, outline []geom.Point, grain *noise) *rim {
	b := geom.Bounds(outline)
	deep := min(rimDeep, int(.4*min(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y)))
	if deep < rimSide {
		return nil
	}
	all := acrossOutline(f, outline)
	r := &rim{}
	for i := range all {
		p := &all[i]
		var line [2*rimFar + 1]float64
		n := 0.
		for k := -rimAround; k <= rimAround; k++ {
			if q := &all[(i+k+len(all))%len(all)]; q.seen && q.out.Dot(p.out) > rimStraight {
				n++
				for j, v := range q.line {
					line[j] += v
				}
			}
		}
		if !p.seen || n < rimAround {
			continue
		}
		for j := range line {
			line[j] /= n
		}
		off, ok := stepAt(line[:], grain, n)
		if !ok {
			continue
		}
		place := rimPlace{at: p.at.Add(p.out.Mul(off)), out: p.out}
		for k := range deep {
			x := min(max(off-rimSkip-float64(k)+rimFar, 0), 2*rimFar-1)
			j := int(x)
			u := x - float64(j)
			place.inside = append(place.inside, float32(p.line[j]*(1-u)+p.line[j+1]*u))
		}
		r.places = append(r.places, place)
	}
	if len(r.places) < fewestRim {
		return nil
	}
	r.share = float64(len(r.places)) / float64(len(all))
	return r
}

// crossing is the reference across its outline as it was drawn, from rimFar px within.
type crossing struct {
	at, out geom.Point
	line    [2*rimFar + 1]float64
	seen    bool
}

// acrossOutline samples the reference across its outline, evenly around it.
func acrossOutline(f Frame, outline []geom.Point) (all []crossing) {
	g := f.pyr[0]
	length := 0.
	for i, a := range outline {
		length += outline[(i+1)%len(outline)].Sub(a).Len()
	}
	apart := max(rimApart, length/mostRim)
	side := 1.
	if geom.Area(outline) < 0 {
		side = -1
	}
	rest := apart / 2
	for i, a := range outline {
		ab := outline[(i+1)%len(outline)].Sub(a)
		l := ab.Len()
		if l == 0 {
			continue
		}
		along := ab.Mul(1 / l)
		out := geom.Pt(along.Y, -along.X).Mul(side)
		for ; rest < l; rest += apart {
			p := crossing{at: a.Add(along.Mul(rest)), out: out, seen: true}
			for k := range p.line {
				for t := range rimTaps {
					q := p.at.Add(out.Mul(float64(k - rimFar))).Add(along.Mul(apart * ((float64(t)+.5)/rimTaps - .5)))
					if q.X < 1 || q.Y < 1 || q.X > float64(g.W)-1 || q.Y > float64(g.H)-1 || f.hidden.covers(q.X, q.Y) {
						p.seen = false
					}
					p.line[k] += float64(g.At(q)) / rimTaps
				}
			}
			all = append(all, p)
		}
		rest -= l
	}
	return all
}

// stepAt finds the clearest step of a line near its middle; it is the mean of n places.
func stepAt(v []float64, grain *noise, n float64) (at float64, ok bool) {
	const far = rimFar
	most, best := 0., 0
	for s := -rimStray; s <= rimStray; s++ {
		var in, out float64
		for k := 1; k <= rimSide; k++ {
			in, out = in+v[far+s-k]/rimSide, out+v[far+s+k]/rimSide
		}
		if c := math.Abs(out - in); c > most {
			most, best = c, s
		}
	}
	var in, out float64
	for k := 2; k <= rimSide; k++ {
		in, out = in+v[far+best-k]/(rimSide-1), out+v[far+best+k]/(rimSide-1)
	}
	deviation := math.Sqrt(grain.at(float32(in)) * 2 / (rimSide * n))
	if math.Abs(out-in) < max(rimLeast, rimClear*deviation) {
		return 0, false
	}
	if wide := v[far+best+2*rimSide] - v[far+best-2*rimSide]; math.Abs(wide) > rimCrisp*math.Abs(out-in) {
		return 0, false
	}
	return float64(best) + ramp(v[far+best-rimSide+1:far+best+rimSide], in, out), true
}

// ramp is how far from the middle of samples the step between two levels lies: what is inside fills up the part before
// it (Tabatabai and Mitchell, "Edge location to subpixel values in digital imagery", PAMI 6(2), 1984).
func ramp(v []float64, in, out float64) float64 {
	sum := 0.
	for _, x := range v {
		sum += min(max((x-out)/(in-out), 0), 1)
	}
	return sum - float64(len(v))/2
}

// level is the inside's level at a depth, px of the reference.
func (p *rimPlace) level(depth float64) float64 {
	x := min(max(depth-rimSkip, 0), float64(len(p.inside)-1))
	i := min(int(x), len(p.inside)-2)
	u := x - float64(i)
	return float64(p.inside[i])*(1-u) + float64(p.inside[i+1])*u
}

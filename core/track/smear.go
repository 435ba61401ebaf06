package track

import (
	"math"

	"celator/core/geom"
)

// A moving surface is smeared over the time that the shutter is open. Comparing
// the sharp reference with it errs by pixels; so the reference is smeared as the
// frame is. How long the shutter is open is learned from the frames themselves.

// shutters are the shares of the time between frames that are tried.
var shutters = [5]float64{0, .25, .5, .75, 1}

// smeared returns the patch as it looks while it moves by d samples: the mean
// along the way. Samples that the background mixes into are left out; where too
// few would remain, the way is shortened.
func (p *patch) smeared(d geom.Point) *patch { return p.swept(d, true) }

// inner returns the patch without those samples alone: those which the background
// mixes into while the reference itself moves by d samples.
func (p *patch) inner(d geom.Point) *patch { return p.swept(d, false) }

func (p *patch) swept(d geom.Point, mean bool) *patch {
	l := math.Max(math.Abs(d.X)/float64(p.w), math.Abs(d.Y)/float64(p.h))
	if l > .45 {
		d = d.Mul(.45 / l)
	}
	n := int(math.Ceil(d.Len() / 1.2)) // as many places along the way, each the middle of its part
	if n < 2 {
		return p
	}
	q := &patch{scale: p.scale, to: p.to, w: p.w, h: p.h, reach: p.reach, unit: p.unit, noise: p.noise}
	size := p.w * p.h
	q.raw, q.mask = make([]float32, size), make([]float32, size)
	copy(q.raw, p.raw)
	g := Gray{p.w, p.h, p.raw}
	m := Gray{p.w, p.h, p.mask}
	norm := 1 / float32(n)
	// The motion is known to a part only: a little more than it says is mixed.
	step := d.Mul(1 / float64(n))
	first := step.Mul(.5 * float64(1-n))
	rim := d.Mul(.5 + .8/d.Len())
	for _, i := range p.points {
		at := geom.Pt(float64(int(i)%p.w)+.5, float64(int(i)/p.w)+.5)
		whole := true
		for _, end := range [2]float64{-1, 1} { // what lies between two places of the surface is taken for it too
			s := at.Add(rim.Mul(end))
			whole = whole && s.X > .5 && s.Y > .5 && s.X < float64(p.w)-.5 && s.Y < float64(p.h)-.5 && m.At(s) >= .99
		}
		if whole {
			q.mask[i] = 1
			if mean {
				var sum float32
				s := at.Add(first)
				for range n {
					sum += g.At(s)
					s = s.Add(step)
				}
				q.raw[i] = sum * norm
			}
			q.points = append(q.points, i)
		}
	}
	if len(q.points) < len(p.points)/5 {
		return p
	}
	q.area = append([]float32(nil), q.mask...)
	q.box(q.area)
	q.compare()
	for _, i := range p.steep {
		if q.mask[i] > 0 {
			q.steep = append(q.steep, i)
		}
	}
	return q
}

// along returns a motion of the frame, in its pixels, as samples of the patch
// seen under m.
func (p *patch) along(m geom.Map, v geom.Point) geom.Point {
	to := m.Mul(p.to)
	c := geom.Pt(float64(p.w)/2, float64(p.h)/2)
	o := to.Apply(c)
	ax, ay := to.Apply(c.Add(geom.Pt(1, 0))).Sub(o), to.Apply(c.Add(geom.Pt(0, 1))).Sub(o)
	det := ax.Cross(ay)
	if math.Abs(det) < 1e-9 {
		return geom.Point{}
	}
	return geom.Pt(v.Cross(ay)/det, ax.Cross(v)/det)
}

// smear is what is known of a clip's shutter.
type smear struct {
	score [len(shutters)]float64 // agreement at each, weighted by what a frame can tell
	seen  int                    // frames with enough motion to tell
}

// at is what speaks for a shutter: what was seen, and that most are open for half of
// the time.
func (s *smear) at(i int) float64 {
	d := shutters[i] - .5
	return s.score[i] - 8*d*d
}

// shutter is the share that agrees best.
func (s *smear) shutter() float64 {
	best := 0
	for i := range shutters {
		if s.at(i) > s.at(best) {
			best = i
		}
	}
	if best == 0 || best == len(shutters)-1 {
		return shutters[best]
	}
	// The top of the parabola through the best and its neighbours, in twentieths.
	a, b, c := s.at(best-1), s.at(best), s.at(best+1)
	top := shutters[best]
	if bend := a - 2*b + c; bend < 0 {
		top += (shutters[best] - shutters[best-1]) * (a - c) / bend / 2
	}
	return math.Round(20*top) / 20
}

// speed is the surface's motion at the middle of the frame in which it lies under m:
// its way since the last frame, and half of how much faster that was than the one
// before, unless it jolts.
func (t *Planar) speed(m geom.Map) geom.Point {
	v := t.motion(m)
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	more := v.Sub(t.now.Apply(mid).Sub(t.before.Apply(mid)))
	if more.Len() > .3*v.Len() {
		return v
	}
	return v.Add(more.Mul(.5))
}

// alike makes the reference and a frame in which it lies under m as sharp as each
// other: it returns the patch, smeared by the frame's motion, and how the frame's
// samples are to be smeared by the reference's. What both have is left as it is.
func (t *Planar) alike(p *patch, m geom.Map, shutter float64) (*patch, geom.Point) {
	if shutter == 0 || t.missed > 0 || t.first == nil {
		return p, geom.Point{}
	}
	p = t.whole(p, shutter)
	now := t.speed(m).Mul(shutter)
	mid := t.ref.quad[0].Lerp(t.ref.quad[2], .5)
	was := m.Apply(mid.Add(*t.first)).Sub(m.Apply(mid)).Mul(shutter)
	a, b := now.Len(), was.Len()
	if math.Abs(now.Dot(was)) > .8*a*b { // one way: only the difference counts
		if a > b {
			now, was = now.Mul(math.Sqrt(a*a-b*b)/max(a, 1e-9)), geom.Point{}
		} else {
			now, was = geom.Point{}, was.Mul(math.Sqrt(b*b-a*a)/max(b, 1e-9))
		}
	}
	if d := p.along(m, now); d.Len() > .8 {
		p = p.smeared(d)
	}
	if p.along(m, was).Len() < .8 {
		was = geom.Point{}
	}
	return p, was
}

// whole returns a patch without the rim that the reference's own motion mixes
// with the background; it is kept while the shutter stays the same.
func (t *Planar) whole(p *patch, shutter float64) *patch {
	d := t.first.Mul(shutter * p.scale)
	if d.Len() < 1 {
		return p
	}
	if t.clean == nil || t.cleanAt != shutter {
		t.clean, t.cleanAt = map[*patch]*patch{}, shutter
	}
	q := t.clean[p]
	if q == nil {
		q = p.inner(d)
		t.clean[p] = q
	}
	return q
}

// learn compares a found frame at each shutter.
func (t *Planar) learn(pyr pyramid, m geom.Map) {
	p := t.ref.levels[min(1, len(t.ref.levels)-1)]
	s := &t.smear
	if t.first == nil {
		return
	}
	// Only a frame smeared otherwise than the reference tells anything.
	now, was := p.along(m, t.speed(m)).Len(), t.first.Len()*p.scale
	tells := math.Sqrt(math.Abs(now*now - was*was))
	if tells < 4 {
		return
	}
	s.seen++
	if s.seen > 6 && s.seen%4 != 0 {
		return
	}
	// All are judged by the samples that the longest leaves whole.
	whole, _ := t.alike(p, m, 1)
	for i, share := range shutters {
		var q *patch
		q, t.w.smear = t.alike(p, m, share)
		// The pose was found at the shutter thought of so far, and suits that best.
		a := q.align(pyr, m, nil, t.model, 4, .02, false, &t.w)
		q.correlate(pyr, a.m, &t.w)
		var sum, n float64
		for _, k := range whole.points {
			if q.weight[k] > 0 && t.w.inside[k] > 0 {
				sum += max(float64(t.w.agree[k]), 0)
				n++
			}
		}
		s.score[i] = .9*s.score[i] + tells*tells*sum/max(n, 1)
	}
}

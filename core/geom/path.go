package geom

import (
	"math"
	"slices"
)

// Knot is one point of a closed path. In and Out are the offsets of its two
// handles from P; a corner without curves has both at zero.
type Knot struct {
	P   Point `json:"p"`
	In  Point `json:"in,omitzero"`
	Out Point `json:"out,omitzero"`
}

// Lerp returns the knot evenly between k and l.
func (k Knot) Lerp(l Knot, t float64) Knot {
	return Knot{k.P.Lerp(l.P, t), k.In.Lerp(l.In, t), k.Out.Lerp(l.Out, t)}
}

// Path is a closed path: the last knot joins the first by a cubic Bézier curve,
// or a straight line where neither side has a handle.
type Path []Knot

// kappa is the handle length that makes four cubics come closest to a circle.
const kappa = 0.5522847498307936

// Box returns the rectangle as a path, clockwise from its top-left corner.
func Box(r Rect) Path {
	return Path{{P: r.Min}, {P: Pt(r.Max.X, r.Min.Y)}, {P: r.Max}, {P: Pt(r.Min.X, r.Max.Y)}}
}

// Ellipse returns the ellipse inscribed in r, clockwise from its top; its
// radius is exact to 0.03 %.
func Ellipse(r Rect) Path {
	c, a, b := r.Centre(), (r.Max.X-r.Min.X)/2, (r.Max.Y-r.Min.Y)/2
	h, v := Pt(a*kappa, 0), Pt(0, b*kappa)
	return Path{
		{P: Pt(c.X, r.Min.Y), In: h.Mul(-1), Out: h},
		{P: Pt(r.Max.X, c.Y), In: v.Mul(-1), Out: v},
		{P: Pt(c.X, r.Max.Y), In: h, Out: h.Mul(-1)},
		{P: Pt(r.Min.X, c.Y), In: v, Out: v.Mul(-1)},
	}
}

// Map returns the path with every knot and handle end carried by m.
func (p Path) Map(m Map) Path { return p.Carry(m.Apply) }

// Carry returns the path with every knot and handle end carried by any map of the plane; its sides stay single lines or
// curves.
func (p Path) Carry(by func(Point) Point) Path {
	q := make(Path, len(p))
	for i, k := range p {
		at := by(k.P)
		q[i] = Knot{P: at}
		if k.In != (Point{}) {
			q[i].In = by(k.P.Add(k.In)).Sub(at)
		}
		if k.Out != (Point{}) {
			q[i].Out = by(k.P.Add(k.Out)).Sub(at)
		}
	}
	return q
}

// Through returns the path as a smooth map of the plane bends it: each side is cut into parts, which are the cubics
// that have the bent side's ends and its directions there.
func (p Path) Through(by func(Point) Point, parts int) Path {
	const d = 1e-3 // of a part, over which a direction is taken
	out := make(Path, parts*len(p))
	for a := range out {
		at := func(t float64) Point { return by(p.At(a/parts, (float64(a%parts)+t)/float64(parts))) }
		b := (a + 1) % len(out)
		from, to := at(0), at(1)
		out[a].P = from
		out[a].Out = at(d).Sub(from).Mul(1 / (3 * d))
		out[b].In = at(1 - d).Sub(to).Mul(1 / (3 * d))
	}
	return out
}

// Flatten returns the path as a polygon that strays at most tol pixels from it.
// The number of chords follows the bound on the second derivative (Wang's
// formula; Goldman, "Pyramid Algorithms", 2003, section 5.6.3).
func (p Path) Flatten(tol float64) []Point {
	pts := make([]Point, 0, 4*len(p))
	for i, k := range p {
		l := p[(i+1)%len(p)]
		pts = append(pts, k.P)
		if k.Out == (Point{}) && l.In == (Point{}) {
			continue
		}
		a, b, c, d := k.P, k.P.Add(k.Out), l.P.Add(l.In), l.P
		dd := math.Max(a.Sub(b.Mul(2)).Add(c).Len(), b.Sub(c.Mul(2)).Add(d).Len())
		n := int(math.Ceil(math.Sqrt(6 * dd / (8 * tol))))
		n = min(max(n, 1), 200)
		for j := 1; j < n; j++ {
			t := float64(j) / float64(n)
			ab, bc, cd := a.Lerp(b, t), b.Lerp(c, t), c.Lerp(d, t)
			pts = append(pts, ab.Lerp(bc, t).Lerp(bc.Lerp(cd, t), t))
		}
	}
	return pts
}

// Bounds returns the rectangle around the flattened path.
func (p Path) Bounds() Rect { return Bounds(p.Flatten(.1)) }

// straight reports whether the segment from k to l has no handles.
func straight(k, l Knot) bool { return k.Out == (Point{}) && l.In == (Point{}) }

// At returns the point at t (0..1) of the segment that begins at knot i.
func (p Path) At(i int, t float64) Point {
	k, l := p[i], p[(i+1)%len(p)]
	if straight(k, l) {
		return k.P.Lerp(l.P, t)
	}
	a, b, c, d := k.P, k.P.Add(k.Out), l.P.Add(l.In), l.P
	ab, bc, cd := a.Lerp(b, t), b.Lerp(c, t), c.Lerp(d, t)
	return ab.Lerp(bc, t).Lerp(bc.Lerp(cd, t), t)
}

// Split returns the path with one more knot, at t (0 < t < 1) of the segment
// that begins at knot i; the curve stays where it is (de Casteljau). For a fixed
// t the new knots are linear in the old ones, so paths interpolated after
// splitting equal those split after interpolating.
func (p Path) Split(i int, t float64) Path {
	j := (i + 1) % len(p)
	k, l := p[i], p[j]
	var m Knot
	if straight(k, l) {
		m.P = k.P.Lerp(l.P, t)
	} else {
		a, b, c, d := k.P, k.P.Add(k.Out), l.P.Add(l.In), l.P
		ab, bc, cd := a.Lerp(b, t), b.Lerp(c, t), c.Lerp(d, t)
		abc, bcd := ab.Lerp(bc, t), bc.Lerp(cd, t)
		m.P = abc.Lerp(bcd, t)
		k.Out, m.In, m.Out, l.In = ab.Sub(a), abc.Sub(m.P), bcd.Sub(m.P), cd.Sub(d)
	}
	out := make(Path, 0, len(p)+1)
	out = append(append(append(out, p[:i+1]...), m), p[i+1:]...)
	out[i] = k
	if j == 0 {
		out[0] = l
	} else {
		out[i+2] = l
	}
	return out
}

// Without returns the path without knot i. The handles of its neighbours are
// lengthened so that a knot put in by Split leaves no trace; no other segment
// changes.
func (p Path) Without(i int) Path {
	n := len(p)
	out := make(Path, 0, n-1)
	out = append(append(out, p[:i]...), p[i+1:]...)
	if n < 3 {
		return out
	}
	prev, k, next := p[(i+n-1)%n], p[i], p[(i+1)%n]
	in, away := k.In.Len(), k.Out.Len()
	if straight(prev, k) && straight(k, next) || in+away == 0 {
		return out
	}
	t := in / (in + away)
	if t > 0 && t < 1 {
		prev.Out, next.In = prev.Out.Mul(1/t), next.In.Mul(1/(1-t))
	}
	out[(i+n-2)%(n-1)] = prev
	out[i%(n-1)] = next
	return out
}

// Smooth returns knot i with handles along the line between its neighbours, a
// third of the way to each (the tangents of a Catmull-Rom spline; Catmull and
// Rom, "A class of local interpolating splines", 1974).
func (p Path) Smooth(i int) Knot {
	n := len(p)
	prev, k, next := p[(i+n-1)%n], p[i], p[(i+1)%n]
	d := next.P.Sub(prev.P).Mul(1. / 6)
	return Knot{P: k.P, In: d.Mul(-1), Out: d}
}

// Nearest returns the place of the path nearest to q: the segment's first knot,
// how far along it (0..1), and the distance in pixels.
func (p Path) Nearest(q Point) (segment int, t, distance float64) {
	distance = math.Inf(1)
	at := func(i int, u float64) float64 { return p.At(i, u).Sub(q).Len() }
	const steps = 24
	for i := range p {
		for s := range steps {
			lo, hi := float64(s)/steps, float64(s+1)/steps
			// Between two samples the distance has one least value (nearly always);
			// golden-section search finds it.
			const g = 0.6180339887498949
			if at(i, (lo+hi)/2) > distance+p.At(i, lo).Sub(p.At(i, hi)).Len() {
				continue
			}
			for range 28 {
				a, b := hi-g*(hi-lo), lo+g*(hi-lo)
				if at(i, a) < at(i, b) {
					hi = b
				} else {
					lo = a
				}
			}
			if d := at(i, (lo+hi)/2); d < distance {
				segment, t, distance = i, (lo+hi)/2, d
			}
		}
	}
	return segment, t, distance
}

// Aligned returns the knots begun at the one, and ordered in the direction, that leave
// each nearest to the knot of another path with as many: a thing drawn anew keeps its
// corners, whichever was drawn first. Both are compared about their means.
func (p Path) Aligned(was Path) Path {
	mean := func(p Path) (m Point) {
		for _, k := range p {
			m = m.Add(k.P.Mul(1 / float64(len(p))))
		}
		return m
	}
	shift := mean(was).Sub(mean(p))
	best, least := p, math.Inf(1)
	for _, back := range []bool{false, true} {
		for first := range p {
			turned := append(slices.Clone(p[first:]), p[:first]...)
			if back {
				slices.Reverse(turned)
			}
			far := 0.
			for i, k := range turned {
				far += k.P.Add(shift).Sub(was[i].P).Len()
			}
			if far < least {
				best, least = turned, far
			}
		}
	}
	return best
}

package geom

import "math"

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
func (p Path) Map(m Map) Path {
	q := make(Path, len(p))
	for i, k := range p {
		at := m.Apply(k.P)
		q[i] = Knot{P: at}
		if k.In != (Point{}) {
			q[i].In = m.Apply(k.P.Add(k.In)).Sub(at)
		}
		if k.Out != (Point{}) {
			q[i].Out = m.Apply(k.P.Add(k.Out)).Sub(at)
		}
	}
	return q
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

package geom

// Quad is a quadrilateral: its corners in order, the first edge its upper one.
type Quad [4]Point

// Width is the mean length of the upper and the lower edge.
func (q Quad) Width() float64 { return (q[1].Sub(q[0]).Len() + q[2].Sub(q[3]).Len()) / 2 }

// Height is the mean length of the other two.
func (q Quad) Height() float64 { return (q[3].Sub(q[0]).Len() + q[2].Sub(q[1]).Len()) / 2 }

// Bounds is the upright rectangle around it.
func (q Quad) Bounds() Rect { return Bounds(q[:]) }

// Centre is the mean of its corners.
func (q Quad) Centre() Point { return q[0].Add(q[1]).Add(q[2]).Add(q[3]).Mul(.25) }

// Under is q as a map takes it.
func (q Quad) Under(m Map) Quad {
	for i, p := range q {
		q[i] = m.Apply(p)
	}
	return q
}

// Holds reports whether a point lies within a convex quadrilateral.
func (q Quad) Holds(p Point) bool {
	var left, right bool
	for i, a := range q {
		c := q[(i+1)%4].Sub(a).Cross(p.Sub(a))
		left, right = left || c < 0, right || c > 0
	}
	return !(left && right)
}

// Grown is a rectangle, or nearly one, larger by d on each side.
func (q Quad) Grown(d float64) Quad {
	u, v := q[1].Sub(q[0]), q[3].Sub(q[0])
	u, v = u.Mul(d/max(u.Len(), 1e-9)), v.Mul(d/max(v.Len(), 1e-9))
	return Quad{
		q[0].Sub(u).Sub(v), q[1].Add(u).Sub(v), q[2].Add(u).Add(v), q[3].Sub(u).Add(v),
	}
}

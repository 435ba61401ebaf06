// Package geom holds the plane geometry of the job: points, rectangles, affine
// and projective maps, and closed paths of knots.
//
// Coordinates are continuous source pixels: (0,0) is the top-left corner of the
// top-left pixel, x runs right, y down. Angles are degrees, clockwise on screen.
package geom

import (
	"cmp"
	"errors"
	"math"
	"slices"
)

// Point is a position or an offset, in source pixels.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Pt is short for Point{x, y}.
func Pt(x, y float64) Point { return Point{x, y} }

func (p Point) Add(q Point) Point             { return Point{p.X + q.X, p.Y + q.Y} }
func (p Point) Sub(q Point) Point             { return Point{p.X - q.X, p.Y - q.Y} }
func (p Point) Mul(s float64) Point           { return Point{p.X * s, p.Y * s} }
func (p Point) Dot(q Point) float64           { return p.X*q.X + p.Y*q.Y }
func (p Point) Cross(q Point) float64         { return p.X*q.Y - p.Y*q.X }
func (p Point) Len() float64                  { return math.Hypot(p.X, p.Y) }
func (p Point) Lerp(q Point, t float64) Point { return p.Add(q.Sub(p).Mul(t)) }

// Finite reports whether both coordinates are ordinary numbers.
func (p Point) Finite() bool { return finite(p.X) && finite(p.Y) }

func finite(v float64) bool { return !math.IsNaN(v) && !math.IsInf(v, 0) }

// Rect is an axis-parallel rectangle; Max is exclusive in the continuous sense.
type Rect struct {
	Min Point `json:"min"`
	Max Point `json:"max"`
}

// Empty reports whether the rectangle has no area.
func (r Rect) Empty() bool { return !(r.Max.X > r.Min.X && r.Max.Y > r.Min.Y) }

// Grow returns r enlarged by dx on the left and right and dy above and below.
func (r Rect) Grow(dx, dy float64) Rect {
	return Rect{Point{r.Min.X - dx, r.Min.Y - dy}, Point{r.Max.X + dx, r.Max.Y + dy}}
}

// Union returns the smallest rectangle holding r and s; empty ones are ignored.
func (r Rect) Union(s Rect) Rect {
	switch {
	case r.Empty():
		return s
	case s.Empty():
		return r
	}
	return Rect{
		Point{math.Min(r.Min.X, s.Min.X), math.Min(r.Min.Y, s.Min.Y)},
		Point{math.Max(r.Max.X, s.Max.X), math.Max(r.Max.Y, s.Max.Y)},
	}
}

// Area is its width times its height.
func (r Rect) Area() float64 { return (r.Max.X - r.Min.X) * (r.Max.Y - r.Min.Y) }

// Common is the area that r and s share.
func (r Rect) Common(s Rect) float64 {
	w := min(r.Max.X, s.Max.X) - max(r.Min.X, s.Min.X)
	h := min(r.Max.Y, s.Max.Y) - max(r.Min.Y, s.Min.Y)
	return max(w, 0) * max(h, 0)
}

// Centre returns the middle of the rectangle.
func (r Rect) Centre() Point { return r.Min.Lerp(r.Max, .5) }

// Bounds returns the smallest rectangle holding all points.
func Bounds(pts []Point) Rect {
	if len(pts) == 0 {
		return Rect{}
	}
	r := Rect{pts[0], pts[0]}
	for _, p := range pts[1:] {
		r.Min.X, r.Min.Y = math.Min(r.Min.X, p.X), math.Min(r.Min.Y, p.Y)
		r.Max.X, r.Max.Y = math.Max(r.Max.X, p.X), math.Max(r.Max.Y, p.Y)
	}
	return r
}

// Area returns the signed area of a closed polygon; positive when its corners
// run clockwise on screen (y down). Shoelace formula.
func Area(pts []Point) float64 {
	var a float64
	for i, p := range pts {
		a += p.Cross(pts[(i+1)%len(pts)])
	}
	return a / 2
}

// Within reports whether a point lies within a polygon (its rim crosses a ray from the point an odd number of times:
// Shimrat, "Algorithm 112: position of point relative to polygon", CACM 5, 1962).
func Within(poly []Point, p Point) (in bool) {
	for i, a := range poly {
		b := poly[(i+1)%len(poly)]
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < a.X+(p.Y-a.Y)/(b.Y-a.Y)*(b.X-a.X) {
			in = !in
		}
	}
	return in
}

// Clip returns the part of a polygon where side is not negative; side must be linear
// (Sutherland and Hodgman, "Reentrant polygon clipping", CACM 17(1), 1974).
func Clip(poly []Point, side func(Point) float64) []Point {
	var out []Point
	for i, p := range poly {
		q := poly[(i+1)%len(poly)]
		dp, dq := side(p), side(q)
		if dp >= 0 {
			out = append(out, p)
		}
		if dp >= 0 != (dq >= 0) {
			out = append(out, p.Lerp(q, dp/(dp-dq)))
		}
	}
	return out
}

// Hull returns the convex hull of points (Andrew, "Another efficient algorithm for convex
// hulls in two dimensions", IPL 9(5), 1979).
func Hull(p []Point) []Point {
	p = slices.Clone(p)
	slices.SortFunc(p, func(a, b Point) int { return cmp.Or(cmp.Compare(a.X, b.X), cmp.Compare(a.Y, b.Y)) })
	var out []Point
	for pass := range 2 {
		base := len(out)
		for _, q := range p {
			for len(out) >= base+2 && out[len(out)-1].Sub(out[len(out)-2]).Cross(q.Sub(out[len(out)-2])) <= 0 {
				out = out[:len(out)-1]
			}
			out = append(out, q)
		}
		out = out[:len(out)-1]
		if pass == 0 {
			slices.Reverse(p)
		}
	}
	return out
}

// Crosses reports whether two edges of the closed polygon cross.
func Crosses(poly []Point) bool {
	n := len(poly)
	for i := range n {
		a, b := poly[i], poly[(i+1)%n]
		for j := i + 2; j < n; j++ {
			if i == 0 && j == n-1 {
				continue
			}
			c, d := poly[j], poly[(j+1)%n]
			if max(a.X, b.X) < min(c.X, d.X) || max(c.X, d.X) < min(a.X, b.X) ||
				max(a.Y, b.Y) < min(c.Y, d.Y) || max(c.Y, d.Y) < min(a.Y, b.Y) {
				continue
			}
			ab, cd := b.Sub(a), d.Sub(c)
			if (ab.Cross(c.Sub(a)) > 0) != (ab.Cross(d.Sub(a)) > 0) && (cd.Cross(a.Sub(c)) > 0) != (cd.Cross(b.Sub(c)) > 0) {
				return true
			}
		}
	}
	return false
}

// Map is a projective map of the plane, row-major, acting on column vectors
// (x, y, 1). Affine maps have a last row of 0 0 1.
type Map [9]float64

// Identity is the map that moves nothing.
var Identity = Map{1, 0, 0, 0, 1, 0, 0, 0, 1}

// Translate returns the map p -> p + d.
func Translate(d Point) Map { return Map{1, 0, d.X, 0, 1, d.Y, 0, 0, 1} }

// Placement returns the map that sizes by (sx, sy), turns by deg degrees
// clockwise, both about pivot, and then moves by d.
func Placement(pivot, d Point, deg, sx, sy float64) Map {
	sin, cos := math.Sincos(deg * math.Pi / 180)
	a, b, c, e := cos*sx, -sin*sy, sin*sx, cos*sy
	return Map{
		a, b, pivot.X + d.X - a*pivot.X - b*pivot.Y,
		c, e, pivot.Y + d.Y - c*pivot.X - e*pivot.Y,
		0, 0, 1,
	}
}

// Apply maps one point. A point on the map's horizon goes to infinity.
func (m Map) Apply(p Point) Point {
	w := m[6]*p.X + m[7]*p.Y + m[8]
	return Point{(m[0]*p.X + m[1]*p.Y + m[2]) / w, (m[3]*p.X + m[4]*p.Y + m[5]) / w}
}

// Mul returns the map that applies n first and m after it.
func (m Map) Mul(n Map) Map {
	var r Map
	for i := range 3 {
		for j := range 3 {
			r[3*i+j] = m[3*i]*n[j] + m[3*i+1]*n[3+j] + m[3*i+2]*n[6+j]
		}
	}
	return r
}

// ErrSingular says that a map cannot be inverted or does not exist.
var ErrSingular = errors.New("geom: the map is singular")

// Inverse returns the map that undoes m, or ErrSingular.
func (m Map) Inverse() (Map, error) {
	c := Map{
		m[4]*m[8] - m[5]*m[7], m[2]*m[7] - m[1]*m[8], m[1]*m[5] - m[2]*m[4],
		m[5]*m[6] - m[3]*m[8], m[0]*m[8] - m[2]*m[6], m[2]*m[3] - m[0]*m[5],
		m[3]*m[7] - m[4]*m[6], m[1]*m[6] - m[0]*m[7], m[0]*m[4] - m[1]*m[3],
	}
	det := m[0]*c[0] + m[1]*c[3] + m[2]*c[6]
	if math.Abs(det) < 1e-300 || !finite(det) {
		return Map{}, ErrSingular
	}
	for i := range c {
		c[i] /= det
	}
	return c, nil
}

// QuadToQuad returns the map that takes the corners of one quadrilateral to those
// of another, in order. The error is that of a quadrilateral without area.
func QuadToQuad(from, to [4]Point) (Map, error) {
	a, err := SquareToQuad(from)
	if err != nil {
		return Map{}, err
	}
	back, err := a.Inverse()
	if err != nil {
		return Map{}, err
	}
	b, err := SquareToQuad(to)
	if err != nil {
		return Map{}, err
	}
	m := b.Mul(back)
	for i := range m {
		m[i] /= m[8]
	}
	return m, nil
}

// SquareToQuad returns the projective map that takes the unit square's corners
// (0,0) (1,0) (1,1) (0,1) to q in that order. Heckbert, "Fundamentals of Texture
// Mapping and Image Warping" (1989), section 2.2.3.
func SquareToQuad(q [4]Point) (Map, error) {
	s := q[0].Sub(q[1]).Add(q[2]).Sub(q[3])
	d1, d2 := q[1].Sub(q[2]), q[3].Sub(q[2])
	det := d1.Cross(d2)
	if math.Abs(det) < 1e-12 {
		return Map{}, ErrSingular
	}
	g, h := s.Cross(d2)/det, d1.Cross(s)/det
	return Map{
		q[1].X - q[0].X + g*q[1].X, q[3].X - q[0].X + h*q[3].X, q[0].X,
		q[1].Y - q[0].Y + g*q[1].Y, q[3].Y - q[0].Y + h*q[3].Y, q[0].Y,
		g, h, 1,
	}, nil
}

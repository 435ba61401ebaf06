package geom

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// Bend is how a surface that is not stiff departs from a plane: a smooth displacement of the places in a box, that of
// a uniform cubic B-spline over equal cells (free-form deformation: Rueckert et al., "Nonrigid registration using
// free-form deformations", IEEE TMI 18(8), 1999). Beyond the box everything goes along with the nearest place of its
// rim.
type Bend struct {
	Box Rect
	Net []Point // control displacements, (cells + 3) squared, row by row
}

// NewBend returns a bend of so many cells each way that displaces nothing.
func NewBend(box Rect, cells int) *Bend { return &Bend{box, make([]Point, (cells+3)*(cells+3))} }

// BendThrough returns the bend that displaces the corners of all cells as by says, and is straight at its rim (a
// natural spline).
func BendThrough(box Rect, cells int, by func(Point) Point) *Bend {
	b := NewBend(box, cells)
	n, solve := cells+3, natural(cells)
	across, down := mat.NewDense(cells+1, cells+1, nil), mat.NewDense(cells+1, cells+1, nil)
	for j := range cells + 1 {
		for i := range cells + 1 {
			d := by(Pt(box.Min.X+(box.Max.X-box.Min.X)*float64(i)/float64(cells),
				box.Min.Y+(box.Max.Y-box.Min.Y)*float64(j)/float64(cells)))
			across.Set(j, i, d.X)
			down.Set(j, i, d.Y)
		}
	}
	for _, at := range []*mat.Dense{across, down} {
		var rows mat.Dense
		rows.Mul(at, solve.T())
		at.Reset()
		at.Mul(solve, &rows)
	}
	for k := range b.Net {
		b.Net[k] = Pt(across.At(k/n, k%n), down.At(k/n, k%n))
	}
	return b
}

// natural takes the values at the corners of cells in a row to the controls of the natural spline through them.
func natural(cells int) *mat.Dense {
	n := cells + 3
	through := mat.NewDense(n, n, nil)
	for i := range cells + 1 {
		through.Set(i, i, 1./6)
		through.Set(i, i+1, 4./6)
		through.Set(i, i+2, 1./6)
	}
	for k, v := range [3]float64{1, -2, 1} { // no curvature at either end
		through.Set(n-2, k, v)
		through.Set(n-1, n-3+k, v)
	}
	var all mat.Dense
	if all.Inverse(through) != nil {
		panic("geom: a natural spline always exists")
	}
	return mat.DenseCopyOf(all.Slice(0, n, 0, cells+1))
}

// Cells is how many cells the bend has each way.
func (b *Bend) Cells() int { return int(math.Sqrt(float64(len(b.Net)))+.5) - 3 }

// Weights returns the controls that decide a place, four in each of four rows: the first of them, and each one's
// share.
func (b *Bend) Weights(p Point) (first int, share [16]float64) {
	cells := b.Cells()
	i, u := cell((p.X-b.Box.Min.X)/(b.Box.Max.X-b.Box.Min.X), cells)
	j, v := cell((p.Y-b.Box.Min.Y)/(b.Box.Max.Y-b.Box.Min.Y), cells)
	for r, y := range v {
		for c, x := range u {
			share[4*r+c] = x * y
		}
	}
	return j*(cells+3) + i, share
}

// cell returns in which cell a place lies, given as a share of all of them, and the four weights there.
func cell(at float64, cells int) (i int, w [4]float64) {
	at = min(max(at, 0), 1) * float64(cells)
	i = min(int(at), cells-1)
	t := at - float64(i)
	s := 1 - t
	return i, [4]float64{s * s * s / 6, (3*t*t*t - 6*t*t + 4) / 6, (3*s*s*s - 6*s*s + 4) / 6, t * t * t / 6}
}

// At is by how much a place is displaced.
func (b *Bend) At(p Point) (d Point) {
	first, share := b.Weights(p)
	n := b.Cells() + 3
	for r := range 4 {
		row := b.Net[first+r*n:][:4]
		for c, q := range row {
			w := share[4*r+c]
			d.X += w * q.X
			d.Y += w * q.Y
		}
	}
	return d
}

// Most is the farthest that anything is displaced, at most; 0 of none.
func (b *Bend) Most() (far float64) {
	if b == nil {
		return 0
	}
	for _, q := range b.Net { // a spline lies within the hull of its controls
		far = max(far, q.Len())
	}
	return far
}

// Flat reports whether nothing is displaced.
func (b *Bend) Flat() bool {
	if b == nil {
		return true
	}
	for _, q := range b.Net {
		if q != (Point{}) {
			return false
		}
	}
	return true
}

// Moved returns the bend of the same surface in coordinates whose origin lies at o.
func (b *Bend) Moved(o Point) *Bend {
	if b == nil {
		return nil
	}
	return &Bend{Rect{b.Box.Min.Sub(o), b.Box.Max.Sub(o)}, b.Net}
}

// Lerp returns the bend a share of the way to another of the same box; nil is none.
func (b *Bend) Lerp(c *Bend, t float64) *Bend {
	switch {
	case b == nil && c == nil || b == c:
		return b
	case b == nil:
		b = &Bend{c.Box, make([]Point, len(c.Net))}
	case c == nil:
		c = &Bend{b.Box, make([]Point, len(b.Net))}
	}
	out := &Bend{b.Box, make([]Point, len(b.Net))}
	for i := range out.Net {
		out.Net[i] = b.Net[i].Lerp(c.Net[i], t)
	}
	return out
}

// Warp takes the places of a surface to a picture: displaced by its bend, where it has one, and then mapped.
type Warp struct {
	Map  Map
	Bend *Bend
}

// Warp returns the map as a warp that bends nothing.
func (m Map) Warp() Warp { return Warp{Map: m} }

// Apply takes a place of the surface to the picture.
func (w Warp) Apply(p Point) Point {
	if w.Bend != nil {
		p = p.Add(w.Bend.At(p))
	}
	return w.Map.Apply(p)
}

// polygonParts are as many as a polygon's side is cut into that bends.
const polygonParts = 8

// Polygon takes a polygon on the surface to the picture; its sides bend with it.
func (w Warp) Polygon(p []Point) []Point {
	parts := 1
	if w.Bend != nil {
		parts = polygonParts
	}
	out := make([]Point, 0, parts*len(p))
	for i, a := range p {
		for k := range parts {
			out = append(out, w.Apply(a.Lerp(p[(i+1)%len(p)], float64(k)/float64(parts))))
		}
	}
	return out
}

// Back returns what takes places of the picture to the surface, or ErrSingular. A bend that folds the surface over has
// no inverse: there it is one of the places.
func (w Warp) Back() (func(Point) Point, error) {
	back, err := w.Map.Inverse()
	if err != nil {
		return nil, err
	}
	if w.Bend == nil {
		return back.Apply, nil
	}
	return func(q Point) Point { return w.Bend.undo(back.Apply(q)) }, nil
}

const (
	undoSteps = 12   // of a fixed point, whose error falls by how steep the bend is with each
	undoNear  = 1e-3 // px, that is near enough
)

// undo returns the place that is displaced to p.
func (b *Bend) undo(p Point) Point {
	q := p
	for range undoSteps {
		next := p.Sub(b.At(q))
		near := next.Sub(q).Len() < undoNear
		if q = next; near {
			break
		}
	}
	return q
}

// undoCells are those of a bend that takes another's displacement back.
const undoCells = 16

// Unbent returns what takes places of the picture to the surface and on by a map: near, and fast for many places; nil
// where nothing bends, or the map is singular.
func (w Warp) Unbent(on Map) func(Point) Point {
	back, err := w.Map.Inverse()
	if w.Bend.Flat() || err != nil {
		return nil
	}
	far := w.Bend.Most() // what lies beside the box is displaced as its rim is
	b := BendThrough(w.Bend.Box.Grow(far, far), undoCells, func(p Point) Point { return w.Bend.undo(p).Sub(p) })
	return func(q Point) Point {
		p := back.Apply(q)
		return on.Apply(p.Add(b.At(p)))
	}
}

package track

import (
	"errors"
	"slices"

	"celator/core/geom"
)

// A point is followed as the small surface around it, which may turn and grow. Several points of one thing help each
// other: what lies between them is followed too, and while it goes along with a point it says where that is when the
// little around it does not; and those that are lost are looked for where the others have gone.

// reaches are half the sides, px, of the squares that are tried around a point: the
// smallest with enough texture is followed.
var reaches = []float64{17, 24, 34, 48}

const (
	alongWith  = 1.5 // px between the two places of a point up to which they go along with each other
	mostApart  = 3   // frames on which a point is surely found elsewhere than they go, after which each goes its own way
	ofThing    = .6  // of how far points are apart, that what is around one reaches at most: their thing may be small
	leastReach = 9   // px, that it reaches where they are very close
	between    = 17  // px around the points, of what lies between them
)

// sharpEnough is how little the noise may move a square that is large enough, px.
const sharpEnough = .08

func square(p geom.Point, reach float64) []geom.Point {
	a, b := p.Sub(geom.Pt(reach, reach)), p.Add(geom.Pt(reach, reach))
	return []geom.Point{a, {X: b.X, Y: a.Y}, b, {X: a.X, Y: b.Y}}
}

// Points follows points of one thing, in one direction.
type Points struct {
	each    []*Planar
	at      []geom.Point // on the reference frame
	between *Planar      // what lies between them, or nil
	apart   []int        // frames on end on which each was surely found elsewhere
}

// ErrPoints says that there are no points, or too many.
var ErrPoints = errors.New("give 1 to 64 points to follow")

// NewPoints begins on the reference frame with points in picture coordinates. The
// errors are those of NewPlanar, for the surroundings of a point.
func NewPoints(f Frame, points []geom.Point) (*Points, error) {
	if len(points) == 0 || len(points) > 64 {
		return nil, ErrPoints
	}
	t := &Points{at: points}
	most := reaches[len(reaches)-1]
	if len(points) > 1 {
		most = max(ofThing*apartOf(points), leastReach)
	}
	for _, p := range points {
		reach := min(reaches[0], most)
		for _, r := range reaches {
			if r > most {
				break
			}
			reach = r
			if x, err := Assess(f, square(p, r), Affine); err == nil && x.Enough && x.Spread < sharpEnough {
				break
			}
		}
		model := Affine
		if reach > reaches[1] { // large enough for its perspective to show
			model = Perspective
		}
		one, err := newPoint(f, square(p, reach), model)
		if err != nil {
			return nil, err
		}
		t.each = append(t.each, one)
	}
	t.apart = make([]int, len(points))
	if len(points) > 1 {
		// Where that has no texture each goes its own way.
		t.between, _ = newPoint(f, around(points, min(between, most)), Perspective)
	}
	return t, nil
}

// apartOf is how far the two of some points that are farthest apart are from each other.
func apartOf(points []geom.Point) (most float64) {
	for i, p := range points {
		for _, q := range points[:i] {
			most = max(most, p.Sub(q).Len())
		}
	}
	return most
}

// around is the convex outline of points with reach px around each.
func around(points []geom.Point, reach float64) []geom.Point {
	var all []geom.Point
	for _, p := range points {
		all = append(all, square(p, reach)...)
	}
	return geom.Hull(all)
}

// newPoint begins on the surroundings of a point, or of several: of these only the middle counts, and no outline.
func newPoint(f Frame, outline []geom.Point, model Model) (*Planar, error) {
	ref, err := newReference(f, outline)
	if err != nil {
		return nil, err
	}
	p := begun(ref, model)
	p.point = true
	return p, nil
}

// Fork returns a tracker that begins anew on the same reference.
func (t *Points) Fork() Tracker {
	n := &Points{at: t.at, apart: make([]int, len(t.at))}
	if t.between != nil {
		n.between = t.between.Fork().(*Planar)
	}
	for _, p := range t.each {
		n.each = append(n.each, p.Fork().(*Planar))
	}
	return n
}

// Step finds the points on the next frame: a pose each, whose map takes the point
// and its surroundings there.
func (t *Points) Step(f Frame) []Pose {
	out, was := make([]Pose, len(t.each)), make([]geom.Map, len(t.each))
	all := Pose{State: Lost}
	if t.between != nil {
		all = t.between.step(f)
	}
	for i, p := range t.each {
		was[i] = p.now
		out[i] = t.follow(i, f, all)
	}
	t.agree(was, out)
	var from, to []geom.Point
	for i := range t.each {
		if s := out[i].State; s == Good || s == Weak {
			from, to = append(from, t.at[i]), append(to, out[i].Map.Apply(t.at[i]))
		}
	}
	if len(from) == len(t.each) || len(from) < 2 {
		return out
	}
	// Those that are lost are looked for where the others have gone.
	m := Fit(from, to, spared(len(from)))
	for i, p := range t.each {
		if out[i].State == Lost || out[i].State == Outside {
			p.now, p.sure = m, m
			out[i].Map = m
		}
	}
	return out
}

// follow finds point i by what is around it, or where what lies between all of them says.
func (t *Points) follow(i int, f Frame, all Pose) Pose {
	p := t.each[i]
	one := p.step(f)
	if all.State != Good {
		return one
	}
	off := func(m geom.Map) float64 { return m.Apply(t.at[i]).Sub(all.Map.Apply(t.at[i])).Len() }
	apart := off(one.Map) > alongWith
	switch {
	case one.State.Known() && !apart:
		t.apart[i] = 0
		return one
	case one.State == Good:
		t.apart[i]++
	}
	if slices.Max(t.apart) > mostApart {
		return one // they are not of one thing
	}
	// The little around it is looked for again where all have gone.
	p.Resume(all.Warp())
	if again := p.step(f); again.State.Known() && off(again.Map) < alongWith {
		return again
	}
	p.Resume(all.Warp())
	all.State = Weak
	return all
}

// spared is the model that so many points tell with one to spare: what they just suffice
// for may lead far astray beside them.
func spared(points int) Model {
	switch {
	case points > 4:
		return Perspective
	case points > 3:
		return Affine
	}
	return Similarity
}

// Fit returns the map of a model that takes points to where they were found, with
// the least sum of squared distances, by Gauss-Newton steps from the identity. Too
// few points for a model give the next simpler one; none the identity.
func Fit(from, to []geom.Point, model Model) geom.Map {
	need := map[Model]int{Translation: 1, Similarity: 2, Affine: 3, Perspective: 4}
	for len(from) < need[model] {
		switch model {
		case Perspective:
			model = Affine
		case Affine:
			model = Similarity
		case Similarity:
			model = Translation
		default:
			return geom.Identity
		}
	}
	// Coordinates about the points' middle, in their own extent.
	b := geom.Bounds(from)
	unit := max(b.Max.X-b.Min.X, b.Max.Y-b.Min.Y, 1) / 2
	c := b.Centre()
	home := geom.Map{unit, 0, c.X, 0, unit, c.Y, 0, 0, 1}
	away, _ := home.Inverse()
	m := geom.Identity
	for range 8 {
		var sums slopes
		back, err := m.Inverse()
		if err != nil {
			return m
		}
		for i, q := range from {
			u := away.Apply(q)
			r := away.Apply(back.Apply(to[i])).Sub(u)
			sums.add(1, 1, 0, u.X, u.Y, r.X)
			sums.add(1, 0, 1, u.X, u.Y, r.Y)
		}
		d, _, ok := solve(sums.equations(), model.basis(), 1e-6)
		if !ok {
			return m
		}
		m = scaled(m.Mul(home.Mul(small(d)).Mul(away)))
	}
	return m
}

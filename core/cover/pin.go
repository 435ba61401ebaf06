package cover

import (
	"math"

	"celator/core/geom"
)

// Pinned returns the map that lays a graphic of w x h pixels on the picture: pinned to
// the cover's four corners, fitted, sized and moved as the treatment says. The error is
// that of corners without an area.
func (l *Live) Pinned(t LiveTreatment, w, h int) (geom.Map, error) {
	c := l.Corners
	onto, err := geom.SquareToQuad(c)
	if err != nil {
		return geom.Identity, err
	}
	sx, sy := t.Scale, t.Scale
	wide := (c[1].Sub(c[0]).Len() + c[2].Sub(c[3]).Len()) * float64(h)
	high := (c[3].Sub(c[0]).Len() + c[2].Sub(c[1]).Len()) * float64(w)
	if r := high / max(wide, 1e-9); t.Fit == "inside" ||
		t.Fit == "filling" { // the graphic is r times as wide for its height
		if (r > 1) == (t.Fit == "inside") {
			sy /= r
		} else {
			sx *= r
		}
	}
	unit := geom.Map{sx / float64(w), 0, .5 - .5*sx + t.Shift.X, 0, sy / float64(h), .5 - .5*sy + t.Shift.Y, 0, 0, 1}
	return l.Map.Mul(onto).Mul(unit), nil
}

// Plane returns the map from the surface's own plane to the picture: there the four
// corners are a rectangle, as wide and high as they are in the mean where they were drawn.
func (l *Live) Plane() geom.Map {
	c := l.Corners
	wide, high := (c[1].Sub(c[0]).Len()+c[2].Sub(c[3]).Len())/2, (c[3].Sub(c[0]).Len()+c[2].Sub(c[1]).Len())/2
	onto, err := geom.SquareToQuad(c)
	if err != nil || wide < 1 || high < 1 {
		return l.Map
	}
	return l.Map.Mul(onto).Mul(geom.Map{1 / wide, 0, 0, 0, 1 / high, 0, 0, 0, 1})
}

// Uncovered returns the share of the outlines' area that a graphic of w x h pixels does
// not reach, 0 to 1.
func (l *Live) Uncovered(t LiveTreatment, w, h int) float64 {
	m, err := l.Pinned(t, w, h)
	if err != nil {
		return 1
	}
	quad := geom.Box(geom.Rect{Max: geom.Pt(float64(w), float64(h))}).Map(m)
	q := make([]geom.Point, 4)
	for i, k := range quad {
		q[i] = k.P
	}
	if geom.Area(q) < 0 {
		q[1], q[3] = q[3], q[1]
	}
	var all, out float64
	for _, p := range l.Paths {
		poly := p.Flatten(.25)
		area := math.Abs(geom.Area(poly))
		all += area
		out += area - math.Abs(geom.Area(within(poly, q)))
	}
	if all == 0 {
		return 0
	}
	return min(max(out/all, 0), 1)
}

// within returns the part of a polygon inside a convex one of positive area.
func within(poly, convex []geom.Point) []geom.Point {
	for i, a := range convex {
		b := convex[(i+1)%len(convex)]
		poly = geom.Clip(poly, func(p geom.Point) float64 { return b.Sub(a).Cross(p.Sub(a)) })
	}
	return poly
}

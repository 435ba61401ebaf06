package demo

import (
	"math"

	"celator/core/cover"
	"celator/core/geom"
)

// Cover returns the cover with which a demo shot begins, keyed every few frames
// along the ground truth; ok is false for the two shots that are left for the
// editor to do.
func (s Shot) Cover(truth []Truth) (c cover.Cover, ok bool) {
	var t cover.Treatment
	step, soften := 8, 4.
	switch s.Name {
	case "quay-trike":
		t = cover.NewTreatment("t1", cover.Mosaic)
		t.Cell = cover.ConstPair(16, 16)
		step = 4
	case "chandlers-sign":
		t = cover.NewTreatment("t1", cover.Blur)
		t.Sigma = cover.ConstPair(26, 26)
		soften = 10
	case "departures":
		t = cover.NewTreatment("t1", cover.Fill)
		t.Colour = "#2b3f52"
	default:
		return c, false
	}
	c = cover.Cover{
		ID: s.Name, Name: s.Item, Span: cover.Span{First: 0, Last: len(truth) - 1},
		Soften: cover.ConstPair(soften, soften), Treatments: []cover.Treatment{t},
	}
	rest := place(truth[s.Reference].Corners)
	half := rest.Size.Mul(.5)
	c.Outlines = []cover.Outline{{ID: "o1", Shape: cover.ShapeBox, Keys: []cover.PathKey{{
		Frame: cover.Time(s.Reference),
		Knots: geom.Box(geom.Rect{Min: rest.Move.Sub(half), Max: rest.Move.Add(half)}),
	}}}}
	c.Motion.Pivot = rest.Move
	for f := 0; f < len(truth); f++ {
		if f%step != 0 && f != len(truth)-1 {
			continue
		}
		p := place(truth[f].Corners)
		p.Move = p.Move.Sub(rest.Move)
		p.Size = geom.Pt(p.Size.X/rest.Size.X, p.Size.Y/rest.Size.Y)
		c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{Frame: cover.Time(f), Placement: p})
	}
	return c, true
}

// place returns the turned box around four corners: its centre as Move, its
// sides with a margin as Size.
func place(q [4]geom.Point) cover.Placement {
	across, down := q[1].Sub(q[0]).Add(q[2].Sub(q[3])), q[3].Sub(q[0]).Add(q[2].Sub(q[1]))
	turn := math.Atan2(across.Y, across.X)
	u, v := geom.Pt(math.Cos(turn), math.Sin(turn)), geom.Pt(-math.Sin(turn), math.Cos(turn))
	if down.Dot(v) < 0 {
		v = v.Mul(-1)
	}
	lo, hi := geom.Pt(math.Inf(1), math.Inf(1)), geom.Pt(math.Inf(-1), math.Inf(-1))
	for _, p := range q {
		a, b := p.Dot(u), p.Dot(v)
		lo, hi = geom.Pt(min(lo.X, a), min(lo.Y, b)), geom.Pt(max(hi.X, a), max(hi.Y, b))
	}
	mid := lo.Lerp(hi, .5)
	size := hi.Sub(lo)
	margin := 4 + .03*size.X // the camera's shake between keys
	return cover.Placement{
		Move: u.Mul(mid.X).Add(v.Mul(mid.Y)), Turn: turn * 180 / math.Pi,
		Size: size.Add(geom.Pt(2*margin, 2*margin)),
	}
}

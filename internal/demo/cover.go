package demo

import (
	"context"
	"math"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/store"
)

// Cover gives a demo shot its first revision: the item's cover, keyed every few
// frames along the ground truth. Two shots are left for the editor to do.
func Cover(ctx context.Context, st *store.Store, shot string, item store.Item, s Shot, truth []Truth) error {
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
		return nil
	}
	head, err := st.Head(ctx, shot)
	if err != nil {
		return err
	}
	c := cover.Cover{ID: store.NewID(), Item: item.ID, Name: item.Name, Span: cover.Span{First: 0, Last: head.Document.Frames - 1},
		Soften: cover.ConstPair(soften, soften), Treatments: []cover.Treatment{t}}
	rest := place(truth[s.Reference].Corners)
	box := geom.Rect{Min: geom.Pt(rest.Move.X-rest.Size.X/2, rest.Move.Y-rest.Size.Y/2), Max: geom.Pt(rest.Move.X+rest.Size.X/2, rest.Move.Y+rest.Size.Y/2)}
	c.Outlines = []cover.Outline{{ID: "o1", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Frame: s.Reference, Knots: geom.Box(box)}}}}
	c.Motion.Pivot = rest.Move
	for f := 0; f < len(truth); f += step {
		p := place(truth[f].Corners)
		p.Move = p.Move.Sub(rest.Move)
		p.Size = geom.Pt(p.Size.X/rest.Size.X, p.Size.Y/rest.Size.Y)
		c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{Frame: f, Placement: p})
	}
	_, err = st.Edit(ctx, shot, head.Number, "Demo", func(d *cover.Document) (*cover.Document, string, error) {
		return d.Apply(cover.Command{Do: "add", New: &c})
	})
	return err
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
	return cover.Placement{Move: u.Mul(mid.X).Add(v.Mul(mid.Y)), Turn: turn * 180 / math.Pi, Size: size.Add(geom.Pt(2*margin, 2*margin))}
}

package proposal

import (
	"reflect"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
)

func square(x, y, side float64) geom.Quad {
	return geom.Quad{{X: x, Y: y}, {X: x + side, Y: y}, {X: x + side, Y: y + side}, {X: x, Y: y + side}}
}

// What is seen again is one thing until it was not seen for long, or stands elsewhere at the same time; it may be in
// view up to the frames on which it was not seen.
func TestReappeared(t *testing.T) {
	looked := []int{0, 25, 50, 75, 100, 125, 150, 175, 200}
	seen := func(f int, x, sure float64) Sight {
		return Sight{Frame: f, Kind: Mark, Quad: square(x, 10, 50), Sure: sure}
	}
	all := Reappeared(looked, []Sight{
		seen(50, 112, .7), seen(25, 100, .6), seen(25, 500, .9), seen(200, 120, .8), // left, right, left again
	}, 0, 224)
	want := []struct{ first, last, sights, best int }{{1, 74, 2, 50}, {1, 49, 1, 25}, {176, 224, 1, 200}}
	if len(all) != len(want) {
		t.Fatalf("%d proposals: %+v", len(all), all)
	}
	for i, w := range want {
		if p := all[i]; p.First != w.first || p.Last != w.last || len(p.Sights) != w.sights || p.Best.Frame != w.best {
			t.Errorf("proposal %d: frames %d to %d, %d sights, best on %d", i, p.First, p.Last, len(p.Sights), p.Best.Frame)
		}
	}
	if got := Reappeared(looked, nil, 0, 224); len(got) > 0 {
		t.Errorf("of nothing: %+v", got)
	}
}

// What lies within an outline about then is hidden with it; what lies elsewhere, or was seen long after, is not; nor
// is a face.
func TestWithin(t *testing.T) {
	p := Proposal{Kind: Text, Sights: []Sight{
		{Frame: 10, Quad: square(20, 20, 30)}, {Frame: 60, Quad: square(300, 20, 30)},
	}}
	board := square(0, 0, 100)
	for frame, want := range map[int]bool{10: true, 14: true, 30: false, 60: false} {
		if got := p.Within(board, frame); got != want {
			t.Errorf("frame %d: %v", frame, got)
		}
	}
	if p.Within(square(0, 0, 40), 10) {
		t.Error("half of it lies without")
	}
	if p.Kind = Face; p.Within(board, 10) {
		t.Error("a face is no line of a sign")
	}
}

// A cover made like another has its outline where the map takes it, and hides as it does; then what it lies on is
// hidden, on the frames of its span.
func TestLike(t *testing.T) {
	path := cover.PathKey{Knots: geom.Box(square(100, 50, 40).Bounds())}
	o := cover.Outline{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{path}}
	first := cover.Cover{
		ID: "a", Name: "Sign", Outlines: []cover.Outline{o}, Soften: cover.ConstPair(9, 9), Span: cover.Span{Last: 9},
		Treatments: []cover.Treatment{cover.NewTreatment("t1", cover.Fill)},
	}
	m := Making{
		Cover: "b", Track: "t", Item: "i", Name: "Sign", Kind: Mark, Outline: square(60, 70, 20), At: 30,
		Span: cover.Span{First: 20, Last: 40}, Take: cover.Span{Last: 42},
	}
	to, err := geom.QuadToQuad([4]geom.Point(square(100, 50, 40)), [4]geom.Point(square(60, 70, 20)))
	if err != nil {
		t.Fatal(err)
	}
	m.Like(&first, 0, to)
	cmds, _ := m.Commands()
	d, _, err := cover.New(640, 360, 100).Apply(cmds...)
	if err != nil {
		t.Fatal(err)
	}
	c := d.Find("b")
	if b := c.Bounds(30); b.Min.Sub(geom.Pt(60, 70)).Len() > 1e-6 || b.Max.Sub(geom.Pt(80, 90)).Len() > 1e-6 {
		t.Errorf("it lies at %v", b)
	}
	if c.Treatments[0].Kind != cover.Fill || !reflect.DeepEqual(c.Soften, first.Soften) ||
		c.Outlines[0].Shape != cover.ShapeCorners {
		t.Errorf("it hides by %+v", c)
	}
	if c.Span != (cover.Span{First: 14, Last: 42}) {
		t.Errorf("it hides through %+v, over a cut", c.Span)
	}
	for _, v := range []struct {
		item  string
		frame int
		at    geom.Quad
		want  bool
	}{
		{"i", 30, square(62, 72, 20), true},
		{"i", 30, square(200, 72, 20), false},
		{"i", 60, square(62, 72, 20), false},
		{"other", 30, square(62, 72, 20), false},
	} {
		if got := Hidden(d, v.item, v.frame, v.at); got != v.want {
			t.Errorf("%+v: %v", v, got)
		}
	}
}

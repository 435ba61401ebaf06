package cover

import (
	"math"
	"testing"

	"celator/core/geom"
)

func one(kind Kind) *Document {
	d := New(640, 360, 50)
	for i, id := range []string{"a", "b"} {
		x := 100 + 200*float64(i)
		d.Covers = append(d.Covers, Cover{
			ID: id, Name: id, Span: Span{Last: 49}, Treatments: []Treatment{NewTreatment("t", kind)},
			Outlines: []Outline{{
				ID: "o", Shape: ShapeBox,
				Keys: []PathKey{{Knots: geom.Box(geom.Rect{Min: geom.Pt(x, 100), Max: geom.Pt(x+80, 140)})}},
			}},
			Motion: Motion{Pivot: geom.Pt(x+40, 120), Keys: []PlacementKey{{Placement: Rest}}},
		})
	}
	return d
}

func apply(t *testing.T, d *Document, cmds ...Command) *Document {
	t.Helper()
	next, _, err := d.Apply(cmds...)
	if err != nil {
		t.Fatal(err)
	}
	return next
}

// Every kind begins with settings that are valid and hide; each number of its description
// can be set and keyed, and settings of another kind are refused.
func TestKindsAreTheirDescriptions(t *testing.T) {
	for _, k := range Kinds {
		d := one(k.Kind)
		if err := d.Validate(); err != nil {
			t.Fatalf("%s: %v", k.Kind, err)
		}
		for _, s := range k.Settings {
			if s.Sort != "number" {
				continue
			}
			lane := "treatment/t/" + s.Name
			v := s.Least + .5*(min(s.Most, 5)-s.Least)
			n := apply(t, d, SetNumber{Cover: "a", Lane: lane, Number: v, Frame: 10, Scope: ThisFrame},
				SetNumber{Cover: "a", Lane: lane, Number: s.Least, Frame: 20, Scope: ThisFrame})
			c := n.Find("a")
			if got := c.Values(15)[lane]; math.Abs(got-(v+s.Least)/2) > 1e-9 {
				t.Errorf("%s %s: %g half way from %g to %g", k.Kind, s.Name, got, v, s.Least)
			}
			if _, _, err := d.Apply(SetNumber{Cover: "a", Lane: lane, Number: s.Most + 1}); err == nil {
				t.Errorf("%s %s: %g is taken, and the most is %g", k.Kind, s.Name, s.Most+1, s.Most)
			}
			for _, other := range Kinds {
				if own := (&Treatment{Kind: other.Kind}).settings(); len(own) > 0 && !has(own, s.Name) {
					x := NewTreatment("t", other.Kind)
					*x.number(s.Name) = Const(max(s.Least, 1))
					if _, _, err := d.Apply(SetTreatments{Cover: "a", Treatments: []Treatment{x}}); err == nil {
						t.Errorf("a %s with the %s of a %s is taken", other.Kind, s.Name, k.Kind)
					}
				}
			}
		}
	}
}

func has(all []Setting, name string) bool {
	for _, s := range all {
		if s.Name == name {
			return true
		}
	}
	return false
}

// Another treatment touches nothing but the treatment.
func TestSwappingATreatmentKeepsTheRest(t *testing.T) {
	d := one(Blur)
	for _, k := range Kinds {
		n := apply(t, d, SetTreatments{Cover: "a", Treatments: []Treatment{NewTreatment("t", k.Kind)}})
		was, now := d.Find("a").Shape(7), n.Find("a").Shape(7)
		if was.Digest() != now.Digest() {
			t.Errorf("%s: the form changed", k.Kind)
		}
	}
}

// A house style is followed, deviated from and gone back to; keyed numbers make none.
func TestStyles(t *testing.T) {
	d := one(Blur)
	s := d.Find("a").StyleOf()
	s.Treatments, s.Grow, s.SoftenSide = []Treatment{NewTreatment("x", Mosaic)}, Const(3), SoftenBoth
	if err := s.Validate(); err != nil {
		t.Fatal(err)
	}
	n := apply(t, d, FollowStyle{Cover: "a", ID: "house", Style: &s})
	has := n.Find("a").StyleOf()
	if !has.Same(&s) || n.Find("a").Style != "house" || n.Find("b").Style != "" {
		t.Fatalf("%+v", n.Find("a"))
	}
	if n.Find("a").Outlines[0].Keys[0].Knots[2] != d.Find("a").Outlines[0].Keys[0].Knots[2] {
		t.Error("the style moved the cover")
	}
	off := apply(t, n, SetNumber{Cover: "a", Lane: "grow", Number: 4})
	if has = off.Find("a").StyleOf(); has.Same(&s) {
		t.Error("it differs and is said to be the same")
	}
	keyed := s
	keyed.Grow = Value{Keys: []ValueKey{{0, 1, Even}, {9, 2, Even}}}
	if keyed.Validate() == nil {
		t.Error("a style with keys is taken")
	}
	if (&Style{}).Validate() == nil {
		t.Error("a style without treatments is taken")
	}
	if n = apply(t, n, FollowStyle{Cover: "a"}); n.Find("a").Style != "" ||
		n.Find("a").Treatments[0].Kind != Mosaic {
		t.Error("following none changes nothing else")
	}
}

// Motion is taken over as it goes on from the span's beginning; the place is kept.
func TestMovingLikeAnother(t *testing.T) {
	d := apply(t, one(Blur), PlaceCover{
		Cover: "a", Frame: 40,
		Placement: Placement{Move: geom.Pt(80, 20), Turn: 10, Size: geom.Pt(2, 2)},
	})
	d = apply(t, d, MoveLike{Cover: "b", Other: "a"})
	for f := 0; f < 50; f += 7 {
		a, b := d.Find("a"), d.Find("b")
		da, db := a.Centre(Time(f)).Sub(a.Centre(0)), b.Centre(Time(f)).Sub(b.Centre(0))
		if da.Sub(db).Len() > 1e-6 || a.Motion.At(Time(f)).Turn != b.Motion.At(Time(f)).Turn {
			t.Errorf("f %d: moved by %v and %v", f, da, db)
		}
	}
	if _, _, err := d.Apply(MoveLike{Cover: "a", Other: "a"}); err == nil {
		t.Error("a cover moves like itself")
	}
}

// A label follows its cover while that is live, and goes with it.
func TestLabelsFollow(t *testing.T) {
	d := apply(t, one(Blur), SetLabel{Label: Label{
		ID: "l", Cover: "a", Text: "Plate", Size: 20, Colour: "#ffffff",
	}}, SetSpan{Cover: "a", Span: Span{5, 20}},
		PlaceCover{Cover: "a", Frame: 10, Placement: Placement{Move: geom.Pt(50, 0), Size: geom.Pt(1, 1)}})
	if len(d.LabelsAt(4)) != 0 || len(d.LabelsAt(21)) != 0 {
		t.Error("it is shown outside the span")
	}
	if l := d.LabelsAt(10); len(l) != 1 || math.Abs(l[0].Box.Centre().X-190) > 1e-6 {
		t.Errorf("%+v", l)
	}
	if d = apply(t, d, RemoveCover{Cover: "a"}); len(d.Labels) != 0 {
		t.Error("it outlives its cover")
	}
	if _, _, err := d.Apply(SetLabel{Label: Label{
		ID: "l", Cover: "a", Text: "Plate", Size: 20, Colour: "#ffffff",
	}}); err == nil {
		t.Error("it follows what is not there")
	}
}

// A graphic is pinned to the corners as its fit says; what it does not reach is told.
func TestPinned(t *testing.T) {
	l := one(Patch).Find("a").Shape(0) // 80x40 at (100, 100)
	for _, c := range []struct {
		t        LiveTreatment
		from, to geom.Point // where the corners of a 100x100 graphic lie
		bare     float64
	}{
		{LiveTreatment{Scale: 1}, geom.Pt(100, 100), geom.Pt(180, 140), 0},
		{LiveTreatment{Scale: 1, Fit: "inside"}, geom.Pt(120, 100), geom.Pt(160, 140), .5},
		{LiveTreatment{Scale: 1, Fit: "filling"}, geom.Pt(100, 80), geom.Pt(180, 160), 0},
		{LiveTreatment{Scale: .5, Shift: geom.Pt(.25, 0)}, geom.Pt(140, 110), geom.Pt(180, 130), .75},
	} {
		m, err := l.Pinned(c.t, 100, 100)
		if err != nil {
			t.Fatal(err)
		}
		if a, b := m.Apply(geom.Point{}), m.Apply(geom.Pt(100, 100)); a.Sub(c.from).Len() > 1e-6 || b.Sub(c.to).Len() > 1e-6 {
			t.Errorf("%+v: from %v to %v", c.t, a, b)
		}
		if bare := l.Uncovered(c.t, 100, 100); math.Abs(bare-c.bare) > .01 {
			t.Errorf("%+v: %.3f bare, truly %.3f", c.t, bare, c.bare)
		}
	}
}

package cover

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"math/rand/v2"
	"strings"
	"testing"

	"celator/core/geom"
)

func grey(t *testing.T, w, h int, v byte) []byte {
	t.Helper()
	g := image.NewGray(image.Rect(0, 0, w, h))
	for i := range g.Pix {
		g.Pix[i] = v
	}
	var b bytes.Buffer
	if err := png.Encode(&b, g); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func held(t *testing.T) *Document {
	t.Helper()
	d := New(320, 200, 50)
	c := boxed("c", 20, 20, 120, 100)
	m := &Mattes{First: 10, Frames: make([]MatteFrame, 20)}
	for i := range m.Frames {
		m.Frames[i] = MatteFrame{X: 30 + 4*i, Y: 40, Share: .1, Move: &geom.Point{X: 4}, PNG: grey(t, 10, 10, 255)}
	}
	m.Frames[7].Move = nil // not seen between frames 16 and 17
	h := Cover{
		ID: "h", Name: "Found", Span: Span{10, 29}, HoldsOut: []string{"c"},
		Proposed: &Proposed{Run: "r", Sensitivity: .5, Edge: 5, Least: 60, Mattes: m},
	}
	d, _, err := d.Apply(AddCover{New: c}, AddCover{New: h})
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func boxed(id string, x0, y0, x1, y1 float64) Cover {
	return Cover{
		ID: id, Name: id, Span: Span{0, 49}, Outlines: []Outline{
			{ID: "o", Shape: ShapeBox, Keys: []PathKey{{
				Frame: 0,
				Knots: geom.Box(geom.Rect{Min: geom.Pt(x0, y0), Max: geom.Pt(x1, y1)}),
			}}},
		},
		Motion: Motion{Keys: []PlacementKey{}}, Treatments: []Treatment{NewTreatment("t", Fill)},
	}
}

// What is accepted is what a set of frames says, and stays sorted and apart.
func TestAccept(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	d := held(t)
	in := map[int]bool{}
	for range 300 {
		a := rng.IntN(50)
		s := Span{a, min(a+rng.IntN(12), 49)}
		on := rng.IntN(5) > 1
		for f := s.First; f <= s.Last; f++ {
			in[f] = on
		}
		var err error
		if d, _, err = d.Apply(AcceptProposal{Cover: "h", Span: s, On: on}); err != nil {
			t.Fatal(err)
		}
		p := d.Find("h").Proposed
		for f := range 50 {
			if p.accepted(Time(f)) != in[f] {
				t.Fatalf("frame %d after %v %v: %v", f, s, on, p.Accepted)
			}
		}
		for i := 1; i < len(p.Accepted); i++ {
			if p.Accepted[i].First <= p.Accepted[i-1].Last+1 {
				t.Fatalf("not apart: %v", p.Accepted)
			}
		}
	}
}

// Nothing is held out before it is accepted, and then on those frames; another run
// begins unaccepted and keeps the strokes; digests follow.
func TestProposed(t *testing.T) {
	d := held(t)
	apply := func(c Command) {
		t.Helper()
		var err error
		if d, _, err = d.Apply(c); err != nil {
			t.Fatal(err)
		}
	}
	live := func(f int) Live { return d.At(Time(f))[0] }
	if len(live(15).Holdouts) != 0 || len(d.Holdouts(15)) != 0 {
		t.Error("held out before anybody accepted it")
	}
	before := live(15).Digest()
	apply(AcceptProposal{Cover: "h", Span: Span{12, 20}, On: true})
	if n := len(live(15).Holdouts); n != 1 || len(live(11).Holdouts) != 0 || len(live(21).Holdouts) != 0 {
		t.Errorf("%d holdouts on frame 15", n)
	}
	if m := live(15).Holdouts[0].Found.Matte(); m.Rect != image.Rect(50, 40, 60, 50) || m.Pix[0] != 1 {
		t.Errorf("the matte lies at %v", m.Rect)
	}
	one := live(15).Digest()
	if one == before {
		t.Error("the digest does not know of the holdout")
	}
	// A stroke is carried along, also over a frame where the motion was not seen.
	apply(PaintProposal{Cover: "h", Stroke: Stroke{
		Frame: 14, Span: Span{12, 20}, Add: true, Radius: 3, Points: []geom.Point{{X: 100, Y: 60}},
	}})
	for f, want := range map[int]float64{12: 92, 14: 100, 15: 104, 18: 116, 20: 124} {
		if got := live(f).Holdouts[0].Found.Strokes[0].Points[0]; got != geom.Pt(want, 60) {
			t.Errorf("frame %d: the stroke lies at %v, not %g", f, got, want)
		}
	}
	if live(15).Digest() == one {
		t.Error("the digest does not know of the stroke")
	}
	b, err := d.Marshal()
	if err != nil {
		t.Fatal(err)
	}
	again, err := Parse(b)
	if err != nil {
		t.Fatal(err)
	}
	if again.At(15)[0].Digest() != live(15).Digest() || again.At(15)[0].Holdouts[0].Found.Matte().Rect.Empty() {
		t.Error("written and read it is another")
	}
	if bare, _ := json.Marshal(d.Bare()); strings.Contains(string(bare), "png") || !strings.Contains(string(b), "png") {
		t.Error("the pictures stand where they should not, or not where they should")
	}
	apply(ProposeAgain{Cover: "h", Proposed: Proposed{Run: "r2", Sensitivity: .7, Edge: 5, Least: 60}})
	if p := d.Find("h").Proposed; len(p.Accepted) != 0 || len(p.Strokes) != 1 || p.Run != "r2" {
		t.Errorf("%+v", p)
	}
	for words, c := range map[string]Command{
		"was found in the picture":    InvertCover{Cover: "h", On: true},
		"one cover at least":          HoldOutOf{Cover: "h"},
		"is no holdout":               AcceptProposal{Cover: "c", Span: Span{0, 1}, On: true},
		"is no holdout that is drawn": MarkCrossing{Cover: "h", Frame: 12},
		"strokes[1]": PaintProposal{
			Cover:  "h",
			Stroke: Stroke{Frame: 3, Span: Span{2, 99}, Radius: 3, Points: []geom.Point{{}}},
		},
		"sensitivity": ProposeAgain{Cover: "h", Proposed: Proposed{Sensitivity: 2, Edge: 5}},
	} {
		if _, _, err := d.Apply(c); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%T: %v, not %q", c, err, words)
		}
	}
}

// The four frames of a crossing set span and keys, keep their order, and a drawn holdout
// moves from mark to mark.
func TestCrossing(t *testing.T) {
	d := held(t)
	h := boxed("x", 0, 0, 40, 40)
	h.Treatments, h.HoldsOut = nil, []string{"*"}
	var err error
	do := func(c ...Command) {
		t.Helper()
		if d, _, err = d.Apply(c...); err != nil {
			t.Fatal(err)
		}
	}
	do(AddCover{New: h})
	for i, f := range []int{10, 20, 30, 40} {
		do(MarkCrossing{Cover: "x", Index: i, Frame: f},
			PlaceCover{Cover: "x", Frame: Time(f), Placement: Placement{
				Move: geom.Pt(float64(10*f), 0), Size: geom.Pt(1, 1),
			}})
	}
	c := d.Find("x")
	if c.Span != (Span{10, 40}) || *c.Crossing != (Crossing{10, 20, 30, 40}) || c.Motion.At(25).Move.X != 250 {
		t.Errorf("%+v %v %v", c.Span, c.Crossing, c.Motion.At(25))
	}
	if len(d.At(9)[0].Holdouts) != 0 || len(d.At(10)[0].Holdouts) != 1 || len(d.At(41)[0].Holdouts) != 0 {
		t.Error("it holds out outside its crossing")
	}
	if _, _, err := d.Apply(MarkCrossing{Cover: "x", Index: Clears, Frame: 15}); err == nil ||
		!strings.Contains(err.Error(), "covers it wholly at f 20") {
		t.Error(err)
	}
}

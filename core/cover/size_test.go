package cover

import (
	"encoding/json"
	"errors"
	"math/rand"
	"testing"

	"celator/core/geom"
)

// The bound is never less than what is written, whatever the document holds.
func TestBound(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	number := func() float64 { return (rng.Float64() - .5) * 1e6 / 3 }
	for range 60 {
		d := New(1920, 1080, 5000)
		for i := range 1 + rng.Intn(4) {
			var o Outline
			o.ID, o.Shape = "o", ShapePath
			for f := range 1 + rng.Intn(40) {
				k := PathKey{Frame: Time(f), Ease: Eased}
				for range 3 + rng.Intn(30) {
					in, out := geom.Pt(number(), number()), geom.Pt(number(), number())
					k.Knots = append(k.Knots, geom.Knot{P: geom.Pt(number(), number()), In: in, Out: out})
				}
				o.Keys = append(o.Keys, k)
			}
			c := Cover{ID: string(rune('a' + i)), Outlines: []Outline{o}, Treatments: []Treatment{{ID: "t", Kind: Blur}}}
			for f := range rng.Intn(300) {
				c.Grow.Keys = append(c.Grow.Keys, ValueKey{Frame: Time(f), Value: number(), Ease: Eased})
				c.Treatments[0].Sigma.Down.Keys = append(c.Treatments[0].Sigma.Down.Keys,
					ValueKey{Frame: Time(f), Value: number(), Ease: Held})
				c.Motion.Keys = append(c.Motion.Keys, PlacementKey{
					Frame: Time(f), Placement: Placement{
						Move: geom.Pt(number(), number()), Turn: number(),
						Size: geom.Pt(number(), number()),
					}, Ease: Eased,
				})
			}
			d.Covers = append(d.Covers, c)
		}
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if d.bound() < len(b) {
			t.Fatalf("%d bytes are bounded by %d", len(b), d.bound())
		}
	}
}

// A document that fits can be edited up to its limit, and read again; what would go over
// it is refused and changes nothing.
func TestDocumentLimit(t *testing.T) {
	d := New(100, 100, MaxFrames)
	var knots geom.Path
	for i := range maxKnots {
		knots = append(knots, geom.Knot{P: geom.Pt(float64(i)/7, float64(i*i%997)/13)})
	}
	c := Cover{
		ID: "a", Span: Span{0, MaxFrames - 1}, Grow: Const(0), Treatments: []Treatment{},
		Outlines: []Outline{{ID: "o", Shape: ShapePath, Keys: []PathKey{{Knots: knots}}}},
	}
	d, _, err := d.Apply(AddCover{New: c})
	if err != nil {
		t.Fatal(err)
	}
	frame := 0
	for {
		var cmds []Command
		for range 40 {
			frame++
			cmds = append(cmds, ReshapeOutline{Cover: "a", ID: "o", Frame: Time(frame), Knots: knots, Scope: ThisFrame})
		}
		next, _, err := d.Apply(cmds...)
		if errors.Is(err, ErrLarge) {
			break
		}
		if err != nil || frame > 2000 {
			t.Fatalf("%d keys: %v", frame, err)
		}
		d = next
	}
	b, err := json.Marshal(d)
	if err != nil || len(b) > MaxBytes || len(b) < MaxBytes*3/4 {
		t.Fatalf("%d bytes, %v", len(b), err)
	}
	if _, err := Parse(b); err != nil {
		t.Fatal(err)
	}
}

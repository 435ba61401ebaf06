package cover

import (
	"encoding/json"
	"math/rand"
	"reflect"
	"testing"

	"celator/core/geom"
)

// A document by field says of each field what the document says of its moment, whatever
// is keyed, followed, held out and trimmed; and so it does once written and read.
func TestByFieldIsTheSame(t *testing.T) {
	rng := rand.New(rand.NewSource(91))
	for range 15 {
		d := random(rng)
		for i := range d.Covers { // some keys on second fields
			for _, l := range d.Covers[i].lanes() {
				for k := range l.len() {
					at, _ := l.key(k).timing()
					if next := *at + .5; rng.Intn(3) == 0 && l.find(next) < 0 {
						*at = next
					}
				}
			}
		}
		for i := range d.Tracks {
			if p := d.Tracks[i].Poses; p != nil && rng.Intn(2) == 0 {
				d.Tracks[i].Poses = d.Tracks[i].byField()
				d.Tracks[i].Poses.First, d.Tracks[i].Poses.Fields = p.First, true
			}
		}
		b, err := json.Marshal(d)
		if err != nil {
			t.Fatal(err)
		}
		if d, err = Parse(b); err != nil {
			t.Fatal(err)
		}
		fields := d.ByField()
		if err := fields.Validate(); err != nil {
			t.Fatal(err)
		}
		for f := Time(0); f < Time(d.Frames); f += .5 {
			a, b := d.At(f), fields.At(2*f)
			if len(a) != len(b) || !sameLive(a, b) {
				t.Fatalf("at %v: %+v\nby field %+v", f, a, b)
			}
		}
	}
}

// sameLive compares what is live; numbers that are reached in another order may round otherwise.
func sameLive(a, b []Live) bool {
	for i := range a {
		if !alike(a[i].Paths, b[i].Paths) || len(a[i].Holdouts) != len(b[i].Holdouts) ||
			!reflect.DeepEqual(a[i].Treatments, b[i].Treatments) || a[i].Grow-b[i].Grow > 1e-9 {
			return false
		}
		for k := range a[i].Holdouts {
			p, q := a[i].Holdouts[k], b[i].Holdouts[k]
			// Where foreground was found in whole pictures, how strokes ride on it is not the same.
			if !alike(p.Paths, q.Paths) || (p.Found == nil) != (q.Found == nil) {
				return false
			}
		}
	}
	return true
}

// Between frames that were followed as whole pictures a surface lies halfway; followed field by
// field each has its own place.
func TestPosesOfFields(t *testing.T) {
	tr := Track{Kind: Surface, Surface: []geom.Point{{}, {X: 10}, {X: 10, Y: 10}, {Y: 10}}}
	at := func(x float64) (q [8]float64) {
		for i, c := range tr.Box() {
			q[2*i], q[2*i+1] = c.X+x, c.Y
		}
		return q
	}
	tr.Poses = &Poses{Corners: [][8]float64{at(0), at(10), at(30)}, Confidence: []float64{1, 1, 1}, States: "ag-"}
	x := func(f Time) float64 { q, _ := tr.Corners(f); return q[0].X }
	for f, want := range map[Time]float64{0: 0, .5: 5, 1: 10, 1.5: 10, 2: 10} {
		if x(f) != want {
			t.Errorf("at %v the surface lies at %g, not at %g", f, x(f), want)
		}
	}
	tr.Poses.Fields, tr.Poses.States = true, "agg"
	for f, want := range map[Time]float64{0: 0, .5: 10, 1: 30} {
		if x(f) != want {
			t.Errorf("by field, at %v the surface lies at %g, not at %g", f, x(f), want)
		}
	}
	if s := tr.Poses.State(1.5); s != '-' {
		t.Errorf("a field that was not followed is %c", s)
	}
}

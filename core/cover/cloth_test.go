package cover

import (
	"encoding/json"
	"math"
	"testing"

	"celator/core/geom"
)

// billowing is panned with a track whose surface bends from frame 11 on.
func billowing(t *testing.T) (*Document, func(f int) geom.Warp) {
	t.Helper()
	d, flat := panned(t)
	d = d.Clone()
	tr := d.Track("t")
	tr.Model = "cloth"
	q := tr.Box()
	truth := func(f int) geom.Warp {
		w := flat(f).Warp()
		if k := float64(f - 10); k > 0 {
			w.Bend = geom.BendThrough(geom.Rect{Min: q[0], Max: q[2]}, 6, func(p geom.Point) geom.Point {
				return geom.Pt(.1*k*math.Sin(p.Y/17+k/3), .3*k*math.Cos(p.X/25-k/4))
			})
		}
		return w
	}
	p := *tr.Poses
	p.Bends = make([][]float64, len(p.States))
	for f := range p.States {
		p.Bends[f] = FlatBend(truth(f).Bend)
	}
	tr.Poses = &p
	if err := tr.validate(d.Frames); err != nil {
		t.Fatal(err)
	}
	d.link()
	return d, truth
}

// A cover on cloth lies where it was drawn on its own frame, whether the surface bends there or not, and on every other
// where its places of the surface have gone; its contours follow, and knots are understood where they lie.
func TestRideCloth(t *testing.T) {
	d, truth := billowing(t)
	for _, from := range []int{10, 18} {
		was := d.Find("c").Paths(Time(from))[0]
		e, _, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: Time(from)})
		if err != nil {
			t.Fatal(err)
		}
		back, err := truth(from).Back()
		if err != nil {
			t.Fatal(err)
		}
		c := e.Find("c")
		for f := 2; f < 28; f++ {
			contour := c.Contours(Time(f))[0]
			for i := range contour {
				want := truth(f).Apply(back(was.At(i/BentParts, float64(i%BentParts)/BentParts)))
				if off := contour[i].P.Sub(want).Len(); off > .2 {
					t.Errorf("from %d, frame %d: place %d of the contour is %.2f px off", from, f, i, off)
				}
			}
			for i, k := range c.Paths(Time(f))[0] {
				if off := k.P.Sub(contour[BentParts*i].P).Len(); off > 1e-9 {
					t.Errorf("from %d, frame %d: a knot is %.2f px beside its contour", from, f, off)
				}
			}
			l := c.Shape(Time(f))
			if (l.Bend == nil) != (f == from) {
				t.Errorf("from %d, frame %d: bend %v", from, f, l.Bend)
			}
		}
		knots := c.Paths(24)[0]
		knots[2].P = knots[2].P.Add(geom.Pt(4, 3))
		r, _, err := e.Apply(ReshapeOutline{Cover: "c", ID: "o", Frame: 24, Knots: knots})
		if err != nil {
			t.Fatal(err)
		}
		for i, k := range r.Find("c").Paths(24)[0] {
			if off := k.P.Sub(knots[i].P).Len(); off > .2 { // its box has grown, and with it the cells of its bend
				t.Errorf("from %d: reshaped knot %d is %.3f px off", from, i, off)
			}
		}
	}
}

// Bends are kept by what is done with poses: documents of fields, trimming, turning into hand keys, files.
func TestBendsAreKept(t *testing.T) {
	d, _ := billowing(t)
	d, _, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: 10})
	if err != nil {
		t.Fatal(err)
	}
	near := func(what string, a, b []geom.Path, tol float64) {
		t.Helper()
		for i, k := range a[0] {
			if off := k.P.Sub(b[0][i].P).Len(); off > tol {
				t.Fatalf("%s: place %d is %.3f px off", what, i, off)
			}
		}
	}
	c := d.Find("c")
	byField := d.ByField().Find("c")
	for f := 2; f < 28; f++ {
		near("by field", byField.Contours(Time(2*f)), c.Contours(Time(f)), .01)
	}
	e, _, err := d.Apply(TurnIntoKeys{Cover: "c", Tolerance: .2}, RemoveTrack{ID: "t"})
	if err != nil {
		t.Fatal(err)
	}
	for f := 2; f < 28; f++ {
		near("by hand", e.Find("c").Contours(Time(f)), c.Contours(Time(f)), .21)
	}
	b, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	read, err := Parse(b)
	if err != nil {
		t.Fatal(err)
	}
	near("read again", read.Find("c").Contours(22), c.Contours(22), .001)
	if p := d.Track("t").Poses.within(&Span{12, 20}); len(p.Bends) != 9 || len(p.Bends[0]) == 0 {
		t.Errorf("trimmed, there are %d bends", len(p.Bends))
	}
	a, l := c.Shape(20), c.Shape(20)
	a.Treatments = []LiveTreatment{{Kind: Patch}}
	l.Treatments = a.Treatments
	l.Bend = nil
	if a.Digest() == l.Digest() {
		t.Error("a patch's digest does not mind the bend")
	}
}

// Bends that are none are refused.
func TestBadBends(t *testing.T) {
	d, _ := billowing(t)
	for what, spoil := range map[string]func(p *Poses){
		"too few":      func(p *Poses) { p.Bends = p.Bends[1:] },
		"no square":    func(p *Poses) { p.Bends[3] = make([]float64, 2*17) },
		"too coarse":   func(p *Poses) { p.Bends[3] = make([]float64, 2*9) },
		"too many":     func(p *Poses) { p.Bends[3] = make([]float64, 2*20*20) },
		"odd":          func(p *Poses) { p.Bends[3] = make([]float64, 33) },
		"another size": func(p *Poses) { p.Bends[20] = make([]float64, 2*36) },
		"far out":      func(p *Poses) { p.Bends[20][4] = 1e9 },
		"not a number": func(p *Poses) { p.Bends[20][4] = math.NaN() },
	} {
		tr := *d.Track("t")
		p := *tr.Poses
		p.Bends = append([][]float64{}, p.Bends...)
		p.Bends[20] = append([]float64{}, p.Bends[20]...)
		spoil(&p)
		tr.Poses = &p
		if tr.validate(d.Frames) == nil {
			t.Errorf("%s is taken", what)
		}
	}
}

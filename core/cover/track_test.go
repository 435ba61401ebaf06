package cover

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"celator/core/geom"
)

// panned returns a document whose one cover may ride on a track of 30 frames that
// pans, grows and tilts.
func panned(t *testing.T) (*Document, func(f int) geom.Map) {
	t.Helper()
	truth := func(f int) geom.Map {
		k := float64(f - 10)
		return geom.Map{1 + .01*k, .004 * k, 5 * k, -.002 * k, 1 + .012*k, 2*k + math.Sin(k), 2e-5 * k, 1e-5 * k, 1}
	}
	tr := Track{
		ID: "t", Name: "Side", Kind: Surface, Model: "perspective", Channel: "luma", Frame: 10,
		Surface: []geom.Point{{X: 100, Y: 100}, {X: 220, Y: 90}, {X: 210, Y: 180}, {X: 90, Y: 170}},
		Anchors: []TrackAnchor{}, Attempt: "a1",
	}
	p := &Poses{States: "-" + strings.Repeat("g", 28) + "-", Confidence: make([]float64, 30)}
	for f := range 30 {
		var q [8]float64
		for i, c := range tr.Box() {
			c = truth(f).Apply(c)
			q[2*i], q[2*i+1] = c.X, c.Y
		}
		p.Corners = append(p.Corners, q)
	}
	tr.Poses = p
	d := New(640, 360, 30)
	c := Cover{
		ID: "c", Name: "Plate", Span: Span{1, 28}, Treatments: []Treatment{NewTreatment("t1", Blur)},
		Outlines: []Outline{{
			ID: "o", Shape: ShapeCorners,
			Keys: []PathKey{{Frame: 5, Knots: geom.Box(geom.Rect{Min: geom.Pt(80, 90), Max: geom.Pt(200, 160)})}},
		}},
		Motion: Motion{Pivot: geom.Pt(140, 125), Keys: []PlacementKey{
			{Frame: 5, Placement: Rest}, {Frame: 20, Placement: Placement{
				Move: geom.Pt(60, 10), Turn: 4, Size: geom.Pt(1.2, 1.1),
			}},
		}},
	}
	d, _, err := d.Apply(AddCover{New: c}, SetTrack{Track: tr})
	if err != nil {
		t.Fatal(err)
	}
	return d, truth
}

// A cover put on a track stays where it was on that frame and is carried from there
// to every other by the surface's own map; a correction lies on the surface.
func TestRide(t *testing.T) {
	d, truth := panned(t)
	was := d.Find("c").Paths(12)[0]
	e, label, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: 12})
	if err != nil || label != "put Plate on the track Side" {
		t.Fatal(label, err)
	}
	back, _ := truth(12).Inverse()
	at := func(d *Document, f int, move geom.Point) (worst float64) {
		m := truth(f).Mul(back)
		for i, k := range d.Find("c").Paths(Time(f))[0] {
			want := m.Apply(was[i].P.Add(move))
			worst = max(worst, k.P.Sub(want).Len())
		}
		return worst
	}
	for f := 1; f < 29; f++ {
		if off := at(e, f, geom.Point{}); off > 1e-6 {
			t.Errorf("frame %d: %.6f px off", f, off)
		}
	}
	if len(d.Find("c").Motion.Keys) != 2 || d.Find("c").Track != "" {
		t.Error("the document before was changed")
	}
	moved := Rest
	moved.Move = geom.Pt(3, -2)
	c, _, err := e.Apply(PlaceCover{Cover: "c", Frame: 20, Placement: moved})
	if err != nil {
		t.Fatal(err)
	}
	for f, share := range map[int]float64{12: 0, 16: .5, 20: 1, 28: 1} {
		if off := at(c, f, geom.Pt(3, -2).Mul(share)); off > 1e-6 {
			t.Errorf("corrected, frame %d: %.6f px off", f, off)
		}
	}
	// Knots as they lie in the picture are understood there.
	knots := e.Find("c").Paths(25)[0]
	knots[2].P = knots[2].P.Add(geom.Pt(7, 7))
	r, _, err := e.Apply(ReshapeOutline{Cover: "c", ID: "o", Frame: 25, Knots: knots})
	if err != nil {
		t.Fatal(err)
	}
	for i, k := range r.Find("c").Paths(25)[0] {
		if k.P.Sub(knots[i].P).Len() > 1e-6 {
			t.Errorf("reshaped knot %d is %v, not %v", i, k.P, knots[i].P)
		}
	}
	rect := geom.Rect{Min: geom.Pt(150, 120), Max: geom.Pt(260, 190)}
	r, _, err = e.Apply(FitCover{Cover: "c", Frame: 25, Rect: rect})
	if err != nil || r.Find("c").Centre(25).Sub(rect.Centre()).Len() > 1.5 {
		t.Errorf("fitted: the centre is %v, %v", r.Find("c").Centre(25), err)
	}
}

// Turned into hand keys, no knot is further off than the tolerance, with fewer keys
// than frames; and the track may then be removed.
func TestByHand(t *testing.T) {
	d, _ := panned(t)
	d, _, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: 12})
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := d.Apply(RemoveTrack{ID: "t"}); err == nil ||
		!strings.Contains(err.Error(), "Plate rides on Side") {
		t.Errorf("a track in use is removed: %v", err)
	}
	last := 100
	for _, tol := range []float64{.1, .5, 2} {
		e, _, err := d.Apply(TurnIntoKeys{Cover: "c", Tolerance: tol}, RemoveTrack{ID: "t"})
		if err != nil {
			t.Fatal(err)
		}
		c := e.Find("c")
		for f := 1; f <= 28; f++ {
			for i, k := range c.Paths(Time(f))[0] {
				if off := k.P.Sub(d.Find("c").Paths(Time(f))[0][i].P).Len(); off > tol+1e-9 {
					t.Errorf("tolerance %g, frame %d: %.3f px off", tol, f, off)
				}
			}
		}
		n := len(c.Outlines[0].Keys)
		if n > last || n < 2 || tol == 2 && n > 12 {
			t.Errorf("tolerance %g: %d keys after %d", tol, n, last)
		}
		last = n
	}
}

// Stored without poses and given them again, a document evaluates as before; frames
// that were not followed are told; a second change of the same track is a conflict.
func TestTracksApart(t *testing.T) {
	d, _ := panned(t)
	d, _, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: 12})
	if err != nil {
		t.Fatal(err)
	}
	b, err := json.Marshal(d.Bare())
	if err != nil || strings.Contains(string(b), "corners\":[[") {
		t.Fatalf("poses are stored: %v", err)
	}
	e, err := Parse(b)
	if err != nil {
		t.Fatal(err)
	}
	e.Attach(func(attempt string) *Poses {
		if attempt == "a1" {
			return d.Tracks[0].Poses
		}
		return nil
	})
	for f := 1; f < 29; f++ {
		x, _ := d.Find("c").At(Time(f))
		y, _ := e.Find("c").At(Time(f))
		if x.Digest() != y.Digest() {
			t.Errorf("frame %d differs", f)
		}
	}
	if err := e.Followed(); err != nil {
		t.Error(err)
	}
	long, _, err := e.Apply(SetSpan{Cover: "c", Span: Span{0, 29}})
	if err != nil {
		t.Fatal(err)
	}
	if err := long.Followed(); err == nil || !strings.Contains(err.Error(), "from f 0 to f 0") {
		t.Errorf("frames that were not followed: %v", err)
	}
	renamed := e.Tracks[0]
	renamed.Name = "Other"
	cmds := []Command{SetTrack{Track: renamed}}
	theirs, _, err := e.Apply(cmds...)
	if err != nil || Untouched(e, theirs, cmds) || !Untouched(e, long, cmds) {
		t.Errorf("a change of the same track is no conflict: %v", err)
	}
}

// A holdout passes in front of the covers it names, and nothing else; removing its
// only cover removes it.
func TestHoldouts(t *testing.T) {
	d, _ := panned(t)
	h := d.Find("c").clone()
	h.ID, h.Name, h.Treatments, h.HoldsOut, h.Span = "h", "Pallet", nil, []string{"c"}, Span{10, 15}
	other := d.Find("c").clone()
	other.ID = "d"
	d, _, err := d.Apply(AddCover{New: h}, AddCover{New: other})
	if err != nil {
		t.Fatal(err)
	}
	for f, want := range map[int][]int{9: {0, 0}, 12: {1, 0}, 16: {0, 0}} {
		live := d.At(Time(f))
		if len(live) != 2 || len(live[0].Holdouts) != want[0] || len(live[1].Holdouts) != want[1] {
			t.Errorf("frame %d: %+v", f, live)
		}
	}
	if n := len(d.Holdouts(12)); n != 1 {
		t.Errorf("%d holdouts", n)
	}
	e, _, err := d.Apply(RemoveCover{Cover: "c"})
	if err != nil || len(e.Covers) != 1 {
		t.Errorf("after its cover was removed: %d covers, %v", len(e.Covers), err)
	}
	bad := h
	bad.ID, bad.HoldsOut = "x", []string{"nobody"}
	if _, _, err := d.Apply(AddCover{New: bad}); err == nil {
		t.Error("a holdout of nothing that is there is taken")
	}
}

// An anchor decides the frames up to its neighbours, whichever side they lie on, and
// to the ends of the span beyond the last; a track drawn outside the span reaches it.
func TestStretch(t *testing.T) {
	tr := Track{Frame: 40, Anchors: []TrackAnchor{{Frame: 10}, {Frame: 70}}}
	for f, want := range map[int]Span{
		5: {0, 9}, 10: {0, 39}, 25: {11, 39}, 40: {11, 69}, 55: {41, 69}, 70: {41, 99}, 90: {71, 99},
	} {
		if got := tr.Stretch(Time(f), Span{0, 99}); got != want {
			t.Errorf("frame %d decides %v, not %v", f, got, want)
		}
	}
	if got := (&Track{Frame: 5}).Stretch(30, Span{20, 60}); got != (Span{6, 60}) {
		t.Errorf("begun before the span: %v", got)
	}
}

// Replacing a cover gives it all of another's but who it is; what holds out of it and
// its place in the order stay.
func TestReplace(t *testing.T) {
	d, _ := panned(t)
	d, _, err := d.Apply(RideTrack{Cover: "c", ID: "t", Frame: 12})
	if err != nil {
		t.Fatal(err)
	}
	other := d.Find("c").clone()
	other.ID, other.Name, other.Item, other.Span, other.HoldsOut = "x", "Other", "else", Span{3, 9}, []string{"*"}
	e, label, err := d.Apply(ReplaceCover{Cover: "c", New: other})
	if err != nil || label != "replaced all of Plate" {
		t.Fatal(label, err)
	}
	if c := e.Find("c"); len(e.Covers) != 1 || c.Name != "Plate" || c.Item != "" || c.Track != "" ||
		len(c.HoldsOut) > 0 || c.Span != (Span{3, 9}) {
		t.Errorf("%+v", c)
	}
	if _, _, err := d.Apply(ReplaceCover{Cover: "c"}); err == nil {
		t.Error("replaced by nothing")
	}
}

// Only the frames that a track is trimmed to count; the rest is there again when they all
// do. A label on it shows where it was found, and goes with it.
func TestTrimTrack(t *testing.T) {
	d, _ := panned(t)
	whole := d.Tracks[0].Poses
	apply := func(cmds ...Command) {
		t.Helper()
		next, _, err := d.Apply(cmds...)
		if err != nil {
			t.Fatal(err)
		}
		next.Attach(func(string) *Poses { return whole })
		d = next
	}
	apply(
		RideTrack{Cover: "c", ID: "t", Frame: 12}, NameTrack{ID: "t", Name: "Door"},
		SetLabel{Label: Label{ID: "l", Track: "t", Text: "Door", Size: 20, Colour: "#ffffff"}},
		TrimTrack{ID: "t", Trim: &Span{5, 20}},
	)
	// At once, before the poses are attached anew; and so is what an approval hangs on.
	e, _, err := d.Apply(TrimTrack{ID: "t", Trim: &Span{8, 12}})
	if err != nil || e.Tracks[0].Poses.State(7) != '-' || e.Fingerprint("c") == d.Fingerprint("c") {
		t.Errorf("trimmed on: %v, %c", err, e.Tracks[0].Poses.State(7))
	}
	if e, _, err = e.Apply(TrimTrack{ID: "t"}); err != nil || e.Tracks[0].Poses.State(25) != 'g' {
		t.Errorf("taken back: %v", err)
	}
	for f := range 30 {
		in := f >= 5 && f <= 20
		if known := d.Tracks[0].Poses.State(Time(f)) != '-'; known != in {
			t.Errorf("frame %d is known: %v", f, known)
		}
		if shown := len(d.LabelsAt(Time(f))) == 1; shown != in {
			t.Errorf("frame %d has the label: %v", f, shown)
		}
	}
	if err := d.Followed(); err == nil || !strings.Contains(err.Error(), "Door, which was not followed from f 1 to f 4") {
		t.Errorf("a delivery of it: %v", err)
	}
	if _, _, err := d.Apply(TrimTrack{ID: "t", Trim: &Span{20, 30}}); err == nil {
		t.Error("it is trimmed beyond the shot")
	}
	apply(TrimTrack{ID: "t"})
	if d.Followed() != nil || d.Tracks[0].Poses.State(25) != 'g' {
		t.Error("what was trimmed away does not come back")
	}
	apply(TurnIntoKeys{Cover: "c", Tolerance: 1}, RemoveTrack{ID: "t"})
	if len(d.Tracks) > 0 || len(d.Labels) > 0 {
		t.Errorf("left: %v %v", d.Tracks, d.Labels)
	}
}

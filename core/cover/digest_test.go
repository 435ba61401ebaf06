package cover

import "testing"

// What decides how an item is hidden changes with everything that hides it, and with
// nothing else.
func TestWhatHides(t *testing.T) {
	fill := []Treatment{NewTreatment("t", Fill)}
	make := func(change func(d *Document)) *Document {
		d := New(640, 360, 50)
		d.Covers = []Cover{
			{ID: "a", Name: "A", Item: "i", Track: "s", Span: Span{Last: 40}, Treatments: fill},
			{ID: "b", Name: "B", Item: "j", Span: Span{Last: 40}, Treatments: fill},
			{ID: "h", Name: "H", HoldsOut: []string{"a"}, Span: Span{Last: 40}},
		}
		d.Tracks = []Track{{ID: "s", Name: "S", Attempt: "1"}}
		change(d)
		return d
	}
	was := make(func(*Document) {})
	if h := was.Hiding("i"); len(h) != 1 || h[0].ID != "a" || len(was.Hiding("")) > 0 {
		t.Fatalf("hiding: %+v", h)
	}
	for name, c := range map[string]struct {
		change func(d *Document)
		i, all bool // what hides the item, and all that hides, is still the same
	}{
		"nothing": {func(*Document) {}, true, true},
		"names and locks": {func(d *Document) {
			d.Covers[0].Name, d.Covers[0].Locked, d.Covers[0].Unseen, d.Tracks[0].Name = "X", true, true, "Y"
		}, true, true},
		"its span": {func(d *Document) { d.Covers[0].Span.Last = 39 }, false, false},
		"its treatment": {
			func(d *Document) { d.Covers[0].Treatments = []Treatment{NewTreatment("t", Blur)} }, false,
			false,
		},
		"its track":         {func(d *Document) { d.Tracks[0].Attempt = "2" }, false, false},
		"its holdout":       {func(d *Document) { d.Covers[2].Span.Last = 9 }, false, false},
		"holdout of others": {func(d *Document) { d.Covers[2].HoldsOut = []string{"b"} }, false, false},
		"another cover":     {func(d *Document) { d.Covers[1].Span.Last = 39 }, true, false},
		"off":               {func(d *Document) { d.Covers[0].Off = true }, false, false},
		"another gone":      {func(d *Document) { d.Covers = d.Covers[:1] }, false, false}, // with its holdout
	} {
		d := make(c.change)
		if same := d.ItemFingerprint("i") == was.ItemFingerprint("i"); same != c.i {
			t.Errorf("%s: the item is hidden as before: %v", name, same)
		}
		if same := d.HidesAs(was); same != c.all || was.HidesAs(d) != c.all {
			t.Errorf("%s: all is hidden as before: %v", name, same)
		}
	}
	if d := make(func(d *Document) { d.Covers[0].Treatments = nil }); d.ItemFingerprint("i") != "" ||
		len(d.Hiding("i")) > 0 {
		t.Error("a cover without a treatment hides")
	}
}

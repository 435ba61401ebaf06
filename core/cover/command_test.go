package cover

import (
	"bytes"
	"encoding/json"
	"math"
	"math/rand"
	"reflect"
	"slices"
	"testing"

	"celator/core/geom"
)

// anyCommand returns a command of any kind, right or wrong, for a document.
//
// Long: one scenario, told from its beginning to its end.
func anyCommand(rng *rand.Rand, d *Document) Command {
	id := string(rune('a' + rng.Intn(4)))
	f := func() Time { return Time(rng.Intn(2*d.Frames+8))/2 - 2 }
	var c Cover
	knots := func() geom.Path {
		var p geom.Path
		n := 4
		if len(c.Outlines) > 0 {
			n = len(c.Outlines[0].Keys[0].Knots)
		}
		for range n {
			p = append(p, geom.Knot{P: geom.Pt(rng.Float64()*1280, rng.Float64()*720), In: geom.Pt(rng.NormFloat64(), 3)})
		}
		return p
	}
	if p := d.Find(id); p != nil {
		c = *p
	}
	var lanes []string
	for _, l := range c.lanes() {
		if rng.Intn(3) == 0 {
			lanes = append(lanes, l.name)
		}
	}
	lane := "nonsense"
	if all := c.lanes(); len(all) > 0 && rng.Intn(5) > 0 {
		lane = all[rng.Intn(len(all))].name
	}
	frames := []Time{f(), f()}
	if k := c.KeyFrames(); len(k) > 0 {
		frames = []Time{k[rng.Intn(len(k))], k[rng.Intn(len(k))]}
	}
	scope := []Scope{"", ThisFrame, AroundHere, FromHere, WholeSpan}[rng.Intn(5)]
	on := rng.Intn(2) == 0
	place := Placement{geom.Pt(rng.NormFloat64()*30, 2), rng.NormFloat64() * 30, geom.Pt(.2+rng.Float64(), 1)}
	first := rng.Intn(d.Frames)
	fresh := Cover{
		ID: id, Name: "fresh", Draft: on, Span: Span{0, d.Frames - 1}, Treatments: []Treatment{NewTreatment("t", Blur)},
		Outlines: []Outline{{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(geom.Rect{Max: geom.Pt(40, 20)})}}}},
	}
	tr := randomTrack(rng, d.Frames)
	cmds := []Command{
		AddCover{New: fresh},
		RemoveCover{Cover: id},
		RenameCover{Cover: id, Name: " x "},
		SwitchCover{Cover: id, On: on},
		LockCover{Cover: id, On: rng.Intn(6) == 0},
		HideOutline{Cover: id, On: on},
		ConfirmCover{Cover: id},
		ShowOnly{Cover: id, On: on},
		InvertCover{Cover: id, On: on},
		SetSpan{Cover: id, Span: Span{first, first + rng.Intn(d.Frames-first)}},
		PlaceCover{Cover: id, Frame: f(), Placement: place, Scope: scope, Reach: rng.Intn(20), Apart: on},
		DuplicateCover{Cover: id, ID: "twin" + string(rune('a'+rng.Intn(20))), Name: "twin"},
		HoldKeys{Cover: id, Frame: f()},
		FitCover{
			Cover: id, Frame: f(), Scope: scope,
			Rect: geom.Rect{Min: geom.Pt(5, 6), Max: geom.Pt(rng.Float64()*300, 200)},
		},
		AddOutline{Cover: id, Frame: f(), Outline: Outline{
			ID: "p" + string(rune('a'+rng.Intn(20))), Shape: ShapePath, Keys: []PathKey{{Knots: knots()}},
		}},
		RemoveOutline{Cover: id, ID: "o"},
		ConvertOutline{Cover: id, ID: "o", Shape: ShapePath},
		ReshapeOutline{Cover: id, ID: "o", Frame: f(), Knots: knots(), Scope: scope},
		InsertKnot{Cover: id, ID: "o", Index: rng.Intn(5), At: rng.Float64()},
		RemoveKnots{Cover: id, ID: "o", Indexes: []int{rng.Intn(5), rng.Intn(5)}},
		SmoothKnots{Cover: id, ID: "o", Indexes: []int{rng.Intn(5)}, On: on},
		SetNumber{Cover: id, Lane: lane, Number: rng.Float64() * 3, Frame: f(), Scope: scope},
		AddKey{Cover: id, Lane: lane, Frame: f()},
		MoveKeys{Cover: id, Frames: frames, By: Time(rng.Intn(21) - 10), Lanes: lanes},
		RemoveKeys{Cover: id, Frames: frames[:1], Lanes: lanes},
		EaseKeys{Cover: id, Frames: frames, Ease: []Ease{Even, Held, Eased}[rng.Intn(3)]},
		PasteKeys{Cover: id, Frame: f(), Keys: c.Copy(frames)},
		PasteOntoAll{Cover: id, Keys: c.Copy(frames[:1])},
		SetTreatments{Cover: id, Treatments: []Treatment{NewTreatment("n", Mosaic)}},
		ReplaceCover{Cover: id, New: fresh},
		SetTrack{Track: tr},
		SetTrack{},
		RemoveTrack{ID: "tr"},
		SetMarker{Marker: Marker{ID: "m" + string(rune('a'+rng.Intn(3))), Frame: first, Note: "look"}},
		RemoveMarker{ID: "m" + string(rune('a'+rng.Intn(3)))},
		SetPassage{Passage: randomPassage(rng, d.Frames)},
		RemovePassage{ID: "s" + string(rune('a'+rng.Intn(3)))},
		NameTrack{ID: "tr", Name: "Track"},
		TrimTrack{ID: "tr", Trim: &Span{first, min(first+rng.Intn(20), d.Frames)}},
		RideTrack{Cover: id, ID: "tr", Frame: f()},
		TurnIntoKeys{Cover: id, Tolerance: .1 + rng.Float64()},
	}
	return cmds[rng.Intn(len(cmds))]
}

// randomPassage is one of the sound, which may not be right.
func randomPassage(rng *rand.Rand, frames int) Passage {
	p := NewPassage("s"+string(rune('a'+rng.Intn(3))), 0, 0)
	p.From = rng.Float64() * float64(frames)
	p.To = p.From + rng.Float64()*10 - 1
	p.How = []Sounding{Mute, Tone, Disguised, Kept, "loud"}[rng.Intn(5)]
	p.Pitch, p.Level, p.Fade = 30000*rng.Float64(), -100*rng.Float64(), 1200*rng.Float64()
	if rng.Intn(2) == 0 {
		p.Tracks, p.Channels = []int{rng.Intn(70)}, []int{0, 1}
	}
	return p
}

// Random commands never leave an invalid document, a refused one changes
// nothing, the document applied to never changes, and what came of it can be
// written and read. What a command promises holds afterwards.
func TestCommands(t *testing.T) {
	rng := rand.New(rand.NewSource(5))
	taken := map[reflect.Type]int{}
	for range 150 {
		d := random(rng)
		for i := range d.Covers {
			d.Covers[i].Draft = rng.Intn(2) == 0
		}
		for range 80 {
			cmd := anyCommand(rng, d)
			before, _ := d.Marshal()
			next, label, err := d.Apply(cmd)
			if after, _ := d.Marshal(); !bytes.Equal(before, after) {
				t.Fatalf("%+v changed the document it was applied to", cmd)
			}
			if err != nil {
				continue
			}
			taken[reflect.TypeOf(cmd)]++
			if b, err := next.Marshal(); label == "" || err != nil {
				t.Fatalf("%+v: label %q, %v", cmd, label, err)
			} else if back, err := Parse(b); err != nil || !reflect.DeepEqual(back, next) {
				t.Fatalf("%+v: read back otherwise (%v)", cmd, err)
			}
			kept(t, cmd, d, next)
			d = next
		}
	}
	for _, k := range CommandKinds {
		if taken[k.Type] < 5 && !elsewhere[k.Do] {
			t.Errorf("%s was taken %d times only", k.Do, taken[k.Type])
		}
	}
}

// elsewhere are commands that want more than a random document has: they have tests of
// their own.
var elsewhere = map[string]bool{
	"moveLike": true, "softenSide": true, "style": true, "holds": true, "mark": true, "accept": true, "paint": true,
	"propose": true, "label": true, "unlabel": true, "graphic": true,
}

// kept asks whether a command did what it promises.
func kept(t *testing.T, cmd Command, d, next *Document) {
	t.Helper()
	id := cmd.about().cover
	old, c := d.Find(id), next.Find(id)
	switch cmd.(type) {
	case LockCover, HideOutline, ShowOnly, DuplicateCover, ConfirmCover:
		if !reflect.DeepEqual(old.Paths(3), c.Paths(3)) {
			t.Fatalf("%T moved the shape", cmd)
		}
	default:
		if old != nil && old.Locked {
			t.Fatalf("a locked cover took %T", cmd)
		}
	}
	near := func(p, q geom.Point, by float64) bool { return p.Sub(q).Len() < by }
	switch cmd.(type) {
	case LockCover, HideOutline, ShowOnly, DuplicateCover, RideTrack, AddCover:
	default:
		if c != nil && c.Draft {
			t.Fatalf("%T left a draft one", cmd)
		}
	}
	switch cmd := cmd.(type) {
	case PlaceCover:
		p, q := c.Motion.At(cmd.Frame), cmd.Placement
		if !near(p.Move, q.Move, 1e-6) || math.Abs(p.Turn-q.Turn) > 1e-6 || !near(p.Size, q.Size, 1e-6) {
			t.Fatalf("placed %+v, stands at %+v", q, p)
		}
		if cmd.Scope == WholeSpan && len(old.Motion.Keys) > 0 && len(c.Motion.Keys) != len(old.Motion.Keys) {
			t.Fatal("a change of the whole span added a key")
		}
	case FitCover:
		if !near(c.Centre(cmd.Frame), cmd.Rect.Centre(), 1e-6) {
			t.Fatal("fitted elsewhere")
		}
	case SetNumber:
		if math.Abs(c.value(cmd.Lane).At(cmd.Frame)-cmd.Number) > 1e-9 {
			t.Fatal("the number is not there")
		}
	case ReshapeOutline:
		for i, k := range c.Paths(cmd.Frame)[0] {
			if !near(k.P, cmd.Knots[i].P, 1e-6) || !near(k.In, cmd.Knots[i].In, 1e-6) {
				t.Fatal("the knots are elsewhere")
			}
		}
	case RideTrack:
		for i, p := range old.Paths(cmd.Frame) {
			for k, q := range c.Paths(cmd.Frame)[i] {
				if !near(q.P, p[k].P, 1e-6) {
					t.Fatal("put on a track it lies elsewhere")
				}
			}
		}
	case TurnIntoKeys:
		for f := old.Span.First; f <= old.Span.Last; f++ {
			for i, p := range old.Paths(Time(f)) {
				for k, q := range c.Paths(Time(f))[i] {
					if !near(q.P, p[k].P, cmd.Tolerance+1e-6) {
						t.Fatalf("off its track a knot is %g px off, not %g", q.P.Sub(p[k].P).Len(), cmd.Tolerance)
					}
				}
			}
		}
	case MoveKeys, PasteKeys:
		if n, m := old.Outside(), c.Outside(); m > n {
			t.Fatalf("%T put keys outside the span", cmd)
		}
	}
}

// alike reports whether each path runs where the other does.
func alike(a, b []geom.Path) bool {
	for i := range a {
		for _, pair := range [][2]geom.Path{{a[i], b[i]}, {b[i], a[i]}} {
			for s := range pair[0] {
				for _, u := range []float64{0, .3, .8} {
					q := pair[0].At(s, u)
					if _, _, d := pair[1].Nearest(q); d > 1e-3 {
						return false
					}
				}
			}
		}
	}
	return len(a) == len(b)
}

// A knot added or taken away later is on all keys, and no frame's shape moves by
// adding it; taking it away again gives the document back.
func TestKnotsOnAllKeys(t *testing.T) {
	rng := rand.New(rand.NewSource(8))
	for range 150 {
		d := random(rng)
		if len(d.Covers) == 0 {
			continue
		}
		c := &d.Covers[0]
		o := &c.Outlines[0]
		i, at := rng.Intn(len(o.Keys[0].Knots)), .1+.8*rng.Float64()
		more, _, err := d.Apply(InsertKnot{Cover: c.ID, ID: o.ID, Index: i, At: at})
		if err != nil {
			t.Fatal(err)
		}
		p := &more.Covers[0].Outlines[0]
		for f := range d.Frames {
			was, now := o.At(Time(f)), p.At(Time(f))
			if len(now) != len(was)+1 || was.Split(i, at)[i+1].P.Sub(now[i+1].P).Len() > 1e-6 {
				t.Fatalf("frame %d: the knot is not where it was put", f)
			}
		}
		if !alike(d.Covers[0].Paths(Time(d.Frames/2)), more.Covers[0].Paths(Time(d.Frames/2))) {
			t.Fatal("the shape moved")
		}
		less, _, err := more.Apply(RemoveKnots{Cover: c.ID, ID: o.ID, Indexes: []int{i + 1}})
		if err != nil {
			t.Fatal(err)
		}
		for f := range d.Frames {
			for k, q := range less.Covers[0].Outlines[0].At(Time(f)) {
				w := o.At(Time(f))[k]
				if q.P.Sub(w.P).Len() > 1e-6 || q.In.Sub(w.In).Len() > 1e-6 || q.Out.Sub(w.Out).Len() > 1e-6 {
					t.Fatalf("frame %d, knot %d: %+v, was %+v", f, k, q, w)
				}
			}
		}
		// One more knot gone changes the two segments beside it and nothing else.
		n := len(o.Keys[0].Knots)
		if n < 5 {
			continue
		}
		less, _, err = d.Apply(RemoveKnots{Cover: c.ID, ID: o.ID, Indexes: []int{0}})
		if err != nil {
			t.Fatal(err)
		}
		for f := 0; f < d.Frames; f += 9 {
			was, is := o.At(Time(f)), less.Covers[0].Outlines[0].At(Time(f))
			for s := 1; s < n-2; s++ {
				if was.At(s, .4).Sub(is.At(s-1, .4)).Len() > 1e-9 {
					t.Fatal("a segment elsewhere moved")
				}
			}
		}
	}
}

// Two people: what one did to a cover is never overwritten unasked, and changes
// of different covers join.
func TestUntouched(t *testing.T) {
	rng := rand.New(rand.NewSource(9))
	for n := 0; n < 40; {
		base := random(rng)
		if len(base.Covers) < 2 {
			continue
		}
		n++
		grow := func(i int) Command {
			return SetNumber{
				Cover: base.Covers[i].ID, Lane: "grow", Number: 2000 * rng.Float64(),
				Frame: Time(base.Covers[i].Span.First), Scope: ThisFrame,
			}
		}
		head, _, err := base.Apply(grow(0))
		if err != nil { // a number too large
			continue
		}
		if Untouched(base, head, []Command{grow(0)}) || !Untouched(base, head, []Command{grow(1)}) {
			t.Fatal("the wrong covers count as touched")
		}
		gone, _, _ := base.Apply(RemoveCover{Cover: base.Covers[1].ID})
		if Untouched(base, gone, []Command{grow(1)}) {
			t.Fatal("a removed cover counts as untouched")
		}
	}
}

// The words that undo shows, and errors that say what to do.
func TestLabels(t *testing.T) {
	d := New(100, 100, 50)
	box := Outline{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(geom.Rect{Max: geom.Pt(10, 10)})}}}
	c := Cover{
		ID: "q", Name: "Quay plate", Span: Span{0, 49}, Outlines: []Outline{box},
		Treatments: []Treatment{NewTreatment("t", Fill)},
	}
	p := Rest
	p.Move.X = 4
	var last *Document
	for _, s := range []struct {
		cmd  Command
		want string
	}{
		{AddCover{New: c}, "added Quay plate"},
		{PlaceCover{Cover: "q", Frame: 41, Placement: p}, "moved Quay plate at f 41"},
		{
			ReshapeOutline{Cover: "q", ID: "o", Frame: 41, Knots: geom.Box(geom.Rect{Max: geom.Pt(9, 9)})},
			"reshaped the outline of Quay plate at f 41",
		},
		{
			SetNumber{Cover: "q", Lane: "soften/across", Number: 3, Scope: WholeSpan},
			"set soften across of Quay plate",
		},
		{
			SetNumber{Cover: "q", Lane: "treatment/t/strength", Number: .5, Frame: 3, Scope: ThisFrame},
			"set strength of Quay plate at f 3",
		},
		{
			SetSpan{Cover: "q", Span: Span{0, 40}},
			"set the span of Quay plate to f 0–40; 1 of its keys lie outside",
		},
		{
			PlaceCover{Cover: "q", Frame: 45, Placement: p},
			"edit: frame 45 lies outside the span of Quay plate (0 to 40)",
		},
		{LockCover{Cover: "q", On: true}, "locked Quay plate"},
		{RemoveCover{Cover: "q"}, "edit: Quay plate is locked; unlock it first"},
	} {
		next, label, err := d.Apply(s.cmd)
		if err != nil {
			label = err.Error()
		} else {
			d = next
		}
		if label != s.want {
			t.Errorf("%T: %q, want %q", s.cmd, label, s.want)
		}
		last = d
	}
	if l, ok := last.Covers[0].At(10); !ok || l.Digest() == (Live{}).Digest() {
		t.Error("the digest says nothing")
	}
}

// plain leaves out of a live cover how its surface lies, where no treatment asks.
func plain(l Live) Live {
	l.Frame = 0
	var rides, patch bool
	for _, t := range l.Treatments {
		rides, patch = rides || t.Rides, patch || t.Kind == Patch
	}
	if !patch {
		l.Speed = geom.Point{}
	}
	if !patch && !rides {
		l.Map, l.Corners = geom.Map{}, [4]geom.Point{}
	}
	return l
}

// A digest changes with everything that decides the pixels, and with nothing else.
func TestDigest(t *testing.T) {
	rng := rand.New(rand.NewSource(10))
	for range 60 {
		d := random(rng)
		for i := range d.Covers {
			next := d
			for range 4 {
				if n, _, err := next.Apply(anyCommand(rng, d)); err == nil {
					next = n
				}
			}
			c := next.Find(d.Covers[i].ID)
			if c == nil {
				continue
			}
			for f := 0; f < d.Frames; f += 11 {
				a, okA := d.Covers[i].At(Time(f))
				b, okB := c.At(Time(f))
				x, _ := json.Marshal(plain(a))
				y, _ := json.Marshal(plain(b))
				if okA && okB && (a.Digest() == b.Digest()) != slices.Equal(x, y) {
					t.Fatalf("frame %d:\n%s\n%s", f, x, y)
				}
			}
		}
	}
}

// Commands come from outside: whatever they say, Apply ends in a document that is
// valid and can be evaluated and written, or in an error, and its own is untouched.
func FuzzApply(f *testing.F) {
	rng := rand.New(rand.NewSource(12))
	base := random(rng)
	for len(base.Covers) < 3 {
		base = random(rng)
	}
	for range 60 {
		b, _ := json.Marshal(Commands{anyCommand(rng, base), anyCommand(rng, base)})
		f.Add(b)
	}
	f.Add([]byte(`[{"do":"moveKeys","cover":"a","frames":[0],"by":9223372036854775807}]`))
	f.Add([]byte(`[{"do":"paste","cover":"a","frame":1,"keys":[{"lane":"outline/o","offset":-9,"knots":[]}]}]`))
	before, _ := base.Marshal()
	f.Fuzz(func(t *testing.T, b []byte) {
		var cmds Commands
		if json.Unmarshal(b, &cmds) != nil || len(cmds) > 20 {
			return
		}
		next, _, err := base.Apply(cmds...)
		if after, _ := base.Marshal(); !bytes.Equal(before, after) {
			t.Fatalf("%s changed the document it was applied to", b)
		}
		Untouched(base, base, cmds)
		if err != nil {
			return
		}
		text, err := next.Marshal()
		if err != nil {
			t.Fatalf("%s: %v", b, err)
		}
		if _, err := Parse(text); err != nil {
			t.Fatalf("%s left a document that is refused: %v", b, err)
		}
		for _, fr := range []int{0, next.Frames / 2, next.Frames - 1} {
			next.At(Time(fr))
		}
	})
}

package cover

import (
	"math"
	"math/rand"
	"strings"
	"testing"

	"celator/core/geom"
)

// evenly returns a random document whose ways can be cut anywhere: none eases, and where
// keys leave parts free, so that a key's ease is not each part's, all are even.
func evenly(rng *rand.Rand) *Document {
	d := random(rng)
	for i := range d.Covers {
		m := &d.Covers[i].Motion
		for k := range m.Keys {
			if m.Keys[k].Ease == Eased || m.parted() {
				m.Keys[k].Ease = Even
			}
		}
		m.settle()
	}
	return d
}

func near(p, q Placement) bool {
	return p.Move.Sub(q.Move).Len() < 1e-6 && math.Abs(p.Turn-q.Turn) < 1e-6 && p.Size.Sub(q.Size).Len() < 1e-6
}

// A change is what was asked on its frame, as far as its scope says elsewhere, and
// nothing beyond.
func TestReach(t *testing.T) {
	made := map[Scope]int{}
	for seed := range int64(600) {
		rng := rand.New(rand.NewSource(seed))
		d := evenly(rng)
		if len(d.Covers) == 0 || d.Covers[0].Proposed != nil || len(d.Covers[0].Outlines) == 0 {
			continue
		}
		c := &d.Covers[0]
		f := Time(c.Span.First + rng.Intn(c.Span.Last-c.Span.First+1))
		for _, k := range c.Motion.Keys { // half the time on a key, which may leave parts free
			if c.Span.Holds(k.Frame) && rng.Intn(2) == 0 {
				f = k.Frame
			}
		}
		was := c.Motion.At(f)
		to := Placement{was.Move.Add(geom.Pt(30, -9)), was.Turn + 4, geom.Pt(was.Size.X*1.1, was.Size.Y)}
		scope := []Scope{ThisFrame, AroundHere, FromHere, WholeSpan}[seed%4]
		reach := Time(1 + rng.Intn(9))
		next, _, err := d.Apply(PlaceCover{Cover: c.ID, Frame: f, Placement: to, Scope: scope, Reach: reach.Frame()})
		if err != nil {
			t.Fatal(err)
		}
		made[scope]++
		n := next.Find(c.ID)
		if !near(n.Motion.At(f), to) {
			t.Fatalf("seed %d: %s at f %v: %v, asked %v", seed, scope, f, n.Motion.At(f), to)
		}
		for g := Time(c.Span.First); c.Span.Holds(g); g += d.Step() {
			before, after := c.Motion.At(g), n.Motion.At(g)
			moved := after.Move.Sub(before.Move).Sub(geom.Pt(30, -9)).Len() < 1e-6 && math.Abs(after.Turn-before.Turn-4) < 1e-6
			same := near(before, after)
			lone := len(c.Motion.Keys) == 0 && scope == WholeSpan // a cover without keys gets its first
			fenced := g <= f-reach && c.Span.Holds(f-reach) || g >= f+reach && c.Span.Holds(f+reach)
			ok := true
			switch {
			case scope == AroundHere && fenced, scope == FromHere && g < f:
				ok = same
			case scope == FromHere, scope == WholeSpan && !lone:
				ok = moved
			}
			if !ok {
				t.Fatalf("seed %d: %s with reach %v at f %v: frame %v went from %v to %v", seed, scope, reach, f, g, before, after)
			}
		}
	}
	for _, s := range []Scope{ThisFrame, AroundHere, FromHere, WholeSpan} {
		if made[s] < 50 {
			t.Errorf("%s was tried %d times", s, made[s])
		}
	}
}

// A size that is keyed apart leaves place and turn as they are on every frame.
func TestKeyedApart(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	for tried := 0; tried < 200; {
		d := random(rng)
		if len(d.Covers) == 0 || d.Covers[0].Proposed != nil || len(d.Covers[0].Motion.Keys) == 0 {
			continue
		}
		tried++
		c := &d.Covers[0]
		f := Time(c.Span.First + rng.Intn(c.Span.Last-c.Span.First+1))
		to := c.Motion.At(f)
		to.Size = to.Size.Mul(1.5)
		next, _, err := d.Apply(PlaceCover{Cover: c.ID, Frame: f, Placement: to, Apart: true})
		if err != nil {
			t.Fatal(err)
		}
		n := next.Find(c.ID)
		if !near(n.Motion.At(f), to) {
			t.Fatalf("at f %v: %v, asked %v", f, n.Motion.At(f), to)
		}
		for g := range d.Frames {
			p, q := c.Motion.At(Time(g)), n.Motion.At(Time(g))
			q.Size = p.Size
			if !near(p, q) {
				t.Fatalf("a size keyed at f %v moved f %v: %v, %v", f, g, p, q)
			}
		}
	}
}

// What is held rests from the key before, and nothing before that key changes.
func TestHold(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	for tried := 0; tried < 200; {
		d := evenly(rng)
		if len(d.Covers) == 0 || d.Covers[0].Proposed != nil || len(d.Covers[0].Motion.Keys) == 0 {
			continue
		}
		c := &d.Covers[0]
		f := Time(c.Span.First + rng.Intn(c.Span.Last-c.Span.First+1))
		next, _, err := d.Apply(HoldKeys{Cover: c.ID, Frame: f})
		k := c.Motion.Keys[0].Frame
		if k >= f {
			continue // nothing to hold, or only of its outline
		}
		if err != nil {
			t.Fatal(err)
		}
		tried++
		for _, key := range c.Motion.Keys {
			if key.Frame < f {
				k = key.Frame
			}
		}
		n := next.Find(c.ID)
		for g := Time(0); g <= f; g += d.Step() {
			want := c.Motion.At(min(g, k))
			if !near(n.Motion.At(g), want) {
				t.Fatalf("held from f %v to f %v: frame %v has %v, not %v", k, f, g, n.Motion.At(g), want)
			}
		}
	}
}

// A duplicate hides what the other hides, on every frame.
func TestDuplicate(t *testing.T) {
	rng := rand.New(rand.NewSource(4))
	for tried := 0; tried < 100; {
		d := random(rng)
		if len(d.Covers) == 0 || len(d.Covers[0].HoldsOut) > 0 {
			continue
		}
		tried++
		next, _, err := d.Apply(DuplicateCover{Cover: d.Covers[0].ID, ID: "twin", Item: "j", Name: "Twin"})
		if err != nil {
			t.Fatal(err)
		}
		for f := range d.Frames {
			l, ok := next.Live(next.Find(d.Covers[0].ID), Time(f))
			m, ok2 := next.Live(next.Find("twin"), Time(f))
			m.Cover = l.Cover
			if ok != ok2 || l.Digest() != m.Digest() {
				t.Fatalf("frame %v: the duplicate hides something else", f)
			}
		}
	}
}

func rect(x, y, right, bottom float64) geom.Rect {
	return geom.Rect{Min: geom.Pt(x, y), Max: geom.Pt(right, bottom)}
}

// A thing that leaves the picture keeps its size, and is placed by what is seen of it.
func TestFitOnTheEdge(t *testing.T) {
	d := New(1280, 720, 20)
	d.Covers = []Cover{{
		ID: "c", Name: "Plate", Span: Span{0, 19}, Motion: Motion{Pivot: geom.Pt(200, 150)},
		Outlines:   []Outline{{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(rect(100, 100, 300, 200))}}}},
		Treatments: []Treatment{NewTreatment("t", "fill")},
	}}
	for _, k := range []struct{ drawn, want geom.Rect }{
		{rect(0, 300, 120, 410), rect(-80, 300, 120, 410)},       // leaves to the left
		{rect(1200, 300, 1279, 400), rect(1200, 300, 1400, 400)}, // to the right, a pixel short of the edge
		{rect(500, -8, 700, 40), rect(500, -60, 700, 40)},        // drawn beyond the top
		{rect(1150, 650, 1290, 730), rect(1150, 650, 1350, 750)}, // out of a corner
		{rect(-300, 300, 100, 400), rect(-300, 300, 100, 400)},   // larger than it was
		{rect(400, 300, 440, 330), rect(400, 300, 440, 330)},     // smaller, but all of it is seen
	} {
		next, _, err := d.Apply(FitCover{Cover: "c", Frame: 7, Rect: k.drawn})
		if err != nil {
			t.Fatal(err)
		}
		if got := next.Find("c").Bounds(7); got.Min.Sub(k.want.Min).Len() > 1e-6 || got.Max.Sub(k.want.Max).Len() > 1e-6 {
			t.Errorf("drawn %v: lies at %v, not %v", k.drawn, got, k.want)
		}
	}
}

// A correction around a frame is told as far as it reaches, or to the next frames that
// are surely followed.
func TestCorrected(t *testing.T) {
	d := New(1280, 720, 60)
	states := []byte(strings.Repeat("g", 60))
	poses := &Poses{}
	for f := range states {
		if f > 25 && f < 40 {
			states[f] = 'w'
		}
		poses.Corners = append(poses.Corners, [8]float64{100, 100, 300, 100, 300, 200, 100, 200})
		poses.Confidence = append(poses.Confidence, .9)
	}
	poses.States = string(states)
	d.Tracks = []Track{{
		ID: "t", Kind: Surface, Model: "affine", Channel: "luma", Poses: poses,
		Surface: []geom.Point{{X: 100, Y: 100}, {X: 300, Y: 100}, {X: 300, Y: 200}, {X: 100, Y: 200}},
	}}
	d.Covers = []Cover{{
		ID: "c", Name: "Plate", Span: Span{0, 59}, Track: "t", Motion: Motion{Pivot: geom.Pt(200, 150)},
		Outlines:   []Outline{{ID: "o", Shape: ShapeBox, Keys: []PathKey{{Knots: geom.Box(rect(100, 100, 300, 200))}}}},
		Treatments: []Treatment{NewTreatment("t", "fill")},
	}}
	d.link()
	moved := Placement{Move: geom.Pt(8, 0), Size: geom.Pt(1, 1)}
	for _, k := range []struct {
		reach int
		want  Span
	}{{6, Span{25, 35}}, {0, Span{26, 39}}} {
		next, _, err := d.Apply(PlaceCover{Cover: "c", Frame: 30, Placement: moved, Scope: AroundHere, Reach: k.reach})
		if err != nil {
			t.Fatal(err)
		}
		if got := next.Find("c").Corrected(); len(got) != 1 || got[0] != k.want {
			t.Errorf("reach %d: corrected %v, not %v", k.reach, got, k.want)
		}
	}
}

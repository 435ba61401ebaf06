package cover

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"math/rand"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"celator/core/geom"
)

// Long: one scenario, told from its beginning to its end.
func random(rng *rand.Rand) *Document {
	d := New(1280, 720, 50+rng.Intn(200))
	d.Fields = rng.Intn(2) == 0
	frames := func(n int) []int { // n ascending frames
		set := map[int]bool{}
		for len(set) < n {
			set[rng.Intn(d.Frames)] = true
		}
		var out []int
		for f := range d.Frames {
			if set[f] {
				out = append(out, f)
			}
		}
		return out
	}
	ease := func() Ease { return []Ease{Even, Held, Eased}[rng.Intn(3)] }
	value := func(hi float64) Value {
		if rng.Intn(2) == 0 {
			return Const(rng.Float64() * hi)
		}
		v := Value{}
		for _, f := range frames(1 + rng.Intn(4)) {
			v.Keys = append(v.Keys, ValueKey{Time(f), rng.Float64() * hi, ease()})
		}
		return v
	}
	for i := range rng.Intn(4) {
		first := rng.Intn(d.Frames)
		c := Cover{
			ID: string(rune('a' + i)), Item: "i", Name: "cover", Off: rng.Intn(5) == 0, Inverted: rng.Intn(5) == 0,
			Unseen: rng.Intn(5) == 0,
			Span:   Span{first, first + rng.Intn(d.Frames-first)}, Grow: value(20), Soften: Pair{value(20), value(20)},
			Motion: Motion{Pivot: geom.Pt(rng.Float64()*1000, 300), Keys: []PlacementKey{}}, Treatments: []Treatment{},
		}
		for _, f := range frames(rng.Intn(6)) {
			c.Motion.Keys = append(c.Motion.Keys, PlacementKey{
				Frame:     Time(f),
				Placement: Placement{geom.Pt(rng.NormFloat64()*99, 7), rng.NormFloat64() * 90, geom.Pt(.2+rng.Float64(), 1)},
				Ease:      ease(),
			})
			if len(c.Motion.Keys) > 1 && rng.Intn(3) == 0 {
				free := Parts{rng.Intn(2) == 0, rng.Intn(2) == 0, rng.Intn(2) == 0}
				c.Motion.Keys[len(c.Motion.Keys)-1].Free = free
			}
		}
		c.Motion.settle()
		o := Outline{ID: "o", Shape: ShapePath}
		n := 3 + rng.Intn(6)
		for _, f := range frames(1 + rng.Intn(3)) {
			k := PathKey{Frame: Time(f), Ease: ease()}
			for range n {
				k.Knots = append(k.Knots, geom.Knot{
					P:   geom.Pt(rng.Float64()*1280, rng.Float64()*720),
					Out: geom.Pt(rng.Float64(), 2),
				})
			}
			o.Keys = append(o.Keys, k)
		}
		c.Outlines = []Outline{o}
		for _, kind := range Kinds[rng.Intn(len(Kinds)):] {
			t := NewTreatment("t"+string(kind.Kind), kind.Kind)
			t.Strength = value(1)
			for _, s := range kind.Settings {
				switch {
				case s.Sort == "choice":
					*t.choice(s.Name) = s.Choices[rng.Intn(len(s.Choices))].Value
				case s.Sort == "switch":
					*t.toggle(s.Name) = rng.Intn(2) == 0
				case s.Sort == "graphic" && rng.Intn(2) == 0:
					t.Graphic = "flag"
				}
			}
			c.Treatments = append(c.Treatments, t)
		}
		c.SoftenSide, c.Style = []SoftenSide{SoftenOutside, SoftenInside, SoftenBoth}[rng.Intn(3)],
			[]string{"", "house"}[rng.Intn(2)]
		c.Transparency = value(1)
		d.Covers = append(d.Covers, c)
	}
	d.Graphics = []Graphic{{ID: "flag", Name: "Flag of Skerry", Width: 3, Height: 2}}
	if len(d.Covers) > 0 && rng.Intn(2) == 0 {
		d.Labels = []Label{{
			ID: "l", Cover: d.Covers[0].ID, Text: "Orsholm", Ring: rng.Intn(2) == 0, Size: 20,
			Colour: "#f0cd7c",
		}}
	}
	if n := len(d.Covers); n > 0 && rng.Intn(2) == 0 {
		tr := randomTrack(rng, d.Frames)
		d.Tracks = []Track{tr}
		c := &d.Covers[rng.Intn(n)]
		c.Track, c.From = tr.ID, Time(rng.Intn(d.Frames))
		if rng.Intn(2) == 0 {
			d.Labels = append(d.Labels, Label{ID: "on", Track: tr.ID, Text: "Quay", Size: 12, Colour: "#ffffff"})
		}
	}
	for i := range rng.Intn(3) {
		d.Markers = append(d.Markers, Marker{ID: fmt.Sprint("m", i), Frame: i * (d.Frames - 1) / 3, Note: "look"})
	}
	if n := len(d.Covers); n > 1 && rng.Intn(2) == 0 {
		h := &d.Covers[n-1]
		h.Treatments, h.HoldsOut = []Treatment{}, [][]string{{"*"}, {d.Covers[0].ID}}[rng.Intn(2)]
		switch rng.Intn(3) {
		case 0:
			h.Crossing = &Crossing{-1, h.Span.First, -1, h.Span.Last}
		case 1:
			h.Outlines, h.Track, h.From = []Outline{}, "", 0
			h.Proposed = &Proposed{
				Surface: "tr", Run: "run", Sensitivity: rng.Float64(), Edge: 1 + 9*rng.Float64(), Least: 50,
				Accepted: []Span{h.Span},
				Strokes: []Stroke{{
					Frame: Time(h.Span.First), Span: h.Span, Add: rng.Intn(2) == 0, Radius: 4,
					Points: []geom.Point{{X: 9 * rng.Float64(), Y: 5}},
				}},
				Mattes: &Mattes{First: h.Span.First, Frames: []MatteFrame{{X: 3, Share: rng.Float64(), Move: &geom.Point{X: 2}}}},
			}
		}
	}
	if err := d.Validate(); err != nil { // and links what rides
		panic(err)
	}
	return d
}

// randomTrack follows a surface, or points, over some of the frames.
func randomTrack(rng *rand.Rand, frames int) Track {
	t := Track{
		ID: "tr", Name: "side", Kind: Surface, Model: "affine", Channel: "best", Frame: Time(rng.Intn(frames)),
		Anchors: []TrackAnchor{},
	}
	for _, p := range geom.Ellipse(geom.Rect{Min: geom.Pt(100, 90), Max: geom.Pt(300+100*rng.Float64(), 260)}) {
		t.Surface = append(t.Surface, p.P)
	}
	if rng.Intn(3) == 0 {
		first := rng.Intn(frames)
		t.Trim = &Span{first, first + rng.Intn(frames-first)}
	}
	if rng.Intn(3) == 0 {
		t.Kind = Points
		if f := Time(rng.Intn(frames)); f != t.Frame {
			t.Anchors = append(t.Anchors, TrackAnchor{Frame: f, Points: slices.Clone(t.Surface)})
		}
	} else if f := Time(rng.Intn(frames)); f != t.Frame {
		t.Anchors = append(t.Anchors, TrackAnchor{Frame: f, Corners: t.Box()})
	}
	p := &Poses{First: rng.Intn(frames / 2)}
	for f := p.First; f < frames-rng.Intn(5); f++ {
		m := geom.Placement(geom.Pt(200, 170), geom.Pt(rng.NormFloat64()*40, 3), rng.NormFloat64()*20, .5+rng.Float64(),
			.5+rng.Float64())
		var q [8]float64
		for i, c := range t.Box() {
			c = m.Apply(c)
			q[2*i], q[2*i+1] = c.X, c.Y
		}
		p.Corners, p.Confidence = append(p.Corners, q), append(p.Confidence, rng.Float64())
		p.States += string(StateLetters[rng.Intn(len(StateLetters))])
		if t.Kind == Points {
			p.Places = append(p.Places, []float64{1, 2})
		}
	}
	t.Poses = p
	return t
}

func same(a, b float64) bool { return math.Abs(a-b) < 1e-9 }

// On a key the value is the key's; a held one never moves early; an even one is
// half way half way; the first holds backward and the last on.
func TestInterpolation(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	for range 300 {
		d := random(rng)
		for _, c := range d.Covers {
			ks := c.Motion.Keys
			for i, k := range ks {
				if c.Motion.At(k.Frame) != k.Placement {
					t.Fatalf("on its key at %v: %+v, key %+v", k.Frame, c.Motion.At(k.Frame), k.Placement)
				}
				if i+1 == len(ks) || c.Motion.parted() {
					continue
				}
				for f := k.Frame + 1; f < ks[i+1].Frame; f++ {
					p := c.Motion.At(f)
					u := float64(f-k.Frame) / float64(ks[i+1].Frame-k.Frame)
					switch k.Ease {
					case Held:
						if p != k.Placement {
							t.Fatal("a held key moved early")
						}
					case Even:
						if !same(p.Turn, k.Turn+u*(ks[i+1].Turn-k.Turn)) || !same(p.Move.X, k.Move.X+u*(ks[i+1].Move.X-k.Move.X)) {
							t.Fatal("uneven")
						}
					case Eased: // inside, and symmetric
						if q := k.Ease.blend(u) + k.Ease.blend(1-u); !same(q, 1) {
							t.Fatal("easing is lopsided")
						}
					}
				}
			}
			if len(ks) > 0 && (c.Motion.At(0) != ks[0].Placement || c.Motion.At(Time(d.Frames-1)) != ks[len(ks)-1].Placement) {
				t.Fatal("the ends do not hold")
			}
			for _, o := range c.Outlines {
				for _, k := range o.Keys {
					if !reflect.DeepEqual(o.At(k.Frame), k.Knots) {
						t.Fatal("an outline is not its key's on a key")
					}
				}
			}
		}
	}
}

func TestLiveFollowsSpanAndSwitches(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	for range 100 {
		d := random(rng)
		for f := range d.Frames {
			want := 0
			for i := range d.Covers {
				c := &d.Covers[i]
				on := false
				for _, tr := range c.Treatments {
					on = on || tr.Strength.At(Time(f)) > 0
				}
				if !c.Off && c.Span.First <= f && f <= c.Span.Last && on {
					want++
				}
			}
			if got := len(d.At(Time(f))); got != want {
				t.Fatalf("frame %d: %d live covers, want %d", f, got, want)
			}
		}
	}
}

func schema(t testing.TB) *jsonschema.Schema {
	c := jsonschema.NewCompiler()
	s, err := c.Compile(filepath.Join("..", "..", "docs", "document.schema.json"))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func conforms(t *testing.T, s *jsonschema.Schema, b []byte) error {
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	return s.Validate(v)
}

// What is written conforms to the published schema and reads back as it was.
func TestWrittenDocuments(t *testing.T) {
	s, rng := schema(t), rand.New(rand.NewSource(3))
	for range 200 {
		d := random(rng)
		b, err := d.Marshal()
		if err != nil {
			t.Fatal(err)
		}
		if err := conforms(t, s, b); err != nil {
			t.Fatalf("%v\n%s", err, b)
		}
		back, err := Parse(b)
		if err != nil {
			t.Fatalf("%v\n%s", err, b)
		}
		if !reflect.DeepEqual(d, back) {
			t.Fatalf("read back otherwise:\n%+v\n%+v", d, back)
		}
	}
	examples, _ := filepath.Glob(filepath.Join("..", "..", "docs", "examples", "*.json"))
	if len(examples) < 2 {
		t.Fatal("the example documents are missing")
	}
	for _, e := range examples {
		b, err := os.ReadFile(e)
		if err != nil {
			t.Fatal(err)
		}
		if err := conforms(t, s, b); err != nil {
			t.Errorf("%s: %v", e, err)
		}
		if _, err := Parse(b); err != nil {
			t.Errorf("%s: %v", e, err)
		}
	}
}

// What the parser refuses, with the place in the error.
func TestBadDocuments(t *testing.T) {
	good, _ := os.ReadFile(filepath.Join("..", "..", "docs", "examples", "plate.json"))
	for name, change := range map[string]func(map[string]any){
		"version":    func(d map[string]any) { d["version"] = 2 },
		"unknown":    func(d map[string]any) { d["colour"] = 1 },
		"span":       func(d map[string]any) { cover0(d)["span"] = map[string]any{"first": 5, "last": 4} },
		"span end":   func(d map[string]any) { cover0(d)["span"] = map[string]any{"first": 0, "last": 1e6} },
		"no outline": func(d map[string]any) { cover0(d)["outlines"] = []any{} },
		"grow":       func(d map[string]any) { cover0(d)["grow"] = -1 },
		"null value": func(d map[string]any) { cover0(d)["grow"] = nil },
		"no id":      func(d map[string]any) { cover0(d)["id"] = "" },
		"no track":   func(d map[string]any) { cover0(d)["track"] = "nobody" },
		"held out":   func(d map[string]any) { cover0(d)["treatments"] = []any{}; cover0(d)["holdsOut"] = []any{"nobody"} },
		"bad track": func(d map[string]any) {
			d["tracks"] = []any{map[string]any{
				"id": "t", "name": "", "kind": "surface", "model": "affine", "channel": "luma",
				"frame": 0, "surface": []any{}, "anchors": []any{},
			}}
		},
		"no graphic": func(d map[string]any) {
			cover0(d)["treatments"] = []any{map[string]any{
				"id": "t", "kind": "patch", "strength": 1, "scale": 1, "graphic": "nobody",
			}}
		},
		"graphic": func(d map[string]any) {
			d["graphics"] = []any{map[string]any{"id": "g", "name": "", "width": 3, "height": 2, "png": "AAAA"}}
		},
		"label": func(d map[string]any) {
			d["labels"] = []any{map[string]any{
				"id": "l", "cover": "nobody", "text": "x", "ring": false, "size": 20,
				"colour": "#ffffff",
			}}
		},
		"soften side":  func(d map[string]any) { cover0(d)["softenSide"] = "somewhere" },
		"transparency": func(d map[string]any) { cover0(d)["transparency"] = 1.5 },
		"same id":      func(d map[string]any) { d["covers"] = append(d["covers"].([]any), d["covers"].([]any)[0]) },
		"mixed kind": func(d map[string]any) {
			cover0(d)["treatments"] = []any{map[string]any{
				"id": "t", "kind": "fill", "colour": "#000000", "strength": 1, "cell": map[string]any{"across": 9, "down": 9},
			}}
		},
	} {
		var d map[string]any
		if err := json.Unmarshal(good, &d); err != nil {
			t.Fatal(err)
		}
		change(d)
		b, _ := json.Marshal(d)
		if _, err := Parse(b); err == nil {
			t.Errorf("%s: taken", name)
		}
	}
}

func cover0(d map[string]any) map[string]any { return d["covers"].([]any)[0].(map[string]any) }

func FuzzParse(f *testing.F) {
	for _, e := range []string{"plate.json", "sign.json"} {
		b, _ := os.ReadFile(filepath.Join("..", "..", "docs", "examples", e))
		f.Add(b)
	}
	f.Add([]byte(`{"version":1,"width":1,"height":1,"frames":1,"covers":null}`))
	for rng := rand.New(rand.NewSource(5)); ; {
		if d := random(rng); len(d.Tracks) > 0 {
			b, _ := d.Marshal()
			f.Add(b)
			break
		}
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := Parse(b)
		if err != nil {
			return
		}
		for _, fr := range []int{0, d.Frames / 2, d.Frames - 1} {
			for _, l := range d.At(Time(fr)) {
				for _, p := range l.Paths {
					p.Bounds()
				}
			}
		}
		out, err := d.Marshal()
		if err != nil {
			t.Fatal(err)
		}
		back, err := Parse(out)
		if err != nil {
			t.Fatalf("what was written is refused: %v", err)
		}
		again, _ := back.Marshal()
		if !bytes.Equal(out, again) {
			t.Fatal("writing is not stable")
		}
	})
}

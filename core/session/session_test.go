package session

import (
	"encoding/json"
	"math"
	"math/rand"
	"reflect"
	"slices"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
)

// plate is a document with a cover on a track, a holdout before it, and a label.
func plate(t *testing.T) *cover.Document {
	t.Helper()
	d := cover.New(640, 360, 60)
	box := geom.Rect{Min: geom.Pt(100, 80), Max: geom.Pt(220, 140)}
	outline := func(shape cover.Shape, p geom.Path) []cover.Outline {
		return []cover.Outline{{ID: "o1", Shape: shape, Keys: []cover.PathKey{{Knots: p}}}}
	}
	track := cover.Track{
		ID: "t", Name: "Wall", Kind: cover.Surface, Model: "affine", Channel: "luma", Anchors: []cover.TrackAnchor{},
		Surface: []geom.Point{{X: 90, Y: 70}, {X: 240, Y: 70}, {X: 240, Y: 160}, {X: 90, Y: 160}}, Attempt: "run",
	}
	d, _, err := d.Apply(
		cover.SetTrack{Track: track},
		cover.AddCover{New: cover.Cover{
			ID: "c", Item: "plate", Name: "Quay plate", Span: cover.Span{First: 5, Last: 50}, Soften: cover.ConstPair(4, 4),
			Outlines:   outline(cover.ShapeBox, geom.Box(box)),
			Treatments: []cover.Treatment{cover.NewTreatment("t1", cover.Blur)},
		}},
		cover.AddCover{New: cover.Cover{
			ID: "h", Name: "In front", Span: cover.Span{First: 20, Last: 30}, HoldsOut: []string{"c"},
			Outlines: outline(cover.ShapeEllipse, geom.Ellipse(box)),
		}},
		cover.SetLabel{Label: cover.Label{ID: "l", Cover: "c", Text: "Orsholm", Size: 20, Colour: "#f0cd7c"}},
	)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// poses of a surface that moves two pixels a frame to the right.
func poses(d *cover.Document) *cover.Poses {
	p := &cover.Poses{}
	box := d.Tracks[0].Box()
	for f := range d.Frames {
		var q [8]float64
		for i, c := range box {
			q[2*i], q[2*i+1] = c.X+2*float64(f), c.Y
		}
		p.Corners, p.Confidence, p.States = append(p.Corners, q), append(p.Confidence, 1), p.States+"g"
	}
	return p
}

// ask runs a call as the browser does: JSON in, JSON out.
func ask[Out any](t *testing.T, s *Session, name string, request any) (out Out) {
	t.Helper()
	in, err := json.Marshal(request)
	if err != nil {
		t.Fatal(err)
	}
	r := s.Answer(name, in)
	if r.Error != "" {
		t.Fatalf("%s: %s", name, r.Error)
	}
	b, err := json.Marshal(r.Value)
	if err != nil {
		t.Fatalf("%s: its answer cannot be written: %v", name, err)
	}
	if err := json.Unmarshal(b, &out); err != nil {
		t.Fatalf("%s: %s is no %T: %v", name, b, out, err)
	}
	return out
}

func opened(t *testing.T) (*Session, *cover.Document) {
	t.Helper()
	s, d := New(), plate(t)
	ask[None](t, s, "load", LoadRequest{*d})
	ask[None](t, s, "poses", PosesRequest{"run", poses(d)})
	return s, d
}

// A drag is shown as a draft of the saved document, again and again, and what is kept is
// the last of it.
func TestDraftsAndKeeping(t *testing.T) {
	s, _ := opened(t)
	place := func(x float64) cover.Commands {
		p := cover.Rest
		p.Move.X = x
		return cover.Commands{cover.PlaceCover{Cover: "c", Frame: 10, Placement: p}}
	}
	at := func() float64 { return ask[SelectedCover](t, s, "selected", CoverOnFrame{"c", 10}).Centre.X }
	home := at()
	for _, x := range []float64{5, 60, 12} {
		if l := ask[ApplyAnswer](t, s, "apply", ApplyRequest{place(x)}).Label; l != "moved Quay plate at f 10" {
			t.Fatalf("the change is called %q", l)
		}
		if got := at(); math.Abs(got-home-x) > 1e-9 {
			t.Fatalf("dragged by %g it lies %g further", x, got-home)
		}
	}
	ask[None](t, s, "keep", None{})
	ask[ApplyAnswer](t, s, "apply", ApplyRequest{cover.Commands{}})
	if got := at(); math.Abs(got-home-12) > 1e-9 {
		t.Fatalf("kept, it lies %g further", got-home)
	}
	bad, _ := json.Marshal(ApplyRequest{cover.Commands{cover.RenameCover{Cover: "nobody", Name: "x"}}})
	if r := s.Answer("apply", bad); !strings.Contains(r.Error, "not there any more") {
		t.Errorf("a command for nobody: %+v", r)
	}
	if r := s.Answer("apply", []byte(`{"commands":[{"do":"vanish"}]}`)); !strings.Contains(r.Error,
		`"vanish" is no command`) {
		t.Errorf("an unknown command: %+v", r)
	}
}

// What the bench shows of a followed cover is what the core evaluates, and what was
// looked at counts until something that decides its pixels changes.
func TestFollowedAndLookedAt(t *testing.T) {
	s, d := opened(t)
	ask[ApplyAnswer](t, s, "apply", ApplyRequest{cover.Commands{cover.RideTrack{Cover: "c", ID: "t", Frame: 10}}})
	ask[None](t, s, "keep", None{})
	a, b := ask[SelectedCover](t, s, "selected", CoverOnFrame{"c", 10}),
		ask[SelectedCover](t, s, "selected", CoverOnFrame{"c", 25})
	if math.Abs(b.Centre.X-a.Centre.X-30) > 1e-6 || math.Abs(b.Carry[2]-30) > 1e-6 {
		t.Errorf("15 frames on it lies %g further, by a map of %g", b.Centre.X-a.Centre.X, b.Carry[2])
	}
	rows := ask[[]TimelineRow](t, s, "rows", None{})
	if r := rows[0]; r.ID != "c" || len(r.States) != d.Frames || !slices.Equal(r.Holdouts, []string{"h"}) {
		t.Errorf("its row: %+v", r)
	}
	on := ask[SurfaceOnFrame](t, s, "surface", TrackOnFrame{d.Tracks[0], "run", 25})
	if on.State != "g" || math.Abs(on.Corners[0].X-90-50) > 1e-6 {
		t.Errorf("the surface: %+v", on)
	}

	looks := LookedRequest{map[string]map[int]string{"c": {}}}
	for _, f := range []int{10, 25} {
		looks.Looks["c"][f] = ask[string](t, s, "digest", CoverOnFrame{"c", cover.Time(f)})
	}
	if l := ask[map[string][]int](t, s, "looked", looks); !slices.Equal(l["c"], []int{10, 25}) {
		t.Errorf("looked at: %v", l)
	}
	side := cover.Commands{cover.SoftenOn{Cover: "h", Side: "inside"}} // the holdout is there on 25
	ask[ApplyAnswer](t, s, "apply", ApplyRequest{side})
	if l := ask[map[string][]int](t, s, "looked", looks); !slices.Equal(l["c"], []int{10}) {
		t.Errorf("after a change in front, looked at: %v", l)
	}
}

// A panic is an error in words, and the shot is as it was saved.
func TestPanicLeavesTheDocumentWhole(t *testing.T) {
	s, d := opened(t)
	was := ask[cover.Document](t, s, "document", None{})
	ask[ApplyAnswer](t, s, "apply", ApplyRequest{cover.Commands{cover.RemoveCover{Cover: "c"}}})
	// States without corners are no poses that any tracker writes.
	ask[None](t, s, "poses", PosesRequest{"broken", &cover.Poses{States: "gg"}})
	in, _ := json.Marshal(TrackOnFrame{d.Tracks[0], "broken", 1})
	if r := s.Answer("surface", in); !strings.Contains(r.Error, "the shot is as it was") {
		t.Fatalf("a broken answer: %+v", r)
	}
	if now := ask[cover.Document](t, s, "document", None{}); !reflect.DeepEqual(now, was) {
		t.Error("after a panic the document is another one")
	}
}

// Whatever is asked, in whatever order, ends in an answer that can be written or in an
// error in words; without a shot only what needs none is answered.
func TestEveryCallAnswers(t *testing.T) {
	empty := New()
	for _, c := range Calls {
		in, _ := json.Marshal(reflect.Zero(c.Request).Interface())
		if r := empty.Answer(c.Name, in); !c.free && r.Error != "no shot is open" {
			t.Errorf("%s without a shot: %+v", c.Name, r)
		}
	}
	if r := empty.Answer("nonsense", nil); r.Error == "" {
		t.Error("nonsense is answered")
	}
	rng := rand.New(rand.NewSource(31))
	s, _ := opened(t)
	answered := map[string]int{}
	for range 4000 {
		c := Calls[rng.Intn(len(Calls))]
		in, _ := json.Marshal(fill(rng, c.Request).Interface())
		if rng.Intn(20) == 0 {
			in = in[:rng.Intn(len(in))]
		}
		r := s.Answer(c.Name, in)
		if _, err := json.Marshal(r); err != nil && !strings.Contains(err.Error(), "unsupported value") {
			t.Fatalf("%s %s: %v", c.Name, in, err)
		}
		// Poses that no tracker writes, made known here, may fail what reads them.
		reads := slices.Contains([]string{"surface", "ghost", "exportTrack", "rows", "tracks", "followed"}, c.Name)
		if strings.Contains(r.Error, "the core failed") && !reads {
			t.Errorf("%s %.300s: %s", c.Name, in, r.Error)
		}
		if r.Error == "" {
			answered[c.Name]++
		}
		if len(s.saved.Covers) == 0 || s.saved.Frames < 2 { // another document was loaded
			s, _ = opened(t)
		}
	}
	for _, name := range []string{
		"selected", "covers", "rows", "course", "digest", "nearest", "posed", "copy",
		"timecode",
	} {
		if answered[name] == 0 {
			t.Errorf("%s was never answered", name)
		}
	}
}

// fill makes a value of a type from chance, with names that a plate's document has.
func fill(rng *rand.Rand, typ reflect.Type) reflect.Value {
	v := reflect.New(typ).Elem()
	switch typ.Kind() {
	case reflect.String:
		words := []string{"c", "h", "t", "run", "o1", "csv", "10", "grow", "", "box", "nobody"}
		v.SetString(words[rng.Intn(len(words))])
	case reflect.Int, reflect.Int64:
		v.SetInt(int64(rng.Intn(70) - 5))
	case reflect.Float64:
		v.SetFloat(rng.NormFloat64() * 100)
	case reflect.Bool:
		v.SetBool(rng.Intn(2) == 0)
	case reflect.Array:
		for i := range v.Len() {
			v.Index(i).Set(fill(rng, typ.Elem()))
		}
	case reflect.Slice:
		if typ.Elem().Kind() == reflect.Interface {
			return v
		}
		for range rng.Intn(4) {
			v.Set(reflect.Append(v, fill(rng, typ.Elem())))
		}
	case reflect.Pointer:
		if rng.Intn(2) == 0 {
			p := reflect.New(typ.Elem())
			p.Elem().Set(fill(rng, typ.Elem()))
			v.Set(p)
		}
	case reflect.Struct:
		for i := range typ.NumField() {
			if typ.Field(i).IsExported() {
				v.Field(i).Set(fill(rng, typ.Field(i).Type))
			}
		}
	}
	return v
}

// The placement with another size leaves the middle where it is, on a track as well.
func TestPosedKeepsTheMiddle(t *testing.T) {
	s, _ := opened(t)
	rng := rand.New(rand.NewSource(32))
	for range 50 {
		f := 5 + rng.Intn(40)
		was := ask[SelectedCover](t, s, "selected", CoverOnFrame{"c", cover.Time(f)})
		p := ask[cover.Placement](t, s, "posed", PosedRequest{
			Cover: "c", Frame: cover.Time(f), Turn: 360 * rng.Float64(), Size: geom.Pt(.3+rng.Float64(), .3+rng.Float64()),
		})
		place := cover.Commands{cover.PlaceCover{Cover: "c", Frame: cover.Time(f), Placement: p}}
		ask[ApplyAnswer](t, s, "apply", ApplyRequest{place})
		ask[None](t, s, "keep", None{})
		now := ask[SelectedCover](t, s, "selected", CoverOnFrame{"c", cover.Time(f)})
		if now.Centre.Sub(was.Centre).Len() > 1e-6 {
			t.Fatalf("the middle went from %v to %v", was.Centre, now.Centre)
		}
	}
}

package interchange

import (
	"encoding/json"
	"math"
	"reflect"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
)

func example() *cover.Track {
	t := &cover.Track{
		ID: "t1", Name: "Plate", Kind: cover.Surface, Model: "affine", Channel: "luma", Frame: 1,
		Surface: []geom.Point{{X: 10, Y: 20}, {X: 60, Y: 22}, {X: 58, Y: 48}, {X: 12, Y: 50}}, Anchors: []cover.TrackAnchor{},
	}
	p := &cover.Poses{States: "gaw-l", Confidence: []float64{.9, 1, .5, 0, 0}}
	for f := range 5 {
		m := geom.Map{
			1 + .02*float64(f-1), .01 * float64(f-1), 3 * float64(f-1), 0, 1, 2 * float64(f-1),
			1e-5 * float64(f-1), 0, 1,
		}
		var q [8]float64
		for i, c := range t.Box() {
			c = m.Apply(c)
			q[2*i], q[2*i+1] = c.X, c.Y
		}
		p.Corners = append(p.Corners, q)
	}
	t.Poses = p
	return t
}

// What is written and read again carries the surface to the same places.
func TestTrackThereAndBack(t *testing.T) {
	a := example()
	js, err := TrackJSON(a)
	if err != nil {
		t.Fatal(err)
	}
	b, err := ParseTrackJSON(js, 5)
	if err != nil {
		t.Fatal(err)
	}
	c, err := ParseTrackCSV(TrackCSV(a), 5)
	if err != nil {
		t.Fatal(err)
	}
	for f := range 5 {
		for _, q := range a.Surface {
			want := a.Map(cover.Time(f)).Apply(q)
			if got := b.Map(cover.Time(f)).Apply(q); got.Sub(want).Len() > 1e-6 {
				t.Errorf("JSON, frame %d: %v, not %v", f, got, want)
			}
			if f != 3 && c.Map(cover.Time(f)).Apply(q).Sub(want).Len() > 2e-3 {
				t.Errorf("CSV, frame %d: %v, not %v", f, c.Map(cover.Time(f)).Apply(q), want)
			}
		}
	}
	if c.Frame != 1 || c.Poses.States != "gaw-l" || c.Poses.Confidence[0] != .9 {
		t.Errorf("CSV: frame %v, states %q, %v", c.Frame, c.Poses.States, c.Poses.Confidence)
	}
}

func TestBadTracks(t *testing.T) {
	rows := strings.Split(strings.TrimSpace(string(TrackCSV(example()))), "\n")
	for words, text := range map[string]string{
		"no first line": "", "first line must be": "frame,x\n", "no frame": rows[0],
		"there twice":     rows[0] + "\n" + rows[1] + "\n" + rows[1],
		"no coordinate":   rows[0] + "\n2,nan,1,1,1,1,1,1,1",
		"no state":        rows[0] + "\n" + strings.Replace(rows[1], "good", "fine", 1),
		"no frame of the": rows[0] + "\n9" + rows[1],
		"have no area":    rows[0] + "\n" + rows[1] + "\n3,1,1,1,1,1,1,1,1",
	} {
		if _, err := ParseTrackCSV([]byte(text), 5); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%q: %v", words, err)
		}
	}
}

func TestOutlineThereAndBack(t *testing.T) {
	paths := []geom.Path{
		geom.Ellipse(geom.Rect{Min: geom.Pt(10, 20), Max: geom.Pt(110, 70)}),
		geom.Box(geom.Rect{Min: geom.Pt(1, 2), Max: geom.Pt(9, 8)}),
	}
	got, err := ParseOutlineSVG(OutlineSVG(640, 360, paths))
	if err != nil || len(got) != 2 {
		t.Fatalf("%d paths, %v", len(got), err)
	}
	for i, p := range paths {
		if len(got[i]) != len(p) {
			t.Fatalf("path %d has %d knots, not %d", i, len(got[i]), len(p))
		}
		for s := range p {
			for _, at := range []float64{0, .3, .8} {
				if d := got[i].At(s, at).Sub(p.At(s, at)).Len(); d > 1e-3 {
					t.Errorf("path %d, segment %d at %g: %.4f off", i, s, at, d)
				}
			}
		}
	}
	// The short forms give the same as the long one.
	long, err := ParseOutlineSVG([]byte(`<svg><path d="M10 10 L30 10 L30 40 C30 50 20 50 20 40 C20 30 10 30 10 ` +
		`40 Z"/></svg>`))
	if err != nil {
		t.Fatal(err)
	}
	short, err := ParseOutlineSVG([]byte(`<svg><path d="m10,10h20v30c0,10-10,10-10,0s-10-10-10,0z"/></svg>`))
	if err != nil || len(short[0]) != len(long[0]) {
		t.Fatal(err)
	}
	for s := range long[0] {
		if d := short[0].At(s, .5).Sub(long[0].At(s, .5)).Len(); d > 1e-9 {
			t.Errorf("segment %d: %.4f off", s, d)
		}
	}
	for _, bad := range []string{
		"", "<svg/>", `<svg><path d="M1 1 A 3 3 0 0 0 9 9"/></svg>`,
		`<svg><path d="M1 1 L"/></svg>`, `<svg><g transform="scale(2)"><path d="M1 1L2 2L3 1Z"/></g></svg>`,
		`<svg><path d="M1 1L2 2Z"/></svg>`, `<svg><path d="5 5"/></svg>`,
	} {
		if _, err := ParseOutlineSVG([]byte(bad)); err == nil {
			t.Errorf("%q is read", bad)
		}
	}
}

func TestKeysThereAndBack(t *testing.T) {
	c := cover.Cover{
		ID: "c", Name: "Plate", Span: cover.Span{Last: 9},
		Outlines: []cover.Outline{{
			ID: "o", Shape: cover.ShapeBox,
			Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Max: geom.Pt(9, 9)})}},
		}},
		Motion: cover.Motion{Keys: []cover.PlacementKey{
			{Frame: 0, Placement: cover.Rest, Ease: cover.Held},
			{
				Frame: 4, Placement: cover.Placement{Move: geom.Pt(3.25, -8), Turn: 12.5, Size: geom.Pt(1.5, .75)},
				Ease: cover.Eased,
			},
			{Frame: 9, Placement: cover.Rest},
		}},
	}
	got, err := ParseKeysCSV(KeysCSV(&c), 10)
	if err != nil || !reflect.DeepEqual(got, c.Motion.Keys) {
		t.Errorf("%+v, %v", got, err)
	}
	if got, err = ParseKeysCSV([]byte("\xef\xbb\xbfframe, move_x,move_y,turn\n2,1,2,3\n"), 10); err != nil ||
		len(got) != 1 || got[0].Size != geom.Pt(1, 1) || got[0].Turn != 3 {
		t.Errorf("a short row: %+v, %v", got, err)
	}
	head := strings.Join(keyHeader, ",") + "\n"
	for words, text := range map[string]string{
		"no first line": "", "first line must be": "frame,x,y\n", "no key": head, "is no frame": head + "x,1,2,3\n",
		"is no number":     head + "1,1,two,3\n",
		"outside the shot": head + "12,1,2,3\n", "not in order": head + "4,1,2,3\n4,1,2,3\n",
		"ease": head + "1,1,2,3,1,1,slow\n", "size": head + "1,1,2,3,0,1\n", "fields": head + "1,1\n",
	} {
		if _, err := ParseKeysCSV([]byte(text), 10); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%q: %v", words, err)
		}
	}
	b, _ := json.Marshal(&c)
	back, err := ParseCover(b)
	if err != nil || !reflect.DeepEqual(back.Motion, c.Motion) || back.Name != "Plate" {
		t.Errorf("%+v, %v", back, err)
	}
	for _, bad := range []string{"", "[]", `{"colour":1}`, `{"id":"c","track":"t"}`} {
		if _, err := ParseCover([]byte(bad)); err == nil {
			t.Errorf("%q is read", bad)
		}
	}
}

// Whatever is read without an error can be evaluated, written, and read again.
func FuzzParse(f *testing.F) {
	js, _ := TrackJSON(example())
	f.Add([]byte("frame,move_x,move_y,turn,size_x,size_y,ease\n1,2,3,4,1,1,held\n"))
	f.Add(TrackCSV(example()))
	f.Add(js)
	f.Add(OutlineSVG(64, 36, []geom.Path{geom.Ellipse(geom.Rect{Max: geom.Pt(9, 9)})}))
	f.Add([]byte(`<svg><path d="m10,10h20v30q0,10-10,10t1 1z"/><polygon points="1,1 2,2 3,1"/><rect width="3" h` +
		`eight="4e0"/></svg>`))
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, parse := range []func([]byte, int) (*cover.Track, error){ParseTrackCSV, ParseTrackJSON} {
			tr, err := parse(b, 6)
			if err != nil {
				continue
			}
			for n := range 6 {
				for _, v := range tr.Map(cover.Time(n)) {
					if math.IsNaN(v) {
						t.Fatalf("frame %d: %v", n, tr.Map(cover.Time(n)))
					}
				}
			}
			d := cover.New(16, 16, 6)
			d.Tracks = []cover.Track{*tr}
			if err := d.Validate(); err != nil {
				t.Fatalf("what was read is no track: %v", err)
			}
		}
		if paths, err := ParseOutlineSVG(b); err == nil {
			// Shapes smaller than what is written fall together and may be refused then;
			// what is read again lies where it was.
			if again, err := ParseOutlineSVG(OutlineSVG(9, 9, paths)); err == nil && len(again) == len(paths) {
				for i := range paths {
					x, y := paths[i].Bounds(), again[i].Bounds()
					if d := max(x.Min.Sub(y.Min).Len(), x.Max.Sub(y.Max).Len()); d > .01 {
						t.Fatalf("%q: a shape lies %g px from where it was", b, d)
					}
				}
			}
		}
		if keys, err := ParseKeysCSV(b, 6); err == nil {
			if again, err := ParseKeysCSV(KeysCSV(&cover.Cover{Motion: cover.Motion{Keys: keys}}), 6); err == nil &&
				len(again) != len(keys) {
				t.Fatalf("%d keys were %d", len(again), len(keys))
			}
		}
		ParseCover(b)
	})
}

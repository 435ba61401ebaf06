package reading

import (
	"context"
	"image"
	"image/color"
	"math"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"celator/core/geom"
)

// painted is a map of text in which a rectangle, turned by deg about its middle, is sure.
func painted(w, h int, sure float32, rects ...geom.Quad) Tensor {
	m := NewTensor(h, w)
	for i := range m.Data {
		m.Data[i] = .02
		for _, q := range rects {
			if q.Holds(geom.Pt(float64(i%w)+.5, float64(i/w)+.5)) {
				m.Data[i] = sure
			}
		}
	}
	return m
}

func turned(c geom.Point, w, h, deg float64) geom.Quad {
	s, k := math.Sincos(deg * math.Pi / 180)
	at := func(x, y float64) geom.Point { return c.Add(geom.Pt(x*k-y*s, x*s+y*k)) }
	return geom.Quad{at(-w/2, -h/2), at(w/2, -h/2), at(w/2, h/2), at(-w/2, h/2)}
}

// A rectangle in the map is found where it is, turned as it is, and as much larger as the
// network made it smaller; its corners begin at its upper left.
func TestOutlines(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	for range 200 {
		w, h := 40+80*rng.Float64(), 8+14*rng.Float64()
		deg := -44 + 88*rng.Float64()
		q := turned(geom.Pt(100+20*rng.Float64(), 90+20*rng.Float64()), w, h, deg)
		found := Outlines(painted(220, 200, .9, q))
		if len(found) != 1 {
			t.Fatalf("%d boxes for one of %v", len(found), q)
		}
		d := unclip * w * h / (2 * (w + h))
		want, got := q.Grown(d), found[0].Quad
		for i := range want {
			if far := want[i].Sub(got[i]).Len(); far > 3 {
				t.Fatalf("%.0f°: corner %d is at %v, %.1f px from %v", deg, i, got[i], far, want[i])
			}
		}
		if found[0].Sure < .75 {
			t.Fatalf("it is %.2f sure", found[0].Sure)
		}
	}
	for name, m := range map[string]Tensor{
		"what is less sure":  painted(100, 60, .4, turned(geom.Pt(50, 30), 60, 12, 0)),
		"noise":              painted(100, 60, .9, turned(geom.Pt(50, 30), 2, 2, 0)),
		"what is no number":  painted(100, 60, float32(math.NaN()), turned(geom.Pt(50, 30), 60, 12, 0)),
		"nothing whatsoever": NewTensor(1, 1),
	} {
		if found := Outlines(m); len(found) > 0 {
			t.Errorf("%s is taken for text: %v", name, found)
		}
	}
	two := Outlines(painted(200, 100, .8, turned(geom.Pt(50, 50), 60, 12, 0), turned(geom.Pt(150, 50), 60, 12, 10)))
	if len(two) != 2 {
		t.Errorf("two lines are %d boxes", len(two))
	}
}

// Pieces cover all there is, none is longer than it may be, and neighbours overlap.
func TestPieces(t *testing.T) {
	rng := rand.New(rand.NewSource(4))
	for range 2000 {
		lap := 1 + rng.Intn(100)
		most := lap + 20 + rng.Intn(900)
		n := 1 + rng.Intn(6000)
		all := pieces(n, most, lap)
		if all[0][0] != 0 || all[len(all)-1][1] < n {
			t.Fatalf("pieces of %d are %v", n, all)
		}
		for i, p := range all {
			if p[1]-p[0] > most || i > 0 && all[i-1][1]-p[0] < lap-1 {
				t.Fatalf("pieces of %d, at most %d, overlapping by %d: %v", n, most, lap, all)
			}
		}
	}
}

// told is what Recognise tells of a text: each character for two steps, blanks between, and
// where the text has a space the blanks are three times as many.
func told(text string, keys []string) Tensor {
	var steps []int
	for _, r := range text {
		if r == ' ' {
			steps = append(steps, 0, 0, 0, 0, 0, 0)
			continue
		}
		k := slices.Index(keys, string(r)) + 1
		steps = append(steps, k, k, 0, 0)
	}
	n := len(keys) + 2
	t := NewTensor(1, len(steps), n)
	for i, k := range steps {
		for j := range n {
			t.Data[i*n+j] = .1 / float32(n)
		}
		t.Data[i*n+k] = .9
	}
	return t
}

func TestDecode(t *testing.T) {
	keys := strings.Split("ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789：", "")
	for _, want := range []string{"KS 47 OH", "AA00", "SKERRY CARGO", "B"} {
		if got, sure := Decode(told(want, keys), keys); got != want || sure < .85 {
			t.Errorf("%q is read as %q, %.2f sure", want, got, sure)
		}
	}
	if got, _ := Decode(told("14：27", keys), keys); got != "14:27" {
		t.Errorf("wide signs are read as %q", got)
	}
	if got, sure := Decode(NewTensor(1, 9, len(keys)+2), keys); got != "" || sure != 0 {
		t.Errorf("blanks are read as %q", got)
	}
}

// Windows read as characters that are frames; a sign in such a script has others too.
func TestFramework(t *testing.T) {
	for text, want := range map[string]bool{"田": true, "田 口田": true, "一三": true, "": false, "田中通": false, "I": false} {
		if got := Framework(text); got != want {
			t.Errorf("%q: %v", text, got)
		}
	}
}

func TestNear(t *testing.T) {
	for _, v := range []struct {
		a, b   string
		lo, hi float64
	}{
		{"KS 47 OH", "ks47oh", 1, 1},
		{"KS 47 OH", "KS 47 0H", .9, .99}, // O and 0 are taken for each other
		{"KS 47 OH", "KS 48 OH", .8, .9},
		{"KS 47 OH", "Velmouth", 0, .4},
		{"Quillnick", "Qui inick", .9, .95}, // of two in a row that are the same one is easily left out
		{"", "KS", 0, 0},
	} {
		if n := Near(v.a, v.b); n < v.lo || n > v.hi || n != Near(v.b, v.a) {
			t.Errorf("%q and %q are %.3f near, %.3f the other way", v.a, v.b, n, Near(v.b, v.a))
		}
	}
	if n := Holds("call 0731 555 204 today", "0731 555 2O4"); n < .95 {
		t.Errorf("a number within a text is found to %.2f", n)
	}
	if n := Holds("Orsholm ferry", "0731 555 204"); n > .4 {
		t.Errorf("a number that is not there is found to %.2f", n)
	}
}

func FuzzNear(f *testing.F) {
	f.Add("KS 47 OH", "KS47OH")
	f.Fuzz(func(t *testing.T, a, b string) {
		n := Near(a, b)
		if n < 0 || n > 1 || n != Near(b, a) || Fold(a) == Fold(b) && Fold(a) != "" && n != 1 {
			t.Errorf("%q and %q: %v, %v", a, b, n, Near(b, a))
		}
		if h := Holds(a, b); h < 0 || h > 1 || h < n-1e-9 && len([]rune(Fold(b))) >= len([]rune(Fold(a))) {
			t.Errorf("%q holds %q to %v, they are %v near", a, b, h, n)
		}
	})
}

// blocks is a net that finds text where a picture is white, and reads what the width tells.
type blocks struct{ keys []string }

func (b blocks) Run(_ context.Context, m Model, in Tensor) ([]Tensor, error) {
	switch m {
	case Detect:
		h, w := in.Shape[2], in.Shape[3]
		out := NewTensor(1, 1, h, w)
		for i := range out.Data {
			if in.Data[i] > 1.5 {
				out.Data[i] = .9
			}
		}
		return []Tensor{out}, nil
	case Recognise:
		return []Tensor{told("OK", b.keys)}, nil
	}
	return nil, nil
}

// A line that lies across parts of a large picture is one line, where it is, whatever the
// scale at which it is looked for.
func TestLinesAcrossParts(t *testing.T) {
	keys := []string{"O", "K"}
	r := Reader{Net: blocks{keys}, Keys: keys}
	pic := image.NewRGBA(image.Rect(0, 0, 1920, 1080))
	for y := 500; y < 540; y++ {
		for x := 300; x < 1700; x++ {
			pic.Set(x, y, color.White)
		}
	}
	for _, scale := range []float64{1, .7, .5} {
		lines, err := r.Lines(context.Background(), pic, scale, nil)
		if err != nil || len(lines) != 1 {
			t.Fatalf("at %.1f: %d lines (%v)", scale, len(lines), err)
		}
		b := lines[0].Quad.Bounds()
		c := b.Centre()
		if math.Abs(c.X-1000) > 4 || math.Abs(c.Y-520) > 4 || lines[0].Text != "OK" || b.Min.X > 300 || b.Max.X < 1700 {
			t.Errorf("at %.1f: %v reads %q", scale, b, lines[0].Text)
		}
	}
	// What looks the same is not read again.
	mute := Reader{Net: mutes{blocks{keys}}, Keys: keys}
	before := &Looked{Pic: pic, Lines: []Line{{Quad: geom.Quad{
		geom.Pt(270, 470), geom.Pt(1730, 470), geom.Pt(1730, 570), geom.Pt(270, 570),
	}, Text: "BEFORE", Sure: .9}}}
	lines, err := mute.Lines(context.Background(), pic, 1, before)
	if err != nil || len(lines) != 1 || lines[0].Text != "BEFORE" {
		t.Errorf("what was read before is %v (%v)", lines, err)
	}
	changed := image.NewRGBA(pic.Rect)
	copy(changed.Pix, pic.Pix)
	for y := 505; y < 535; y++ {
		for x := 400; x < 1600; x++ {
			changed.Set(x, y, color.RGBA{210, 255, 255, 255})
		}
	}
	if lines, _ := mute.Lines(context.Background(), changed, 1, before); len(lines) == 1 && lines[0].Text == "BEFORE" {
		t.Error("what changed was not read again")
	}
}

// mutes finds text, and reads none.
type mutes struct{ blocks }

func (m mutes) Run(ctx context.Context, model Model, in Tensor) ([]Tensor, error) {
	if model == Recognise {
		return []Tensor{NewTensor(1, 4, len(m.keys)+2)}, nil
	}
	return m.blocks.Run(ctx, model, in)
}

// A net that gives what it should not is told, not believed.
func TestWrongShapes(t *testing.T) {
	pic := image.NewRGBA(image.Rect(0, 0, 64, 64))
	for _, wrong := range [][]Tensor{
		nil, {NewTensor(1, 1, 3, 3)}, {{Shape: []int{1, 1, 64, 64}}}, {NewTensor(2), NewTensor(2)},
	} {
		r := Reader{Net: gives(wrong), Keys: []string{"A"}}
		if _, err := r.Boxes(context.Background(), pic, 1); err == nil {
			t.Errorf("%v is taken for a map", wrong)
		}
		if _, err := r.Read(context.Background(), pic, turned(geom.Pt(32, 32), 40, 12, 0)); err == nil {
			t.Errorf("%v is taken for characters", wrong)
		}
		if _, err := r.Faces(context.Background(), pic, SmallFace); err == nil {
			t.Errorf("%v is taken for faces", wrong)
		}
	}
}

type gives []Tensor

func (g gives) Run(context.Context, Model, Tensor) ([]Tensor, error) { return g, nil }

// Boxes of one face are one, in their middle; of two they stay two.
func TestSingle(t *testing.T) {
	box := func(x, y, sure float64) Box {
		return Box{turned(geom.Pt(x, y), 40, 40, 0), sure}
	}
	got := single([]Box{box(100, 100, .9), box(104, 100, .9), box(300, 100, .8)})
	if len(got) != 2 || got[0].Quad.Centre().Sub(geom.Pt(102, 100)).Len() > 1e-9 || got[1].Sure != .8 {
		t.Errorf("three boxes of two faces are %v", got)
	}
}

func TestDiscloses(t *testing.T) {
	of := func(text string, sure float64) []Picked { return []Picked{{text, sure}} }
	for _, v := range []struct {
		original, concealed []Picked
		yes                 bool
	}{
		{of("KS 47 OH", .95), of("KS 47", .8), true},
		{of("KS 47 OH", .95), of("K5 47 0H", .6), true},
		{of("KS 47 OH", .95), of("Velmouth", .9), false},
		{of("KS 47 OH", .95), nil, false},
		{of("KS 47 OH", .4), of("KS 47 OH", .9), false}, // who cannot read it before cannot say
		{of("7", .95), of("7", .95), false},             // is read by chance
	} {
		if _, yes := Discloses(v.original, v.concealed); yes != v.yes {
			t.Errorf("%v of %v: %v", v.concealed, v.original, yes)
		}
	}
}

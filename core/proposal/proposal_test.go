package proposal

import (
	"math"
	"math/rand"
	"slices"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/track"
)

func box(x, y, w, h float64) geom.Quad {
	return geom.Quad{geom.Pt(x, y), geom.Pt(x+w, y), geom.Pt(x+w, y+h), geom.Pt(x, y+h)}
}

func TestKindOf(t *testing.T) {
	line := box(0, 0, 100, 25)
	for text, want := range map[string]Kind{
		"KS 47 OH": Plate, "KS47OH": Plate, "ABC 123": Plate, "D 4271 K": Plate,
		"0731 555 204": Phone, "+44 731 555204": Phone, "7": Number, "42": Number,
		"SHIP CHANDLERS": Text, "14:27": Text, "Late 10": Text, "rope·lamps": Text, "Velmouth": Text,
		"2026 REGATTA WEEK": Text,
	} {
		if k := KindOf(text, line); k != want {
			t.Errorf("%q is %s, not %s", text, k, want)
		}
	}
	if k := KindOf("KS 47 OH", box(0, 0, 20, 60)); k == Plate {
		t.Error("what stands upright is a plate")
	}
}

func TestAsked(t *testing.T) {
	wanted := append(Words("1", "KS 47 OH", "a cargo trike"), Words("2", "Brannock & Toll", `also as "Ship Chandlers"`)...)
	wanted = append(wanted, Words("3", "No", "")...)
	for text, want := range map[string]string{
		"KS47OH": "1", "KS 47 0H": "1", "BRANNOCK&TOLL": "2", "SHIP CHANDLERS": "2", "Brannock": "2", "Velmouth": "",
		"no": "", "a": "", "cargo": "",
	} {
		if item, near := Asked(text, wanted); item != want {
			t.Errorf("%q is asked for by %q, %.2f near; %q was expected", text, item, near, want)
		}
	}
}

func TestRules(t *testing.T) {
	r := Rules{Text: Listed, Face: Never}
	if r.Validate() != nil || r.For(Text) != Listed || r.For(Plate) != Always {
		t.Errorf("%v", r)
	}
	for _, wrong := range []Rules{{"hat": Always}, {Text: "sometimes"}, {Face: Listed}} {
		if wrong.Validate() == nil {
			t.Errorf("%v can be followed", wrong)
		}
	}
}

// Those that read nearly the same are one group, whatever their order; kinds never mix, and what
// reads nothing is alone.
func TestGroup(t *testing.T) {
	type one struct {
		kind Kind
		text string
		sign int
	}
	all := []one{
		{Plate, "KS 47 OH", 1},
		{Plate, "KS47OH", 1},
		{Plate, "KS 47 0H", 1},
		{Plate, "TXN 741", 2},
		{Text, "KS47OH", 3},
		{Text, "SHIP CHANDLERS", 4},
		{Text, "SHIP CHANDLER", 4},
		{Face, "", 5},
		{Face, "", 6},
		{Number, "7", 7},
		{Number, "7", 8},
	}
	rng := rand.New(rand.NewSource(1))
	for range 50 {
		rng.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		var kinds []Kind
		var texts []string
		for _, o := range all {
			kinds, texts = append(kinds, o.kind), append(texts, o.text)
		}
		g := Group(kinds, texts)
		for i := range all {
			for j := range all {
				if (g[i] == g[j]) != (all[i].sign == all[j].sign) {
					t.Fatalf("%v and %v: groups %d and %d", all[i], all[j], g[i], g[j])
				}
			}
		}
	}
}

// What is found again is what it was; each of what was there stands for one.
func TestMatches(t *testing.T) {
	at := func(kind Kind, text string, f, x int) Proposal {
		return sum([]Sight{{Frame: f, Kind: kind, Text: text, Quad: box(float64(x), 10, 60, 20), Sure: .9}}, f-5, f+5)
	}
	before := []Proposal{at(Plate, "KS 47 OH", 10, 100), at(Face, "", 10, 300), at(Text, "Quay", 10, 500)}
	now := []Proposal{
		at(Text, "Ouay", 12, 510), at(Face, "", 10, 305), at(Face, "", 10, 900), at(Plate, "KS 47 0H", 9, 103),
		at(Plate, "KS 47 OH", 90, 100),
	}
	if got := Matches(before, now); !slices.Equal(got, []int{2, 1, -1, 0, -1}) {
		t.Errorf("%v", got)
	}
}

// scene is a street of noise through which a camera goes; things on it move along.
func scene(f, smaller int) *track.Gray {
	g := track.NewGray(480/smaller, 200/smaller)
	for y := range g.H {
		for x := range g.W {
			u, v := (float64(x)+.5)*float64(smaller)+6*float64(f), (float64(y)+.5)*float64(smaller)
			g.Pix[y*g.W+x] = float32(120 + 50*math.Sin(u*.23+math.Sin(v*.31)*2)*math.Cos(v*.19) + 30*math.Sin(u*.071+v*.13))
		}
	}
	return g
}

// A thing that moves along is one, from where it came into sight until it left, although it
// is not read on every frame that is looked at; its neighbour that reads the same is another.
func TestLink(t *testing.T) {
	for _, smaller := range []int{1, 2} {
		link(t, smaller)
	}
}

func link(t *testing.T, smaller int) {
	l := Linker{Smaller: smaller}
	sights := func(f int) (out []Sight) {
		at := func(x float64, text string) {
			if x -= 6 * float64(f); x >= 0 && x+70 <= 480 && text != "" {
				q := box(x, 90, 70, 20)
				out = append(out, Sight{Frame: f, Kind: KindOf(text, q), Quad: q, Text: text, Sure: .9})
			}
		}
		if f != 20 { // it is smeared there
			at(400, "KS 47 OH")
		}
		at(100, "On time")
		if f != 30 {
			at(200, "On time")
		} else { // something passes
			out = append(out, Sight{Frame: f, Kind: Text, Quad: box(45, 90, 45, 20), Text: "time", Sure: .9})
		}
		return out
	}
	for f := 0; f <= 60; f += 2 {
		if f%10 == 0 {
			l.Look(f, scene(f, smaller), sights(f))
		} else {
			l.Pass(f, scene(f, smaller))
		}
	}
	all := l.Proposals()
	if len(all) != 3 {
		t.Fatalf("%d things are %+v", len(all), all)
	}
	for _, p := range all {
		switch {
		case p.Text == "KS 47 OH" && (p.Kind != Plate || p.First != 0 || p.Last < 58):
			t.Errorf("the plate is seen as %s from %d to %d", p.Kind, p.First, p.Last)
		case p.Text == "On time" && p.Sights[0].Quad[0].X > 150 && p.Last < 30, p.Text == "On time" && p.First != 0:
			t.Errorf("%q is seen from %d to %d", p.Text, p.First, p.Last)
		}
	}
}

// What passes in front hides most of a line for some frames, while another thing looks like it: the line is one thing
// all the while, and is not taken for the other.
func TestLinkNotAstray(t *testing.T) {
	r := rand.New(rand.NewSource(3))
	ink := make([]float32, 30*8) // blots of three pixels
	for i := range ink {
		ink[i] = float32(40 + 160*r.Intn(2))
	}
	letters := func(x, y int) float32 { return ink[y/3*30+x/3] }
	l := Linker{Smaller: 1}
	for f := 0; f <= 60; f++ {
		g := scene(0, 1)
		draw := func(x0, y0, w int, of func(x, y int) float32) {
			for y := range 24 {
				for x := range w {
					g.Pix[(y0+y)*g.W+x0+x] = of(x, y)
				}
			}
		}
		if f < 27 {
			draw(350, 150, 90, letters)
		}
		draw(40+f, 40, 90, letters)
		if f > 21 && f < 37 {
			draw(40+f, 40, 72, func(int, int) float32 { return 90 })
		}
		if f%10 > 0 {
			l.Pass(f, g)
			continue
		}
		s := Sight{Frame: f, Kind: Text, Quad: box(float64(40+f), 40, 90, 24), Text: "SKERRY CARGO", Sure: .9}
		if f == 30 {
			s.Quad, s.Text = box(float64(112+f), 40, 18, 24), "RGO"
		}
		l.Look(f, g, []Sight{s})
	}
	if all := l.Proposals(); len(all) != 1 || all[0].First != 0 || all[0].Last != 60 || len(all[0].Sights) != 7 {
		t.Errorf("it is found as %+v", all)
	}
}

// The cover of a proposal is a draft that hides it where it was seen, and what follows it is there.
func TestMaking(t *testing.T) {
	s := Sight{Frame: 30, Kind: Plate, Quad: box(200, 100, 90, 24), Text: "KS 47 OH", Sure: .9}
	for _, kind := range []Kind{Plate, Face} {
		m := Making{
			Cover: "c", Track: "t", Item: "i", Name: "KS 47 OH", Kind: kind, Outline: s.Outline(), At: 30,
			Span: cover.Span{First: 2, Last: 99}, Take: cover.Span{Last: 99},
		}
		cmds, tr := m.Commands()
		d, _, err := cover.New(640, 360, 100).Apply(cmds...)
		if err != nil {
			t.Fatal(err)
		}
		c := d.Find("c")
		if !c.Draft || c.Span != (cover.Span{First: 0, Last: 99}) || c.Item != "i" {
			t.Errorf("%+v", c)
		}
		live := d.At(30)
		if len(live) != 1 {
			t.Fatalf("it hides nothing on its frame: %v", live)
		}
		b := live[0].Paths[0].Bounds()
		if kind == Plate && (b.Min.X > 200 || b.Max.X < 290 || b.Min.Y > 100 || b.Max.Y < 124) {
			t.Errorf("it hides %v", b)
		}
		if d, _, err = d.Apply(cover.SetTrack{Track: tr}); err != nil {
			t.Fatal(err)
		}
		if d, _, err = d.Apply(cover.ConfirmCover{Cover: "c"}); err != nil || d.Find("c").Draft {
			t.Errorf("nobody can say yes to it: %v", err)
		}
	}
}

// The board that a line stands on is found to its edges, however it is turned and whatever lies
// behind it; where there is none, none is made up.
func TestBoard(t *testing.T) {
	rng := rand.New(rand.NewSource(9))
	hits, n := 0, 0
	for range 60 {
		deg := (rng.Float64() - .5) * 24
		h := 16 + 30*rng.Float64()
		at := geom.Placement(geom.Pt(0, 0), geom.Pt(320+20*rng.Float64(), 180), deg, 1, 1)
		line := box(-2.2*h, -.5*h, 4.4*h, h).Under(at)
		board := box(-2.2*h-.8*h, -h, 4.4*h+1.2*h, 2*h).Under(at)
		dark, light := 30+40*rng.Float64(), 190+40*rng.Float64()
		g := track.NewGray(640, 360)
		for i := range g.Pix {
			p := geom.Pt(float64(i%g.W)+.5, float64(i/g.W)+.5)
			v := 110 + 18*math.Sin(p.X*.09+math.Sin(p.Y*.07)) + 4*rng.NormFloat64()
			if board.Holds(p) {
				v = light
			}
			if line.Holds(p) && math.Sin(p.X*.8+3*math.Sin(p.X*.11)+.1*p.Y) > .1 {
				v = dark
			}
			g.Pix[i] = float32(v)
		}
		n++
		got, ok := Board(g, line.Grown(.18*h)) // as those who find text give it
		if !ok {
			continue
		}
		worst := 0.
		for i := range got {
			worst = max(worst, got[i].Sub(board[i]).Len())
		}
		if worst < 3 {
			hits++
		} else if worst > .5*h {
			t.Errorf("a board at %v is found at %v", board, got)
		}
	}
	if hits < n*9/10 {
		t.Errorf("%d of %d boards are found to 3 px", hits, n)
	}
	plain := track.NewGray(640, 360)
	for i := range plain.Pix {
		plain.Pix[i] = float32(120 + 8*rng.NormFloat64())
	}
	if _, ok := Board(plain, box(250, 150, 140, 30)); ok {
		t.Error("where nothing is a board is found")
	}
	if _, ok := Board(plain, box(-40, -10, 60, 20)); ok {
		t.Error("beside the picture a board is found")
	}
}

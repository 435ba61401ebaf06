package check

import (
	"fmt"
	"image"
	"math"
	"math/rand"
	"slices"
	"testing"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
)

const (
	wide, high, length = 320, 200, 40
	plateW, plateH     = 104., 38.
)

// stage is a plate with letters that moves before a wall, and a pole that may cross it.
type stage struct {
	at   func(f int) geom.Point // of the plate's top left corner
	pole func(f int) float64    // its left edge; nil for none
	bend drape                  // of the plate; nil where it is stiff
	pics []*frame.Picture
}

// drape is how a plate bends on a frame: at q it shows what lies at q plus this.
type drape func(f int, q geom.Point) geom.Point

// letters are the plate's ink, four samples a pixel.
var letters = func() *image.Alpha {
	f, err := opentype.Parse(gobold.TTF)
	if err != nil {
		panic(err)
	}
	face, _ := opentype.NewFace(f, &opentype.FaceOptions{Size: 104, DPI: 72})
	m := image.NewAlpha(image.Rect(0, 0, int(plateW*4), int(plateH*4)))
	(&font.Drawer{Dst: m, Src: image.Opaque, Face: face, Dot: fixed.P(30, 114)}).DrawString("KX 48R")
	return m
}()

func newStage(at func(f int) geom.Point, pole func(f int) float64) *stage {
	return draped(at, pole, nil)
}

func draped(at func(f int) geom.Point, pole func(f int) float64, bend drape) *stage {
	s := &stage{at: at, pole: pole, bend: bend}
	rng := rand.New(rand.NewSource(4))
	wall := make([]float64, wide*high)
	for range 500 { // stones
		x, y, r, v := rng.Intn(wide), rng.Intn(high), 3+rng.Intn(9), 60+60*rng.Float64()
		for j := max(y-r, 0); j < min(y+r, high); j++ {
			for i := max(x-r, 0); i < min(x+r, wide); i++ {
				wall[j*wide+i] = v
			}
		}
	}
	for f := range length {
		p := frame.New(frame.Format{
			Width: wide, Height: high, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
			Matrix: frame.BT709,
		}, nil)
		o := at(f)
		for y := range high {
			for x := range wide {
				v := wall[y*wide+x]
				u, w := float64(x)+.5-o.X, float64(y)+.5-o.Y
				if bend != nil {
					d := bend(f, geom.Pt(u, w))
					u, w = u+d.X, w+d.Y
				}
				if u >= 0 && w >= 0 && u < plateW && w < plateH {
					v = 205
					if u < 3 || w < 3 || u > plateW-3 || w > plateH-3 {
						v = 30
					} else {
						v -= 160 * float64(letters.AlphaAt(int(u*4), int(w*4)).A) / 255
					}
				}
				if pole != nil {
					if d := float64(x) - pole(f); d >= 0 && d < 26 {
						v = 150 + 20*math.Sin(d/3)
					}
				}
				p.Planes[0][y*wide+x] = byte(min(max(v+1.5*rng.NormFloat64(), 16), 235))
			}
		}
		for c := 1; c < 3; c++ {
			for i := range p.Planes[c] {
				p.Planes[c][i] = 128
			}
		}
		s.pics = append(s.pics, p)
	}
	return s
}

// dimmed is the stage in a small share of its light.
func (s *stage) dimmed(share float64) *stage {
	n := &stage{at: s.at}
	rng := rand.New(rand.NewSource(5))
	for _, p := range s.pics {
		q := p.Clone()
		for i, v := range q.Planes[0] {
			q.Planes[0][i] = byte(max(16+(float64(v)-16)*share+rng.NormFloat64()+.5, 16))
		}
		n.pics = append(n.pics, q)
	}
	return n
}

// document covers the plate along the truth by a fill.
func (s *stage) document() *cover.Document {
	d := cover.New(wide, high, length)
	t := cover.NewTreatment("t1", cover.Fill)
	t.Colour, t.Around, t.Grain, t.Shading = "#708090", false, cover.Const(0), cover.Const(0)
	first := s.at(0)
	c := cover.Cover{
		ID: "c", Name: "Plate", Span: cover.Span{Last: length - 1}, Grow: cover.Const(1), Treatments: []cover.Treatment{t},
		Outlines: []cover.Outline{{
			ID: "o", Shape: cover.ShapeBox,
			Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Min: first, Max: first.Add(geom.Pt(plateW, plateH))})}},
		}},
	}
	for f := range length {
		c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{
			Frame: cover.Time(f), Placement: cover.Placement{Move: s.at(f).Sub(first), Size: geom.Pt(1, 1)},
		})
	}
	d.Covers = []cover.Cover{c}
	return d
}

// run checks what document makes of the stage.
func (s *stage) run(t *testing.T, d *cover.Document) []Finding {
	t.Helper()
	b, err := d.Marshal()
	if err != nil {
		t.Fatal(err)
	}
	if d, err = cover.Parse(b); err != nil {
		t.Fatal(err)
	}
	c := NewShot(d, 1, nil)
	for _, f := range c.Survey() {
		c.Learn(f, s.pics[f])
	}
	for _, span := range c.Stretches() {
		for f := span.First; f <= span.Last; f++ {
			now := s.pics[f].Clone()
			treat.Conceal(now, d.At(cover.Time(f)), nil)
			c.Frame(f, s.pics[f], now)
		}
	}
	return append(Document(d, nil, nil), c.Findings(nil)...)
}

func on(all []Finding, k Kind) (out []int) {
	for _, f := range all {
		if f.Kind == k {
			for _, s := range f.Frames {
				for x := s.First; x <= s.Last; x++ {
					out = append(out, x)
				}
			}
		}
	}
	slices.Sort(out)
	return out
}

func kinds(all []Finding) (out []string) {
	for _, f := range all {
		out = append(out, fmt.Sprintf("%s%v %.2f: %s", f.Kind, f.Frames, f.Figure, f.Says))
	}
	return out
}

// A sheet that waves under a cover which bends with it is hidden and found so; under one that rides on its plane alone
// it lies bare.
func TestCloth(t *testing.T) {
	bend := func(f int, q geom.Point) geom.Point {
		far := 5 * min(float64(f)/6, 1)
		return geom.Pt(0, far*math.Sin(q.X/18-float64(f)/4))
	}
	s := draped(drift, nil, bend)
	d := s.document()
	c := &d.Covers[0]
	c.Grow, c.Motion = cover.Const(1.5), cover.Motion{Pivot: c.Motion.Pivot, Keys: c.Motion.Keys[:1]}
	box := c.RestBounds(0)
	track := cover.Track{
		ID: "t", Name: "Sheet", Kind: cover.Surface, Model: "cloth", Channel: "luma", Anchors: []cover.TrackAnchor{},
		Surface: []geom.Point{box.Min, {X: box.Max.X, Y: box.Min.Y}, box.Max, {X: box.Min.X, Y: box.Max.Y}},
		Poses:   &cover.Poses{},
	}
	for f := range length {
		move := drift(f).Sub(drift(0))
		var q [8]float64
		for i, p := range track.Surface {
			q[2*i], q[2*i+1] = p.X+move.X, p.Y+move.Y
		}
		p := track.Poses
		p.Corners, p.Confidence, p.States = append(p.Corners, q), append(p.Confidence, .9), p.States+"g"
		p.Bends = append(p.Bends, cover.FlatBend(geom.BendThrough(box, 8, func(p geom.Point) geom.Point {
			p = p.Sub(box.Min)
			at := p
			for range 30 { // what is shown at a place lies there plus the bend
				at = p.Sub(bend(f, at))
			}
			return at.Sub(p)
		})))
	}
	d.Tracks = []cover.Track{track}
	c.Track = "t"
	if all := s.run(t, d); len(on(all, Exposed)) > 0 {
		t.Errorf("under a cover that bends: %v", kinds(all))
	}
	stiff := *track.Poses
	stiff.Bends = nil
	d.Tracks[0].Model, d.Tracks[0].Poses = "perspective", &stiff
	if all := s.run(t, d); len(on(all, Exposed)) < length/2 {
		t.Errorf("under one that does not: %v", kinds(all))
	}
}

func drift(f int) geom.Point { return geom.Pt(60+2.1*float64(f), 70+.7*float64(f)) }

// Every fault that is planted is found, on the frames on which it is, and its near-miss is
// not; nothing else is found beside it.
//
// Long: one scenario, told from its beginning to its end.
func TestPlantedFaults(t *testing.T) {
	plain := newStage(drift, nil)
	crossed := newStage(drift, func(f int) float64 { return 270 - 6*float64(f) })
	dark := plain.dimmed(.07)
	entering := newStage(func(f int) geom.Point { return geom.Pt(-plateW-9+6*float64(f), 80) }, nil)
	// From this frame on some of the plate is in the picture.
	enters := 2
	move := func(f int, by geom.Point) func(d *cover.Document) {
		return func(d *cover.Document) {
			k := &d.Covers[0].Motion.Keys[f]
			k.Move = k.Move.Add(by)
		}
	}
	hold := func(id string, at func(f int) geom.Rect, span cover.Span) cover.Cover {
		c := cover.Cover{
			ID: id, Name: id, Span: span, HoldsOut: []string{"c"}, Treatments: []cover.Treatment{},
			Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox}},
		}
		for f := span.First; f <= span.Last; f++ {
			c.Outlines[0].Keys = append(c.Outlines[0].Keys, cover.PathKey{Frame: cover.Time(f), Knots: geom.Box(at(f))})
		}
		return c
	}
	leaks := func(d *cover.Document) {
		d.Covers = append(d.Covers, hold("hole", func(f int) geom.Rect {
			o := drift(f).Add(geom.Pt(30, 8))
			return geom.Rect{Min: o, Max: o.Add(geom.Pt(30, 20))}
		}, cover.Span{First: 21, Last: 21}))
	}
	tracked := func(d *cover.Document, states func(f int) byte, off func(f int) geom.Point) {
		tr := cover.Track{
			ID: "t", Name: "surface", Kind: cover.Surface, Model: "translation", Channel: "luma",
			Anchors: []cover.TrackAnchor{}, Poses: &cover.Poses{},
		}
		o := drift(0)
		tr.Surface = []geom.Point{o, o.Add(geom.Pt(plateW, 0)), o.Add(geom.Pt(plateW, plateH)), o.Add(geom.Pt(0, plateH))}
		for f := range length {
			m := drift(f).Sub(o).Add(off(f))
			var q [8]float64
			for i, p := range tr.Surface {
				q[2*i], q[2*i+1] = p.X+m.X, p.Y+m.Y
			}
			tr.Poses.Corners = append(tr.Poses.Corners, q)
			tr.Poses.Confidence = append(tr.Poses.Confidence, .9)
			tr.Poses.States += string(states(f))
		}
		d.Tracks = []cover.Track{tr}
		d.Covers[0].Track, d.Covers[0].Motion = "t", cover.Motion{}
	}
	nowhere := func(int) geom.Point { return geom.Point{} }
	cases := []struct {
		name  string
		stage *stage
		spoil func(d *cover.Document)
		kind  Kind
		on    []int  // the frames on which it must be found
		also  []Kind // what may come with it
	}{
		{"nothing", plain, func(*cover.Document) {}, "", nil, nil},
		{"off by seven", plain, move(20, geom.Pt(7, 0)), Exposed, []int{20}, []Kind{Jumping}},
		{"off by little", plain, func(d *cover.Document) {
			d.Covers[0].Grow = cover.Const(2)
			move(20, geom.Pt(.8, .4))(d)
		}, "", nil, nil},
		{"too small", plain, func(d *cover.Document) {
			for i := range d.Covers[0].Motion.Keys[10:] {
				d.Covers[0].Motion.Keys[10+i].Size = geom.Pt(.85, .85)
			}
			d.Covers[0].Motion.Pivot = drift(0).Add(geom.Pt(plateW/2, plateH/2))
		}, Exposed, []int{12, 25, 39}, []Kind{Jumping}},
		{"first frame bare", plain, func(d *cover.Document) { d.Covers[0].Span.First = 1 }, BareEnds, []int{0}, nil},
		{
			"last frame bare", plain, func(d *cover.Document) { d.Covers[0].Span.Last = length - 2 }, BareEnds,
			[]int{length - 1},
			nil,
		},
		{"begins as it enters", entering, func(d *cover.Document) { d.Covers[0].Span.First = enters }, "", nil, nil},
		{"begins too late", entering, func(d *cover.Document) { d.Covers[0].Span.First = 14 }, BareEnds, []int{13, 12}, nil},
		{
			"jolts", plain, func(d *cover.Document) { d.Covers[0].Grow = cover.Const(9); move(18, geom.Pt(5, -3))(d) },
			Jumping,
			[]int{18},
			nil,
		},
		{"jolts by little", plain, func(d *cover.Document) {
			d.Covers[0].Grow = cover.Const(3)
			move(18, geom.Pt(.7, -.5))(d)
		}, "", nil, nil},
		{"leaks", plain, leaks, HoldoutLeak, []int{21}, nil},
		{"nothing, in the dark", dark, func(*cover.Document) {}, "", nil, nil},
		{"leaks in the dark", dark, leaks, HoldoutLeak, []int{21}, nil},
		{"off by seven in the dark", dark, move(20, geom.Pt(7, 0)), Exposed, []int{20}, []Kind{Jumping}},
		{"holds out beside", plain, func(d *cover.Document) {
			d.Covers = append(d.Covers, hold("beside", func(f int) geom.Rect {
				o := drift(f).Add(geom.Pt(plateW+8, 0))
				return geom.Rect{Min: o, Max: o.Add(geom.Pt(30, 20))}
			}, cover.Span{First: 10, Last: 21}))
		}, "", nil, nil},
		{"pole covered", crossed, func(*cover.Document) {}, OnForeground, []int{21, 23, 25}, nil},
		{"pole held out", crossed, func(d *cover.Document) {
			d.Covers = append(d.Covers, hold("pole", func(f int) geom.Rect {
				x := crossed.pole(f)
				return geom.Rect{Min: geom.Pt(x, 0), Max: geom.Pt(x+26, high)}
			}, cover.Span{First: 0, Last: length - 1}))
		}, "", nil, nil},
		{"mosaic of two", plain, func(d *cover.Document) {
			d.Covers[0].Treatments = []cover.Treatment{cover.NewTreatment("t1", cover.Mosaic)}
			d.Covers[0].Treatments[0].Cell = cover.ConstPair(2, 2)
		}, Readable, []int{8, 20, 32}, nil},
		{"strength dips on a frame", plain, func(d *cover.Document) {
			d.Covers[0].Treatments[0].Strength = cover.Value{
				Keys: []cover.ValueKey{{Frame: 16, Value: 1}, {Frame: 17, Value: .3}, {Frame: 18, Value: 1}},
			}
		}, Readable, []int{17}, []Kind{UnintendedKey}},
		{"grows far", plain, func(d *cover.Document) { d.Covers[0].Grow = cover.Const(30) }, Larger, []int{0}, nil},
		{"a single key", plain, func(d *cover.Document) {
			d.Covers[0].Grow = cover.Value{Keys: []cover.ValueKey{{Frame: 7, Value: 1}}}
		}, UnintendedKey, []int{7}, nil},
		{"two keys", plain, func(d *cover.Document) {
			d.Covers[0].Grow = cover.Value{Keys: []cover.ValueKey{{Frame: 7, Value: 1}, {Frame: 20, Value: 3}}}
		}, "", nil, nil},
		{"stands still before its first key", plain, func(d *cover.Document) {
			d.Covers[0].Motion.Keys = d.Covers[0].Motion.Keys[15:]
		}, UnintendedKey, []int{3}, []Kind{Exposed, Jumping}},
		{"lost, and off", plain, func(d *cover.Document) {
			tracked(d, func(f int) byte { return "gl"[btoi(f >= 22 && f <= 24)] },
				func(f int) geom.Point { return geom.Pt(0, 45*float64(btoi(f >= 22 && f <= 24))) })
		}, Weak, []int{23}, []Kind{Exposed, Jumping}},
		{"weak, and right", plain, func(d *cover.Document) {
			tracked(d, func(f int) byte { return "gw"[btoi(f >= 22 && f <= 24)] }, nowhere)
		}, "", nil, nil},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			d := c.stage.document()
			c.spoil(d)
			all := c.stage.run(t, d)
			found := on(all, c.kind)
			for _, f := range c.on {
				if !slices.Contains(found, f) {
					t.Errorf("%s is not found on f %d: %v", c.kind, f, kinds(all))
				}
			}
			for _, f := range all {
				if f.Kind != c.kind && !slices.Contains(c.also, f.Kind) {
					t.Errorf("also found: %v", kinds([]Finding{f}))
				}
				if f.Says == "" || len(f.Frames) == 0 || f.Severity == "" || f.Cover != "c" {
					t.Errorf("incomplete: %+v", f)
				}
			}
		})
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// A mosaic that stays on the screen while the plate moves gives the plate away over the
// frames, though on none of them; one that rides with it does not, and a fill never.
func TestReadableOverFrames(t *testing.T) {
	s := newStage(drift, nil)
	for _, c := range []struct {
		name  string
		with  func(c *cover.Cover)
		found bool
	}{
		{"on the screen", func(c *cover.Cover) {}, true},
		{"riding", func(c *cover.Cover) { c.Treatments[0].Rides = true }, false},
		{"fill", func(c *cover.Cover) { *c = s.document().Covers[0] }, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			d := s.document()
			m := cover.NewTreatment("t1", cover.Mosaic)
			m.Cell = cover.ConstPair(13, 13)
			d.Covers[0].Treatments = []cover.Treatment{m}
			c.with(&d.Covers[0])
			all := s.run(t, d)
			if n := len(on(all, Readable)); n > 0 {
				t.Fatalf("readable on %d frames: %v", n, kinds(all))
			}
			if got := len(on(all, ReadableOverFrames)) > 0; got != c.found {
				t.Fatalf("found %v: %v", got, kinds(all))
			}
			for _, f := range all {
				if f.Kind == ReadableOverFrames && (f.Recovered == nil || len(f.Recovered.Broken) != f.Recovered.W*f.Recovered.H) {
					t.Fatal("nothing to show")
				}
			}
		})
	}
}

// What a document alone tells.
func TestDocument(t *testing.T) {
	d := newStageDocument()
	if all := Document(d, []int{length}, nil); len(all) > 0 {
		t.Fatalf("found %v", kinds(all))
	}
	if all := Document(d, []int{12}, nil); len(all) != 1 || all[0].Kind != CutCrossed || all[0].Frame != 12 {
		t.Fatalf("a cut inside the span: %v", kinds(all))
	}
	d.Covers[0].Span.First = 12
	if all := Document(d, []int{12}, nil); len(all) > 0 {
		t.Fatalf("the span begins at the cut: %v", kinds(all))
	}
	style := d.Covers[0].StyleOf()
	d.Covers[0].Style = "house"
	if all := Document(d, nil, map[string]cover.Style{"house": style}); len(all) > 0 {
		t.Fatalf("it follows its style: %v", kinds(all))
	}
	style.Grow = cover.Const(5)
	if all := Document(d, nil, map[string]cover.Style{"house": style}); len(all) != 1 ||
		all[0].Kind != StyleDeviation || all[0].Figure != 1 {
		t.Fatalf("the style is another: %v", kinds(all))
	}
	d.Covers[0].Style, d.Covers[0].Inverted = "", true
	if all := Document(d, nil, nil); len(all) != 1 || all[0].Kind != NotVerified {
		t.Fatalf("all but its outline is hidden: %v", kinds(all))
	}
	d.Covers[0].Style, d.Covers[0].Inverted = "house", false
	d.Covers[0].Off = true
	if all := Document(d, []int{20}, map[string]cover.Style{"house": style}); len(all) > 0 {
		t.Fatalf("it is off: %v", kinds(all))
	}
}

// What cannot be found again in the pictures is not passed in silence.
func TestNothingToFindAgain(t *testing.T) {
	s := newStage(drift, nil)
	d := s.document()
	if all := s.run(t, d); len(all) > 0 {
		t.Fatalf("a plate with letters: %v", kinds(all))
	}
	rng := rand.New(rand.NewSource(2))
	for _, p := range s.pics {
		for i := range p.Planes[0] {
			p.Planes[0][i] = byte(110 + rng.Intn(3))
		}
	}
	if all := s.run(t, d); len(all) != 1 || all[0].Kind != NotVerified || all[0].Severity != Minor ||
		all[0].Figure != length {
		t.Fatalf("an even wall: %v", kinds(all))
	}
}

func newStageDocument() *cover.Document { return (&stage{at: drift}).document() }

package treat

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

// dots is a graphic of 200x100: light, with a dark dot in each quarter.
func dots(t testing.TB) *Graphic {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 200, 100))
	for y := range 100 {
		for x := range 200 {
			v := uint8(220)
			if math.Hypot(math.Mod(float64(x)+.5, 100)-50, math.Mod(float64(y)+.5, 50)-25) < 12 {
				v = 40
			}
			img.SetNRGBA(x, y, color.NRGBA{v, v, v, 255})
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	g, err := NewGraphic(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	return g
}

// wall draws a moving surface with words on it: what it looks like without them is
// known, as are its light and its grain.
type wall struct {
	format frame.Format
	grain  float64
	cloth  bool // it bends
}

// warp is how the surface lies on a frame; on the first it does not bend.
func (w wall) warp(f int) geom.Warp {
	out := w.at(f).Warp()
	if t := float64(f); w.cloth && f != 0 {
		out.Bend = geom.BendThrough(words.Grow(60, 60), 10, func(p geom.Point) geom.Point {
			return geom.Pt(2*math.Sin(p.Y/25+t/3), 5*math.Sin(p.X/40-t/4)).Mul(min(t/4, 1))
		})
	}
	return out
}

func (w wall) colour(p geom.Point) float64 { return 120 + 18*math.Sin(p.X/70) + 14*math.Sin(p.Y/55) }

func (w wall) gain(f int) float64 { return 1 + .12*math.Sin(float64(f)*.4) }

func (w wall) at(f int) geom.Map {
	return geom.Map{
		1 + .004*float64(f), .01 * float64(f), 2.3 * float64(f), -.006 * float64(f), 1, 1.1 * float64(f),
		2e-6 * float64(f), 0, 1,
	}
}

var words = geom.Rect{Min: geom.Pt(120, 90), Max: geom.Pt(320, 190)}

func (w wall) draw(f int) *frame.Picture {
	p := frame.New(w.format, nil)
	rng := rand.New(rand.NewSource(int64(f)))
	back, _ := w.warp(f).Back()
	unit := float64(int(1) << (w.format.Depth - 8))
	put := func(plane, i int, v float64) {
		c := int(min(max(v*unit+.5, 0), float64(p.Max())))
		if p.Depth > 8 {
			p.Planes[plane][2*i], p.Planes[plane][2*i+1] = byte(c), byte(c>>8)
		} else {
			p.Planes[plane][i] = byte(c)
		}
	}
	for y := range p.Height {
		for x := range p.Width {
			q := back(geom.Pt(float64(x)+.5, float64(y)+.5))
			v := w.colour(q)
			if q.X > words.Min.X+12 && q.X < words.Max.X-12 && q.Y > words.Min.Y+12 && q.Y < words.Max.Y-12 &&
				math.Sin(q.X/5)*math.Sin(q.Y/9) > .2 {
				v = 40
			}
			put(0, y*p.Width+x, 16+(v-16)*w.gain(f)+w.grain*rng.NormFloat64())
		}
	}
	cw, ch := p.PlaneSize(1)
	for i := range cw * ch {
		put(1, i, 128-9*w.gain(f))
		put(2, i, 128+6*w.gain(f))
	}
	return p
}

func (w wall) live(f int, t cover.LiveTreatment) cover.Live {
	m := w.warp(f)
	return cover.Live{
		Cover: "c", Frame: cover.Time(f), Map: m.Map, Bend: m.Bend,
		Speed:      w.at(f + 1).Apply(words.Centre()).Sub(w.at(f - 1).Apply(words.Centre())).Mul(.5),
		Corners:    [4]geom.Point{words.Min, {X: words.Max.X, Y: words.Min.Y}, words.Max, {X: words.Min.X, Y: words.Max.Y}},
		Form:       cover.Form{Paths: []geom.Path{geom.Box(words).Through(m.Apply, cover.BentParts)}},
		Treatments: []cover.LiveTreatment{t},
	}
}

func (w wall) cleanPlate(t testing.TB) *CleanPlate {
	t.Helper()
	var lives []cover.Live
	for f := 0; f < 24; f += 2 {
		lives = append(lives, w.live(f, cover.LiveTreatment{}))
	}
	s, err := NewSurvey(lives, 0)
	if err != nil {
		t.Fatal(err)
	}
	for f := 0; f < 24; f += 2 {
		s.Add(w.draw(f))
	}
	g, err := s.CleanPlate()
	if err != nil {
		t.Fatal(err)
	}
	return g
}

var eight = frame.Format{Width: 480, Height: 300, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709}

// inside visits the luma samples well inside the words' place on a frame.
func (w wall) inside(f int, do func(x, y int, q geom.Point)) {
	back, _ := w.warp(f).Back()
	for y := range w.format.Height {
		for x := range w.format.Width {
			if q := back(geom.Pt(float64(x)+.5, float64(y)+.5)); q.X > words.Min.X+4 && q.X < words.Max.X-4 &&
				q.Y > words.Min.Y+4 && q.Y < words.Max.Y-4 {
				do(x, y, q)
			}
		}
	}
}

// The surface that is filled in looks like the surface, in the light of each frame, and
// stays put: what changes from frame to frame beyond the light is under 1.5 codes.
func TestSurfaceFillIsTheSurface(t *testing.T) {
	for _, cloth := range []bool{false, true} {
		surfaceFillIsTheSurface(t, wall{eight, 2, cloth})
	}
}

func surfaceFillIsTheSurface(t *testing.T, w wall) {
	t.Helper()
	refs := &References{CleanPlates: map[string]*CleanPlate{"c": w.cleanPlate(t)}}
	last := map[[2]int]float64{}
	for f := 1; f < 20; f++ {
		p := w.draw(f)
		Conceal(p, []cover.Live{w.live(f, cover.LiveTreatment{Kind: cover.SurfaceFill, Strength: 1})}, refs)
		gain := w.gain(f) / w.gain(0)
		if got := refs.CleanPlates["c"].lightOn(w.draw(f), w.warp(f)); math.Abs(float64(got.gain)-gain) > .012 ||
			math.Abs(float64(got.veil)) > 3 {
			t.Errorf("frame %d: gain %.3f and veil %.2f, truly %.3f and none", f, got.gain, got.veil, gain)
		}
		var off, flicker, n, m float64
		w.inside(f, func(x, y int, q geom.Point) {
			v := float64(p.Planes[0][y*p.Width+x])
			d := v - (16 + (w.colour(q)-16)*w.gain(f))
			off, n = off+d*d, n+1
			at := [2]int{int(q.X / 3), int(q.Y / 3)}
			now := (v - 16) / w.gain(f)
			if was, ok := last[at]; ok {
				flicker, m = flicker+(now-was)*(now-was), m+1
			}
			last[at] = now
		})
		if rms := math.Sqrt(off / n); rms > 5 {
			t.Errorf("frame %d: %.2f codes off the surface", f, rms)
		}
		if rms := math.Sqrt(flicker / max(m, 1)); f > 1 && rms > 1.5 {
			t.Errorf("frame %d: flickers by %.2f codes", f, rms)
		}
	}
}

// Grain that is put back is as strong as that around it, in every plane's own way, and
// another on every frame.
func TestGrainIsTheSources(t *testing.T) {
	for _, sd := range []float64{1.5, 4} {
		w := wall{format: eight, grain: sd}
		refs := &References{CleanPlates: map[string]*CleanPlate{"c": w.cleanPlate(t)}}
		var before []float64
		for f := 3; f < 6; f++ {
			with, without := w.draw(f), w.draw(f)
			Conceal(with, []cover.Live{w.live(f, cover.LiveTreatment{Kind: cover.SurfaceFill, Strength: 1, Grain: 1})}, refs)
			Conceal(without, []cover.Live{w.live(f, cover.LiveTreatment{Kind: cover.SurfaceFill, Strength: 1})}, refs)
			var now []float64
			var sum float64
			w.inside(f, func(x, y int, _ geom.Point) {
				d := float64(with.Planes[0][y*eight.Width+x]) - float64(without.Planes[0][y*eight.Width+x])
				now = append(now, d)
				sum += d * d
			})
			if got := math.Sqrt(sum / float64(len(now))); math.Abs(got/sd-1) > .15 {
				t.Errorf("grain of %.1f put back as %.2f", sd, got)
			}
			var both float64
			for i := range min(len(now), len(before)) {
				both += now[i] * before[i]
			}
			if before != nil && both > .1*sum {
				t.Error("the grain is the same on two frames")
			}
			before = now
		}
	}
}

// A graphic's dots lie within a quarter of a pixel of where the corners put them, in the
// frame's light.
func TestPatchLiesOnTheSurface(t *testing.T) {
	for _, cloth := range []bool{false, true} {
		patchLiesOnTheSurface(t, wall{eight, 1, cloth})
	}
}

func patchLiesOnTheSurface(t *testing.T, w wall) {
	t.Helper()
	refs := &References{
		CleanPlates: map[string]*CleanPlate{"c": w.cleanPlate(t)},
		Graphics:    map[string]*Graphic{"g": dots(t)},
	}
	for f := 2; f < 20; f += 3 {
		p := w.draw(f)
		l := w.live(f, cover.LiveTreatment{Kind: cover.Patch, Strength: 1, Graphic: "g", Scale: 1, Light: 1})
		l.Speed = geom.Point{}
		Conceal(p, []cover.Live{l}, refs)
		want := 16 + 219./255*220
		for i := range 4 {
			c := w.warp(f).Apply(words.Min.Add(geom.Pt(50+100*float64(i%2), 25+50*float64(i/2))))
			var sx, sy, n, light, m float64
			for y := int(c.Y) - 24; y < int(c.Y)+24; y++ {
				for x := int(c.X) - 24; x < int(c.X)+24; x++ {
					v := float64(p.Planes[0][y*p.Width+x])
					d := geom.Pt(float64(x)+.5, float64(y)+.5).Sub(c).Len()
					if k := max(150-v, 0); d < 20 {
						sx, sy, n = sx+k*(float64(x)+.5), sy+k*(float64(y)+.5), n+k
					}
					if d > 17 && d < 20 {
						light, m = light+v, m+1
					}
				}
			}
			if off := geom.Pt(sx/n, sy/n).Sub(c).Len(); off > .25 {
				t.Errorf("frame %d: a dot is %.2f px off", f, off)
			}
			if got := light / m; math.Abs(got-(16+(want-16)*w.gain(f)/w.gain(0))) > 3 {
				t.Errorf("frame %d: %.1f beside the dot, in this light it is %.1f", f, got, 16+(want-16)*w.gain(f)/w.gain(0))
			}
		}
	}
}

// In ten bits a filled gradient has no step of more than one code.
func TestFilledGradientHasNoBands(t *testing.T) {
	ten := eight
	ten.Depth = 10
	w := wall{format: ten}
	p := w.draw(2)
	Conceal(p, []cover.Live{w.live(2, cover.LiveTreatment{Kind: cover.SurfaceFill, Strength: 1})},
		&References{CleanPlates: map[string]*CleanPlate{"c": w.cleanPlate(t)}})
	last, row, steps := [4]float64{}, -1, 0
	w.inside(2, func(x, y int, _ geom.Point) {
		i := 2 * (y*p.Width + x)
		v := float64(int(p.Planes[0][i]) | int(p.Planes[0][i+1])<<8)
		if y != row {
			last = [4]float64{v, v, v, v}
		}
		// Beyond the gradient's own slope over four samples.
		if slope := (v - last[3]) / 4; math.Abs(v-last[0]-slope) > 1.3 {
			steps++
		}
		last, row = [4]float64{v, last[0], last[1], last[2]}, y
	})
	if steps > 0 {
		t.Errorf("%d steps of more than a code", steps)
	}
}

// What a mosaic of any form shows of a cell is the mean of all samples of that cell.
func TestCellsAreMeans(t *testing.T) {
	f := formats[2]
	was := noisy(f, 5)
	for _, form := range []string{"square", "brick", "hexagon", "large brick"} {
		cx, cy := 13., 10.
		if form == "hexagon" { // no sample lies as near to two centres
			cx, cy = 13.17, 10.09
		}
		box := geom.Rect{Min: geom.Pt(31, 22), Max: geom.Pt(70, 51)}
		if form == "large brick" { // larger by far than the outline
			form, cx, cy, box = "brick", 93, 71, geom.Rect{Min: geom.Pt(40, 30), Max: geom.Pt(46, 34)}
		}
		cell := func(x, y int) (int, int) {
			u, v := (float64(x)+.5)/cx, (float64(y)+.5)/cy
			switch form {
			case "brick":
				j := math.Floor(v)
				return int(math.Floor(u + math.Mod(math.Abs(j), 2)/2)), int(j)
			case "hexagon": // the nearest of all centres
				best, bi, bj := math.MaxFloat64, 0, 0
				for j := -1; j < 12; j++ {
					for i := -2; i < 12; i++ {
						du, dv := u-(float64(i)+.5+math.Mod(float64(j+2), 2)/2), v-(float64(j)+.5)*math.Sqrt(3)/2
						if d := du*du + dv*dv; d < best {
							best, bi, bj = d, i, j
						}
					}
				}
				return bi, bj
			}
			return int(math.Floor(u)), int(math.Floor(v))
		}
		sum, n := map[[2]int]float64{}, map[[2]int]float64{}
		for y := range f.Height {
			for x := range f.Width {
				i, j := cell(x, y)
				sum[[2]int{i, j}] += float64(was.Planes[1][y*f.Width+x])
				n[[2]int{i, j}]++
			}
		}
		p := was.Clone()
		// An outline that cuts cells: they are taken whole all the same.
		c := geom.Box(box)
		Conceal(p, []cover.Live{{
			Form: cover.Form{Paths: []geom.Path{c}}, Map: geom.Identity,
			Treatments: []cover.LiveTreatment{{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(cx, cy), Form: form}},
		}}, nil)
		bad := 0
		for y := int(box.Min.Y); y < int(box.Max.Y); y++ {
			for x := int(box.Min.X); x < int(box.Max.X); x++ {
				i, j := cell(x, y)
				k := [2]int{i, j}
				if math.Abs(float64(p.Planes[1][y*f.Width+x])-sum[k]/n[k]) > .51 {
					bad++
				}
			}
		}
		if bad > 3 { // samples on an edge may fall to either side
			t.Errorf("%s: %d samples are not their cell's mean", form, bad)
		}
	}
}

// A grid that rides on cloth bends with it: a place of the surface lies in the same cell on every frame.
func TestCellsBend(t *testing.T) {
	w := wall{format: eight, cloth: true}
	for _, f := range []int{3, 9, 14} {
		p, l := w.draw(f), w.live(f, cover.LiveTreatment{
			Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(20, 20), Form: "square", Rides: true,
		})
		Conceal(p, []cover.Live{l}, nil)
		bad, n := 0, 0
		at := func(q geom.Point) byte {
			c := w.warp(f).Apply(q)
			return p.Planes[0][int(c.Y)*p.Width+int(c.X)]
		}
		for y := words.Min.Y + 10; y < words.Max.Y; y += 20 {
			for x := words.Min.X + 10; x < words.Max.X; x += 20 {
				for _, d := range []geom.Point{{X: -8, Y: -8}, {X: 8, Y: -8}, {X: -8, Y: 8}, {X: 8, Y: 8}} {
					if n++; at(geom.Pt(x, y)) != at(geom.Pt(x, y).Add(d)) {
						bad++
					}
				}
			}
		}
		if bad > 0 {
			t.Errorf("frame %d: %d of %d corners are not of their cell", f, bad, n)
		}
	}
}

// A light that falls off across the surface is kept by a fill that keeps the shading, and
// the words are not.
func TestShadingIsKept(t *testing.T) {
	w := wall{format: eight, grain: 1}
	refs := &References{CleanPlates: map[string]*CleanPlate{"c": w.cleanPlate(t)}}
	p := w.draw(4)
	for y := range p.Height {
		for x := range p.Width {
			v := &p.Planes[0][y*p.Width+x]
			*v = byte(16 + (float64(*v)-16)*(1.2-.5*float64(x)/480))
		}
	}
	Conceal(p, []cover.Live{w.live(4, cover.LiveTreatment{
		Kind: cover.Fill, Strength: 1, Colour: "#808080", Shading: 1,
	})}, refs)
	var left, right, nl, nr, rough, n float64
	w.inside(4, func(x, y int, q geom.Point) {
		v := float64(p.Planes[0][y*p.Width+x])
		switch {
		case q.X < words.Min.X+50:
			left, nl = left+v, nl+1
		case q.X > words.Max.X-50:
			right, nr = right+v, nr+1
		}
		d := v - float64(p.Planes[0][y*p.Width+x-1])
		rough, n = rough+d*d, n+1
	})
	if left/nl < right/nr+8 {
		t.Errorf("left %.1f, right %.1f: the light's fall is lost", left/nl, right/nr)
	}
	if r := math.Sqrt(rough / n); r > 1.2 {
		t.Errorf("neighbours differ by %.2f codes: the words show", r)
	}
}

func BenchmarkTreatments(b *testing.B) {
	hd := frame.Format{Width: 1920, Height: 1080, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709}
	w := wall{format: hd, grain: 2}
	p := w.draw(0)
	at := geom.Rect{Min: geom.Pt(400, 300), Max: geom.Pt(800, 500)}
	l := w.live(0, cover.LiveTreatment{})
	l.Map = geom.Map{1, .01, 2, -.01, 1, 1, 1e-6, 0, 1}
	l.Paths, l.Corners = []geom.Path{geom.Box(at)}, [4]geom.Point{
		at.Min, {X: at.Max.X, Y: at.Min.Y}, at.Max, {X: at.Min.X, Y: at.Max.Y},
	}
	s, _ := NewSurvey([]cover.Live{l}, 0)
	s.Add(p)
	g, err := s.CleanPlate()
	if err != nil {
		b.Fatal(err)
	}
	refs := &References{CleanPlates: map[string]*CleanPlate{"c": g}, Graphics: map[string]*Graphic{"g": dots(b)}}
	for name, t := range map[string]cover.LiveTreatment{
		"blur 24":         {Kind: cover.Blur, Sigma: geom.Pt(24, 24)},
		"mosaic":          {Kind: cover.Mosaic, Cell: geom.Pt(24, 24)},
		"mosaic, hexagon": {Kind: cover.Mosaic, Cell: geom.Pt(24, 24), Form: "hexagon", Rides: true},
		"fill":            {Kind: cover.Fill, Colour: "#808080"},
		"fill, around":    {Kind: cover.Fill, Colour: "#808080", Around: true, Grain: 1},
		"dim":             {Kind: cover.Dim, Level: .3},
		"surface fill":    {Kind: cover.SurfaceFill, Grain: 1},
		"patch":           {Kind: cover.Patch, Graphic: "g", Scale: 1, Light: 1, Grain: 1},
	} {
		t.Strength = 1
		l.Treatments = []cover.LiveTreatment{t}
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				Conceal(p, []cover.Live{l}, refs)
			}
		})
	}
}

// Where nothing is around, since the outline takes all of the picture, no colour is made up.
func TestNothingAround(t *testing.T) {
	w := wall{format: eight, grain: 1}
	for _, k := range []cover.LiveTreatment{
		{Kind: cover.SurfaceFill, Strength: 1},
		{Kind: cover.Fill, Strength: 1, Colour: "#808080", Around: true},
	} {
		p := w.draw(0)
		all := geom.Rect{Min: geom.Pt(-40, -40), Max: geom.Pt(520, 340)}
		Conceal(p, []cover.Live{{
			Map: geom.Identity, Form: cover.Form{Paths: []geom.Path{geom.Box(all)}},
			Treatments: []cover.LiveTreatment{k},
		}}, nil)
		for plane, want := range [3]byte{16, 128, 128} {
			for i, v := range p.Planes[plane] {
				if v != want {
					t.Fatalf("%s: code %d of plane %d at %d", k.Kind, v, plane, i)
				}
			}
		}
	}
}

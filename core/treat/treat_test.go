package treat

import (
	"image"
	"math"
	"math/rand"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

var formats = []frame.Format{
	{Width: 97, Height: 75, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709},
	{Width: 97, Height: 75, Depth: 10, SubX: 1, SubY: 0, Range: frame.Limited, Matrix: frame.BT2020},
	{Width: 96, Height: 74, Depth: 8, SubX: 0, SubY: 0, Range: frame.Full, Matrix: frame.BT601},
	{Width: 96, Height: 75, Depth: 12, SubX: 1, SubY: 1, Range: frame.Full, Matrix: frame.BT709},
}

// noisy returns a picture of random codes inside the format's depth.
func noisy(f frame.Format, seed int64) *frame.Picture {
	rng, p := rand.New(rand.NewSource(seed)), frame.New(f, nil)
	for i := 0; i < len(p.Data); i += f.Bytes() {
		v := rng.Intn(1 << f.Depth)
		p.Data[i] = byte(v)
		if f.Bytes() == 2 {
			p.Data[i+1] = byte(v >> 8)
		}
	}
	return p
}

var kinds = []cover.LiveTreatment{
	{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(9, 5)},
	{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(11, 7)},
	{Kind: cover.Fill, Strength: 1, Colour: "#3f7fbf"},
	{Kind: cover.Blur, Strength: .4, Sigma: geom.Pt(60, 0)},
	{Kind: cover.Dim, Strength: 1, Level: .3},
	{Kind: cover.Dim, Strength: 1, Level: 1.6},
	{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(9, 12), Form: "brick"},
	{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(9, 9), Form: "hexagon", Rides: true},
	{Kind: cover.Mosaic, Strength: .7, Cell: geom.Pt(12, 9), Form: "dot", Rides: true},
	{Kind: cover.Fill, Strength: 1, Colour: "#3f7fbf", Around: true, Grain: 1, Shading: 1},
	{Kind: cover.SurfaceFill, Strength: 1, Grain: 1, Shading: .5},
	{Kind: cover.Patch, Strength: 1, Graphic: "g", Fit: "filling", Scale: 1.2, Light: 1, Grain: 1, Shading: .5},
}

// Outside the matte every sample is the decoded one, for every treatment,
// format, and place, also at and beyond the picture's edges and with odd sides.
func TestOutsideTheMatteNothingChanges(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	refs := &References{Graphics: map[string]*Graphic{"g": dots(t)}}
	tilt := geom.Map{1.1, .1, 3, -.05, .9, 2, 2e-4, 1e-4, 1}
	back, _ := tilt.Inverse()
	for i := range 800 {
		f := formats[i%len(formats)]
		c := geom.Pt(rng.Float64()*140-20, rng.Float64()*120-20)
		s := geom.Pt(2+rng.Float64()*60, 2+rng.Float64()*60)
		l := cover.Live{
			Form: cover.Form{
				Paths: []geom.Path{geom.Ellipse(geom.Rect{Min: c, Max: c.Add(s)})},
				Grow:  rng.Float64() * 4, Soften: geom.Pt(rng.Float64()*9, rng.Float64()*9),
			},
			Map: tilt, Corners: [4]geom.Point{
				back.Apply(c), back.Apply(c.Add(geom.Pt(s.X, 0))), back.Apply(c.Add(s)),
				back.Apply(c.Add(geom.Pt(0, s.Y))),
			}, Speed: geom.Pt(rng.Float64()*9, 2), Frame: cover.Time(i),
			Treatments: []cover.LiveTreatment{kinds[i/len(formats)%len(kinds)]},
		}
		was := noisy(f, int64(i))
		p := was.Clone()
		Conceal(p, []cover.Live{l}, refs)
		matte := Combined(f, []cover.Live{l})
		for plane := range 3 {
			skip := Subsample(matte, f, plane)
			if n := frame.Differ(was, p, plane, &skip, 0); n > 0 {
				t.Fatalf("%+v %+v: %d samples of plane %d changed outside the matte", f, l, n, plane)
			}
		}
		if same := string(was.Data) == string(p.Data); same && matteMax(matte) > .5 && l.Treatments[0].Strength == 1 &&
			l.Treatments[0].Kind != cover.Patch { // a graphic may be smaller than the outline
			t.Fatalf("%+v: the cover changed nothing", l)
		}
	}
}

func matteMax(p frame.Plane) (m float32) {
	for _, v := range p.Pix {
		m = max(m, v)
	}
	return m
}

func whole(f frame.Format, t cover.LiveTreatment) []cover.Live {
	r := geom.Rect{Min: geom.Pt(-10, -10), Max: geom.Pt(float64(f.Width)+10, float64(f.Height)+10)}
	return []cover.Live{{Form: cover.Form{Paths: []geom.Path{geom.Box(r)}}, Treatments: []cover.LiveTreatment{t}}}
}

func TestFillIsExact(t *testing.T) {
	for _, f := range formats {
		p := noisy(f, 3)
		Conceal(p, whole(f, cover.LiveTreatment{Kind: cover.Fill, Strength: 1, Colour: "#3f7fbf"}), nil)
		want := f.Encode(0x3f/255., 0x7f/255., 0xbf/255.)
		for plane := range 3 {
			w, h := f.PlaneSize(plane)
			for _, v := range p.Read(plane, image.Rect(0, 0, w, h)).Pix {
				if v != float32(math.Floor(float64(want[plane])+.5)) {
					t.Fatalf("%+v plane %d: %g, want %g", f, plane, v, want[plane])
				}
			}
		}
	}
	// ITU-R BT.709-6, 8 bit: the primaries' codes.
	f := frame.Format{Depth: 8, Range: frame.Limited, Matrix: frame.BT709}
	for rgb, want := range map[[3]float64][3]float64{
		{1, 1, 1}: {235, 128, 128}, {0, 0, 0}: {16, 128, 128}, {1, 0, 0}: {63, 102, 240}, {0, 0, 1}: {32, 240, 118},
		{0, 1, 0}: {173, 42, 26},
	} {
		for i, v := range f.Encode(rgb[0], rgb[1], rgb[2]) {
			if math.Round(float64(v)) != want[i] {
				t.Fatalf("%v component %d: %g, want %g", rgb, i, v, want[i])
			}
		}
	}
}

func TestMosaicCellsAreExactMeans(t *testing.T) {
	rng := rand.New(rand.NewSource(4))
	for i := range 60 {
		f := formats[i%len(formats)]
		cx, cy := 2+rng.Intn(40), 2+rng.Intn(40)
		was := noisy(f, int64(i))
		p := was.Clone()
		Conceal(p, whole(f, cover.LiveTreatment{
			Kind: cover.Mosaic, Strength: 1,
			Cell: geom.Pt(float64(cx), float64(cy)),
		}), nil)
		for plane := range 3 {
			w, h := f.PlaneSize(plane)
			sx, sy := f.Sub(plane)
			type sum struct{ s, n float64 }
			cells := map[image.Point]*sum{}
			at := func(x, y int) image.Point {
				return image.Pt(int((float64(x)+.5)*float64(int(1)<<sx))/cx, int((float64(y)+.5)*float64(int(1)<<sy))/cy)
			}
			in, out := was.Read(plane, image.Rect(0, 0, w, h)), p.Read(plane, image.Rect(0, 0, w, h))
			for y := range h {
				for x, v := range in.Row(y) {
					if cells[at(x, y)] == nil {
						cells[at(x, y)] = &sum{}
					}
					cells[at(x, y)].s += float64(v)
					cells[at(x, y)].n++
				}
			}
			for y := range h {
				for x, v := range out.Row(y) {
					c := cells[at(x, y)]
					if math.Abs(float64(v)-c.s/c.n) > .501 {
						t.Fatalf("%+v cell %dx%d plane %d at %d,%d: %g, mean %g", f, cx, cy, plane, x, y, v, c.s/c.n)
					}
				}
			}
		}
	}
}

// A blurred step is the normal distribution's; a blurred spot keeps its sum and
// has the asked-for variance; a flat field stays as it is.
func TestBlurAgainstClosedForms(t *testing.T) {
	f := frame.Format{Width: 600, Height: 160, Depth: 16, Range: frame.Full, Matrix: frame.BT709}
	set := func(p *frame.Picture, x, y, v int) { r := p.Row(0, y, x, x+1); r[0], r[1] = byte(v), byte(v>>8) }
	for _, sigma := range []float64{.6, 1.5, 4, 11.3, 24} {
		step := frame.New(f, nil)
		for y := range f.Height {
			for x := 300; x < f.Width; x++ {
				set(step, x, y, 60000)
			}
		}
		row := blur(step, 0, image.Rect(0, 80, 600, 81), geom.Pt(sigma, sigma)).Pix
		for x, v := range row {
			want := 60000 * .5 * math.Erfc(-(float64(x)+.5-300)/(sigma*math.Sqrt2))
			// A kernel of about a sample's width cannot follow the curve.
			if sigma > 1 && math.Abs(float64(v)-want) > 60000*(.0075+.03*math.Exp(-sigma)) {
				t.Fatalf("sigma %g, step at %d: %g, want %g", sigma, x, v, want)
			}
		}
		spot := frame.New(f, nil)
		set(spot, 300, 80, 65535)
		b := blur(spot, 0, image.Rect(200, 5, 400, 155), geom.Pt(sigma, sigma/2))
		var sum, vx, vy float64
		for y := b.Rect.Min.Y; y < b.Rect.Max.Y; y++ {
			for i, v := range b.Row(y) {
				x := float64(b.Rect.Min.X + i)
				sum += float64(v)
				if math.Abs(x-300) > 5*sigma+4 || math.Abs(float64(y-80)) > 5*sigma+4 {
					if v > .05 { // single precision leaves a millionth of the spot
						t.Fatalf("sigma %g: %g left at %g,%d", sigma, v, x, y)
					}
					continue
				}
				vx += float64(v) * (x - 300) * (x - 300)
				vy += float64(v) * float64((y-80)*(y-80))
			}
		}
		if math.Abs(sum-65535) > 20 || math.Abs(vx/sum/sigma/sigma-1) > .02 || math.Abs(vy/sum*4/sigma/sigma-1) > .02 {
			t.Fatalf("sigma %g: sum %g, variance %g and %g", sigma, sum, vx/sum, vy/sum)
		}
	}
	flat := frame.New(f, nil)
	for i := range flat.Data {
		flat.Data[i] = 77
	}
	p := flat.Clone()
	Conceal(p, whole(f, cover.LiveTreatment{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(40, 40)}), nil)
	if string(p.Data) != string(flat.Data) {
		t.Fatal("blur changed a flat field")
	}
}

func BenchmarkConceal(b *testing.B) {
	f := frame.Format{Width: 1920, Height: 1080, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709}
	p := noisy(f, 1)
	for _, t := range []cover.LiveTreatment{
		{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(24, 24)},
		{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(24, 24)},
		{Kind: cover.Fill, Strength: 1, Colour: "#808080"},
	} {
		b.Run(string(t.Kind)+"400x200", func(b *testing.B) {
			l := []cover.Live{{Form: cover.Form{Paths: []geom.Path{
				geom.Box(geom.Rect{Min: geom.Pt(400, 300), Max: geom.Pt(800, 500)}),
			}}, Treatments: []cover.LiveTreatment{t}}}
			for b.Loop() {
				Conceal(p, l, nil)
			}
		})
	}
}

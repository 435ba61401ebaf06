package check

import (
	"math"
	"math/rand"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/treat"
)

// sign draws strokes of some width, as letters have them.
func sign(stroke float64) (*frame.Picture, cover.Live) {
	p := frame.New(frame.Format{
		Width: 320, Height: 160, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
	}, nil)
	rng := rand.New(rand.NewSource(3))
	n := int(200 / stroke)
	ink := make([]bool, (n+1)*(n+1))
	for i := range ink {
		ink[i] = rng.Intn(2) == 0
	}
	for y := range p.Height {
		for x := range p.Width {
			v := 190.
			if x > 60 && x < 260 && y > 40 && y < 120 && ink[int(float64(y-40)/stroke)*(n+1)+int(float64(x-60)/stroke)] {
				v = 50
			}
			p.Planes[0][y*p.Width+x] = byte(v + 2*rng.NormFloat64())
		}
	}
	for c := 1; c < 3; c++ {
		for i := range p.Planes[c] {
			p.Planes[c][i] = 128
		}
	}
	box := geom.Rect{Min: geom.Pt(50, 30), Max: geom.Pt(270, 130)}
	return p, cover.Live{Cover: "c", Map: geom.Identity, Form: cover.Form{Paths: []geom.Path{geom.Box(box)}}}
}

func detail(p *frame.Picture, l cover.Live, t cover.LiveTreatment) Through {
	l.Treatments = []cover.LiveTreatment{t}
	q := p.Clone()
	treat.Conceal(q, []cover.Live{l}, nil)
	return SeeThrough(p, q, raster.Matte(l, p.Width, p.Height))
}

// Stronger concealing lets less through; what is far below the strokes' size can be read
// and what is far above it cannot, whatever their size.
func TestWhatShowsThrough(t *testing.T) {
	for _, stroke := range []float64{4, 8, 14} {
		p, l := sign(stroke)
		for _, kind := range []cover.Kind{cover.Blur, cover.Mosaic} {
			last := 1.1
			for _, k := range []float64{.25, .6, 1.5, 4} {
				s := max(k*stroke, 2)
				r := detail(p, l, cover.LiveTreatment{
					Kind: kind, Strength: 1, Sigma: geom.Pt(s*.6, s*.6),
					Cell: geom.Pt(s*1.5, s*1.5),
				})
				if r.Detail > last+.12 {
					t.Errorf("%s of %.1f px over strokes of %.0f: %.2f, more than the weaker one's %.2f", kind, s, stroke,
						r.Detail, last)
				}
				last = r.Detail
				if k == .25 && !r.Readable || k == 4 && r.Readable {
					t.Errorf("%s of %.1f px over strokes of %.0f: detail %.2f, readable %v", kind, s, stroke, r.Detail, r.Readable)
				}
				if math.Abs(math.Log2(r.Stroke/stroke)) > 1.3 {
					t.Errorf("strokes of %.0f px are taken for %.1f", stroke, r.Stroke)
				}
			}
		}
		fill := cover.LiveTreatment{Kind: cover.Fill, Strength: 1, Colour: "#808080"}
		if r := detail(p, l, fill); r.Readable || r.Detail > .05 {
			t.Errorf("a fill lets %.2f through", r.Detail)
		}
		fill.Strength = .8 // a fifth of the contrast
		if r := detail(p, l, fill); !r.Readable {
			t.Errorf("a fill of 80 %% lets %.2f through, and that counts as hidden", r.Detail)
		}
		if r := detail(p, l, cover.LiveTreatment{Kind: cover.Dim, Strength: 1, Level: .4}); !r.Readable {
			t.Errorf("dimmed lettering can be read; told %.2f", r.Detail)
		}
	}
	p, l := sign(8)
	for i := range p.Planes[0] {
		p.Planes[0][i] = 128
	}
	if r := detail(p, l, cover.LiveTreatment{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(1, 1)}); r != (Through{}) {
		t.Errorf("nothing is there, and %+v of it can be read", r)
	}
}

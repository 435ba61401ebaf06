package holdout

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
)

// A strong colour that light is added to, as a camera writes it down (BT.709's transfer function), does not keep its
// hue: what is said of its chroma is nearer than the plate's hue, however strong or pale. In the dark it is near too.
func TestVeiled(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 1))
	camera := func(v float64) float64 {
		if v = min(v, 1); v < .018 {
			return 4.5 * v
		}
		return 1.099*math.Pow(v, .45) - .099
	}
	for _, of := range []struct {
		matrix                 frame.Matrix
		white, typical, seldom float64 // how bright all is, and by how much the chroma may be off
	}{
		{frame.BT709, 1, .5, 2}, {frame.BT601, 1, .5, 2}, {frame.BT2020, 1, .5, 2}, {frame.BT709, .03, 3, 7},
	} {
		format := frame.Format{Matrix: of.matrix}
		kr, kb := format.Coefficients()
		coded := func(c [3]float64, light float64) (y, b, r float64) {
			for k := range c {
				c[k] = camera(c[k] + light)
			}
			y = kr*c[0] + (1-kr-kb)*c[1] + kb*c[2]
			return 219 * y, 224 * (c[2] - y) / (2 - 2*kb), 224 * (c[0] - y) / (2 - 2*kr)
		}
		var turned, all int
		var offs []float64
		for range 4000 {
			c := [3]float64{of.white * rng.Float64(), of.white * rng.Float64(), of.white * rng.Float64()}
			light := of.white * rng.Float64() * .9
			py, pb, pr := coded(c, 0)
			y, b, r := coded(c, light)
			gotB, gotR := matrixOf(format).veiled(float32(py), float32(pb), float32(pr), float32(y))
			off := math.Hypot(float64(gotB)-b, float64(gotR)-r)
			offs = append(offs, off)
			k := max((b*pb+r*pr)/(pb*pb+pr*pr+1e-9), 0)
			if hue := math.Hypot(b-k*pb, r-k*pr); hue > 4 {
				all++
				if off < hue/2 {
					turned++
				}
			}
		}
		slices.Sort(offs)
		if typical, seldom := offs[len(offs)/2], offs[len(offs)*99/100]; typical > of.typical || seldom > of.seldom {
			t.Errorf("%v: the chroma said is off by %.2f, and by %.2f of one in a hundred", of, typical, seldom)
		}
		if of.white == 1 && (all < 200 || turned < all*95/100) {
			t.Errorf("%v: of %d hues that light turned, %d are told", of, all, turned)
		}
	}
}

// On a surface without texture brightness alone tells. What leaves three fifths of it is a shadow; what leaves a
// quarter, of the surface's hue as it may be, is darker than shadows are and stands in front.
func TestShadowsAreNotThatDeep(t *testing.T) {
	const w, h = 320, 220
	const from, to = 60, 150 // it lies over the left of the surface, with a soft edge
	draw := func(seed uint64, leaves float64) *frame.Picture {
		p := frame.New(frame.Format{
			Width: w, Height: h, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709,
		}, nil)
		rng := rand.New(rand.NewPCG(seed, 1))
		for y := range h {
			for x := range w {
				k := 1 - (1-leaves)/(1+math.Exp(float64(x-to)/4))
				p.Planes[0][y*w+x] = byte(16.5 + 134*k + 1.5*rng.NormFloat64())
				if x%2 == 0 && y%2 == 0 {
					i := y/2*(w/2) + x/2
					p.Planes[1][i] = byte(128.5 - 40*k + rng.NormFloat64())
					p.Planes[2][i] = byte(128.5 + 50*k + rng.NormFloat64())
				}
			}
		}
		return p
	}
	still := geom.Translate(geom.Point{}).Warp()
	g, err := cleanplate.NewGather(outline, 1)
	if err != nil {
		t.Fatal(err)
	}
	for f := range 6 {
		g.Add(draw(uint64(f), 1), still, f == 0)
	}
	plate, err := g.Plate()
	if err != nil {
		t.Fatal(err)
	}
	for leaves, want := range map[float64]float64{.6: 0, .25: float64(to-from) / 200} {
		found := NewFinder(plate, Usual).Find(draw(99, leaves), still, geom.Point{})
		if math.Abs(found.Share-want) > .02 {
			t.Errorf("where %.2f is left, %.3f of the surface are held out, and %.3f should be", leaves, found.Share, want)
		}
	}
}

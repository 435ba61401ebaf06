package raster

import (
	"math"
	"math/rand"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

func live(p geom.Path) cover.Live { return cover.Live{Form: cover.Form{Paths: []geom.Path{p}}} }

func area(p frame.Plane) (a float64) {
	for _, v := range p.Pix {
		a += float64(v)
	}
	return a
}

func at(p frame.Plane, x, y int) float32 {
	if x < p.Rect.Min.X || y < p.Rect.Min.Y || x >= p.Rect.Max.X || y >= p.Rect.Max.Y {
		return 0
	}
	return p.Row(y)[x-p.Rect.Min.X]
}

// The matte's area is the outline's, whatever its place, size and turn; grown,
// it is that of the Minkowski sum with a disc (Steiner's formula).
func TestMatteAreaIsTheGeometry(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	for range 200 {
		w, h := 8+rng.Float64()*200, 8+rng.Float64()*100
		r := geom.Rect{Min: geom.Pt(-w/2, -h/2), Max: geom.Pt(w/2, h/2)}
		grow := rng.Float64() * 30
		m := geom.Placement(geom.Point{}, geom.Pt(300+rng.Float64()*40, 250+rng.Float64()*40), rng.Float64()*360, 1, 1)
		for name, c := range map[string]struct {
			path            geom.Path
			area, perimeter float64
		}{
			"box":     {geom.Box(r), w * h, 2 * (w + h)},
			"ellipse": {geom.Ellipse(r), math.Pi * w * h / 4, perimeter(geom.Ellipse(r))},
		} {
			l := live(c.path.Map(m))
			if got := area(Matte(l, 640, 520)); math.Abs(got-c.area) > .003*c.area+1 {
				t.Fatalf("%s %gx%g: matte area %g, outline %g", name, w, h, got, c.area)
			}
			l.Grow = grow
			want := c.area + c.perimeter*grow + math.Pi*grow*grow
			if got := area(Matte(l, 640, 520)); math.Abs(got-want) > .004*want+1 {
				t.Fatalf("%s %gx%g grown %g: matte area %g, geometry %g", name, w, h, grow, got, want)
			}
		}
	}
}

func perimeter(p geom.Path) (l float64) {
	pts := p.Flatten(.001)
	for i, a := range pts {
		l += a.Sub(pts[(i+1)%len(pts)]).Len()
	}
	return l
}

// star is a hollow polygon, the case in which offsetting can go wrong.
func star(rng *rand.Rand, n int) geom.Path {
	var p geom.Path
	for i := range n {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		p = append(p, geom.Knot{P: geom.Pt(120, 120).Add(geom.Pt(c, s).Mul(12 + 70*rng.Float64()))})
	}
	return p
}

// Grown and softened mattes against the distance to the outline, computed the
// slow way: 1 inside and within grow, 0 beyond grow + soften.
func TestGrowAndSoftenAgainstDistance(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	for i := range 60 {
		p := star(rng, 3+rng.Intn(9))
		if i%3 == 0 { // against the clock
			for a, b := 0, len(p)-1; a < b; a, b = a+1, b-1 {
				p[a], p[b] = p[b], p[a]
			}
		}
		l := live(p)
		l.Grow = rng.Float64() * 12
		soft := rng.Float64() * 20
		l.Soften = geom.Pt(soft, soft)
		m := Matte(l, 240, 240)
		poly := p.Flatten(.05)
		for range 400 {
			x, y := rng.Intn(240), rng.Intn(240)
			d := distance(poly, geom.Pt(float64(x)+.5, float64(y)+.5))
			switch v := at(m, x, y); {
			case v < 0 || v > 1:
				t.Fatalf("matte %g", v)
			case d < l.Grow-.8 && v < .999:
				t.Fatalf("%v: bare at %d,%d, %.2f px from the outline grown by %.2f: %g", p, x, y, d, l.Grow, v)
			case d > l.Grow+soft+2.5 && v > 0:
				t.Fatalf("covered at %d,%d, %.2f px out, grow %.2f soften %.2f: %g", x, y, d, l.Grow, soft, v)
			}
		}
	}
}

// An inverted cover hides all that its outline leaves out, up to the grown edge;
// inside it shows what lies deeper than the softness.
func TestInvertedAgainstDistance(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	for range 40 {
		p := star(rng, 3+rng.Intn(9))
		l := live(p)
		l.Inverted = true
		l.Grow = rng.Float64() * 8
		soft := rng.Float64() * 10
		l.Soften = geom.Pt(soft, soft)
		m := Matte(l, 200, 190) // the outline may reach beyond the edge
		poly := p.Flatten(.05)
		for range 600 {
			x, y := rng.Intn(200), rng.Intn(190)
			q := geom.Pt(float64(x)+.5, float64(y)+.5)
			depth := math.Inf(1) // inside, to the outline
			if distance(poly, q) > 0 {
				depth = 0
			} else {
				for i, a := range poly {
					ab := poly[(i+1)%len(poly)].Sub(a)
					u := min(max(q.Sub(a).Dot(ab)/ab.Dot(ab), 0), 1)
					depth = min(depth, q.Sub(a.Add(ab.Mul(u))).Len())
				}
			}
			switch v := at(m, x, y); {
			case depth < l.Grow-1 && v < .99 || depth == 0 && distance(poly, q) > .8 && v < .99:
				t.Fatalf("bare at %d,%d, %.2f px inside, grow %.2f: %g", x, y, depth, l.Grow, v)
			case depth > l.Grow+soft+2.5 && v > .002 || depth > l.Grow+1.5*soft+4 && v > 0:
				t.Fatalf("hidden at %d,%d, %.2f px inside, grow %.2f soften %.2f: %g", x, y, depth, l.Grow, soft, v)
			}
		}
	}
	// Two outlines: what either leaves in is shown.
	l := cover.Live{Form: cover.Form{Inverted: true, Paths: []geom.Path{
		geom.Box(geom.Rect{Min: geom.Pt(10, 10), Max: geom.Pt(30, 30)}),
		geom.Box(geom.Rect{Min: geom.Pt(20, 20), Max: geom.Pt(50, 50)}),
	}}}
	m := Matte(l, 64, 64)
	for _, q := range [][3]int{{15, 15, 0}, {25, 25, 0}, {45, 45, 0}, {45, 15, 1}, {60, 60, 1}, {0, 0, 1}} {
		if at(m, q[0], q[1]) != float32(q[2]) {
			t.Errorf("at %d,%d: %g", q[0], q[1], at(m, q[0], q[1]))
		}
	}
}

// distance is 0 inside the polygon.
func distance(poly []geom.Point, p geom.Point) float64 {
	best, inside := math.Inf(1), false
	for i, a := range poly {
		b := poly[(i+1)%len(poly)]
		ab := b.Sub(a)
		t := min(max(p.Sub(a).Dot(ab)/ab.Dot(ab), 0), 1)
		best = min(best, p.Sub(a.Add(ab.Mul(t))).Len())
		if (a.Y > p.Y) != (b.Y > p.Y) && p.X < a.X+(p.Y-a.Y)/(b.Y-a.Y)*ab.X {
			inside = !inside
		}
	}
	if inside {
		return 0
	}
	return best
}

// A figure of eight has no single outside; growing must uncover neither loop.
func TestSelfCrossingOutlineOnlyGrows(t *testing.T) {
	eight := geom.Path{{P: geom.Pt(20, 20)}, {P: geom.Pt(100, 100)}, {P: geom.Pt(100, 20)}, {P: geom.Pt(20, 100)}}
	base := Matte(live(eight), 120, 120)
	l := live(eight)
	l.Grow = 6
	grown := Matte(l, 120, 120)
	for y := range 120 {
		for x := range 120 {
			if at(grown, x, y) < at(base, x, y)-.01 {
				t.Fatalf("growing uncovered %d,%d: %g, was %g", x, y, at(grown, x, y), at(base, x, y))
			}
		}
	}
	if at(grown, 60, 22) < .9 && at(grown, 16, 60) < .9 {
		t.Fatal("growing did nothing")
	}
}

// Two boxes that share an edge inside a pixel leave no seam; what lies outside
// the picture is cut, not moved.
func TestOutlinesAddAndClip(t *testing.T) {
	l := cover.Live{Form: cover.Form{Paths: []geom.Path{
		geom.Box(geom.Rect{Min: geom.Pt(-500, 10), Max: geom.Pt(30.4, 30)}),
		geom.Box(geom.Rect{Min: geom.Pt(30.4, 10), Max: geom.Pt(5000, 30)}),
	}}}
	m := Matte(l, 65, 41)
	for x := range 65 {
		if v := at(m, x, 20); v < .99 {
			t.Fatalf("seam at %d: %g", x, v)
		}
		if at(m, x, 35) != 0 {
			t.Fatal("covered outside")
		}
	}
	if !Matte(live(geom.Box(geom.Rect{Min: geom.Pt(-50, 10), Max: geom.Pt(-20, 30)})), 65, 41).Rect.Empty() {
		t.Fatal("a cover beside the picture has a matte")
	}
}

func BenchmarkMatteSoft300x120(b *testing.B) {
	l := live(geom.Ellipse(geom.Rect{Min: geom.Pt(400, 300), Max: geom.Pt(700, 420)}))
	l.Grow, l.Soften = 4, geom.Pt(8, 8)
	for b.Loop() {
		Matte(l, 1920, 1080)
	}
}

// A holdout takes the matte away inside it; beside it, within its softness, what is
// hidden stays at least as hidden as by a hard edge; inverted, it leaves only what
// lies inside. A holdout elsewhere changes nothing.
func TestHoldout(t *testing.T) {
	box := func(x0, y0, x1, y1 float64) []geom.Path {
		return []geom.Path{geom.Box(geom.Rect{Min: geom.Pt(x0, y0), Max: geom.Pt(x1, y1)})}
	}
	l := cover.Live{Form: cover.Form{Paths: box(20, 20, 80, 60), Soften: geom.Pt(4, 4)}}
	bare := Matte(l, 100, 100)
	l.Holdouts = []cover.Form{{Paths: box(40, 10, 60, 70), Soften: geom.Pt(6, 0)}}
	m := Matte(l, 100, 100)
	at := func(p frame.Plane, x, y int) float32 { return p.Row(y)[x-p.Rect.Min.X] }
	for y := 22; y < 58; y++ {
		for x := 20; x < 80; x++ {
			v, b := at(m, x, y), at(bare, x, y)
			switch inside := min(x-40, 59-x); {
			case v < 0 || v > b+1e-6:
				t.Fatalf("(%d,%d): %g with the holdout, %g without", x, y, v, b)
			case inside < 0 && v != b:
				t.Fatalf("(%d,%d) beside the holdout: %g, not %g", x, y, v, b)
			case inside > 7 && v != 0:
				t.Fatalf("(%d,%d) inside the holdout: %g", x, y, v)
			}
		}
	}
	f := Foreground(l.Holdouts, 100, 100)
	if at(f, 50, 40) != 1 || at(f, 38, 40) != 0 {
		t.Errorf("foreground %g inside, %g outside", at(f, 50, 40), at(f, 38, 40))
	}
	l.Holdouts[0].Inverted = true
	if m = Matte(l, 100, 100); at(m, 50, 40) != 1 || at(m, 30, 40) != 0 {
		t.Errorf("inverted: %g inside, %g outside", at(m, 50, 40), at(m, 30, 40))
	}
	l.Holdouts = []cover.Form{{Paths: box(90, 90, 99, 99)}}
	for i, v := range Matte(l, 100, 100).Pix {
		if v != bare.Pix[i] {
			t.Fatal("a holdout elsewhere changes the matte")
		}
	}
}

// The soft edge lies on the side that is asked for: outside all of the outline is hidden,
// inside nothing beyond it is touched, both halve it on the outline; and transparency
// scales all of it.
func TestSoftSides(t *testing.T) {
	l := live(geom.Box(geom.Rect{Min: geom.Pt(100, 100), Max: geom.Pt(300, 220)}))
	l.Soften = geom.Pt(20, 20)
	for side, want := range map[cover.SoftenSide][3]float32{ // 22 px out, on the edge, 22 px in
		cover.SoftenOutside: {0, 1, 1}, cover.SoftenInside: {0, 0, 1}, cover.SoftenBoth: {0, .5, 1},
	} {
		l.Side = side
		m := Matte(l, 400, 320)
		if got := [3]float32{
			at(m, 77, 160), (at(m, 99, 160) + at(m, 100, 160)) / 2,
			at(m, 122, 160),
		}; math.Abs(float64(got[0]-want[0])) > .01 || math.Abs(float64(got[1]-want[1])) > .06 ||
			math.Abs(float64(got[2]-want[2])) > .01 {
			t.Errorf("%q: %v, not %v", side, got, want)
		}
		last := float32(0)
		for x := 70; x < 130; x++ {
			if v := at(m, x, 160); v < last-1e-4 || v > 1 {
				t.Fatalf("%q: %g at %d after %g", side, v, x, last)
			} else {
				last = v
			}
		}
		l.Transparency = .4
		if got, whole := area(Matte(l, 400, 320)), area(m); math.Abs(got-.6*whole) > 1e-3*whole {
			t.Errorf("%q: of %g is left %g at a transparency of .4", side, whole, got)
		}
		l.Transparency = 0
	}
}

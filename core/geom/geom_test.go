package geom

import (
	"math"
	"math/rand"
	"testing"
)

func near(a, b Point) bool { return a.Sub(b).Len() < 1e-6*(1+a.Len()) }

// A map to a quad takes the square's corners there and straight lines to
// straight lines; its inverse takes them back.
func TestSquareToQuad(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	unit := [4]Point{{0, 0}, {1, 0}, {1, 1}, {0, 1}}
	for range 500 {
		var q [4]Point
		for i, c := range unit { // convex: a square with its corners pushed about
			q[i] = c.Mul(400).Add(Pt(rng.Float64()*120, rng.Float64()*120)).Add(Pt(-200, 50))
		}
		m, err := SquareToQuad(q)
		if err != nil {
			t.Fatal(err)
		}
		inv, err := m.Inverse()
		if err != nil {
			t.Fatal(err)
		}
		for i, c := range unit {
			if !near(m.Apply(c), q[i]) || !near(inv.Apply(q[i]), c) {
				t.Fatalf("corner %d: %v, want %v", i, m.Apply(c), q[i])
			}
		}
		a, b := Pt(rng.Float64(), rng.Float64()), Pt(rng.Float64(), rng.Float64())
		p, r, s := m.Apply(a), m.Apply(a.Lerp(b, .37)), m.Apply(b)
		if math.Abs(r.Sub(p).Cross(s.Sub(p))) > 1e-6*s.Sub(p).Dot(s.Sub(p)) {
			t.Fatal("a straight line was bent")
		}
		if !near(inv.Mul(m).Apply(a), a) {
			t.Fatal("the inverse does not undo")
		}
	}
	if _, err := SquareToQuad([4]Point{{0, 0}, {1, 1}, {2, 2}, {3, 3}}); err == nil {
		t.Fatal("a line was taken for a quad")
	}
	if _, err := (Map{}).Inverse(); err == nil {
		t.Fatal("nothing was inverted")
	}
}

// A placement sizes and turns about its pivot, clockwise on screen, then moves.
func TestPlacement(t *testing.T) {
	m := Placement(Pt(10, 20), Pt(5, -3), 90, 2, 1)
	for _, c := range [][2]Point{{{10, 20}, {15, 17}}, {{11, 20}, {15, 19}}, {{10, 21}, {14, 17}}} {
		if got := m.Apply(c[0]); !near(got, c[1]) {
			t.Errorf("%v goes to %v, want %v", c[0], got, c[1])
		}
	}
}

// A flattened curve strays from the true one by no more than asked.
func TestFlattenTolerance(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	for range 200 {
		var p Path
		for range 4 {
			v := func(s float64) Point { return Pt(rng.NormFloat64()*s, rng.NormFloat64()*s) }
			p = append(p, Knot{P: v(200), In: v(60), Out: v(60)})
		}
		for _, tol := range []float64{.05, .5} {
			pts := p.Flatten(tol)
			for i, k := range p {
				l := p[(i+1)%len(p)]
				a, b, c, d := k.P, k.P.Add(k.Out), l.P.Add(l.In), l.P
				for j := range 40 {
					u := float64(j) / 40
					ab, bc, cd := a.Lerp(b, u), b.Lerp(c, u), c.Lerp(d, u)
					at := ab.Lerp(bc, u).Lerp(bc.Lerp(cd, u), u)
					best := math.Inf(1)
					for n, q := range pts {
						r := pts[(n+1)%len(pts)]
						qr := r.Sub(q)
						s := min(max(at.Sub(q).Dot(qr)/max(qr.Dot(qr), 1e-12), 0), 1)
						best = min(best, at.Sub(q.Lerp(r, s)).Len())
					}
					if best > tol*1.01 {
						t.Fatalf("%.3f px off at a tolerance of %g", best, tol)
					}
				}
			}
		}
	}
}

// Carrying a path by a map and flattening it is the same as flattening it and
// carrying the points, for affine maps.
func TestPathMapIsAffine(t *testing.T) {
	p := Ellipse(Rect{Pt(10, 20), Pt(90, 60)})
	m := Placement(Pt(30, 30), Pt(7, 9), 33, 1.7, .6)
	if a, b := Area(p.Map(m).Flatten(.01)), Area(p.Flatten(.01)); math.Abs(a/b-1.7*.6) > 1e-3 {
		t.Errorf("area ratio %g", a/b)
	}
	if got := Area(p.Flatten(.001)); math.Abs(got/(math.Pi*40*20)-1) > 1e-3 || got < 0 {
		t.Errorf("ellipse's area %g; clockwise on screen is positive", got)
	}
}

// A split path runs where the path did, and splitting commutes with
// interpolation; what Split put in, Without takes out; a smooth knot's handles
// are one line.
func TestKnots(t *testing.T) {
	rng := rand.New(rand.NewSource(3))
	random := func(n int) Path {
		var p Path
		for range n {
			k := Knot{P: Pt(rng.Float64()*400, rng.Float64()*300)}
			if rng.Intn(3) > 0 {
				k.In, k.Out = Pt(rng.NormFloat64()*40, rng.NormFloat64()*40), Pt(rng.NormFloat64()*40, rng.NormFloat64()*40)
			}
			p = append(p, k)
		}
		return p
	}
	near := func(a, b Point) bool { return a.Sub(b).Len() < 1e-9*(1+a.Len()) }
	for range 400 {
		n := 3 + rng.Intn(5)
		p, q, i, at, w := random(n), random(n), rng.Intn(n), .05+.9*rng.Float64(), rng.Float64()
		s := p.Split(i, at)
		for _, u := range []float64{0, .2, .5, .9, 1} {
			if !near(s.At(i, u), p.At(i, at*u)) || !near(s.At((i+1)%(n+1), u), p.At(i, at+(1-at)*u)) {
				t.Fatal("splitting moved the curve")
			}
		}
		seg, u, d := p.Nearest(p.At(i, at))
		if d > 1e-4 || p.At(seg, u).Sub(p.At(i, at)).Len() > 1e-4 {
			t.Fatalf("the nearest place to a point of the path is %g away", d)
		}
		if p[i].Out != (Point{}) && q[i].Out != (Point{}) {
			mid := func(a, b Path) Path {
				m := make(Path, len(a))
				for j := range a {
					m[j] = a[j].Lerp(b[j], w)
				}
				return m
			}
			x, y := mid(p, q).Split(i, at), mid(p.Split(i, at), q.Split(i, at))
			for j := range x {
				if !near(x[j].P, y[j].P) || !near(x[j].In, y[j].In) || !near(x[j].Out, y[j].Out) {
					t.Fatal("splitting and interpolating do not commute")
				}
			}
		}
		for j, k := range s.Without(i + 1) {
			if !near(k.P, p[j].P) || k.In.Sub(p[j].In).Len() > 1e-6 || k.Out.Sub(p[j].Out).Len() > 1e-6 {
				t.Fatalf("knot %d: %+v, was %+v", j, k, p[j])
			}
		}
		if k := p.Smooth(i); math.Abs(k.In.Cross(k.Out)) > 1e-9 || k.P != p[i].P {
			t.Fatal("a smooth knot has a corner")
		}
	}
}

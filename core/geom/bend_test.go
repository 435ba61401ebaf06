package geom

import (
	"math"
	"math/rand/v2"
	"testing"
)

func bending(p Point) Point { return Pt(4*math.Sin(p.Y/23), 3*math.Cos(p.X/31+p.Y/50)) }

// The bend through given displacements has them at the corners of its cells, is near a smooth function between them,
// and at its rim beyond.
func TestBendThrough(t *testing.T) {
	box := Rect{Pt(10, 20), Pt(170, 110)}
	b := BendThrough(box, 8, bending)
	for y := range 9 {
		for x := range 9 {
			p := Pt(10+20*float64(x), 20+90./8*float64(y))
			if d := b.At(p).Sub(bending(p)).Len(); d > 1e-9 {
				t.Errorf("at %v it is off by %g", p, d)
			}
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		p := Pt(30+120*r.Float64(), 31+68*r.Float64())
		if d := b.At(p).Sub(bending(p)).Len(); d > .03 {
			t.Errorf("between, at %v, it is off by %g", p, d)
		}
		if b.At(p).Len() > b.Most() {
			t.Errorf("at %v it displaces by more than the most", p)
		}
	}
	if b.At(Pt(-50, 65)) != b.At(Pt(10, 65)) || b.At(Pt(300, 300)) != b.At(Pt(170, 110)) {
		t.Error("beyond the box nothing goes along with its rim")
	}
}

// Back undoes Apply; the fast way does nearly. A warp without a bend is its map.
func TestWarp(t *testing.T) {
	box := Rect{Pt(0, 0), Pt(160, 90)}
	w := Warp{Map: Map{1.1, .1, 40, -.05, .9, 30, 2e-4, 1e-4, 1}, Bend: BendThrough(box, 6, bending)}
	back, err := w.Back()
	if err != nil {
		t.Fatal(err)
	}
	on := Map{2, 0, 5, 0, 3, 7, 0, 0, 1}
	fast := w.Unbent(on)
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		p := Pt(160*r.Float64(), 90*r.Float64())
		q := w.Apply(p)
		if d := back(q).Sub(p).Len(); d > 5e-3 {
			t.Errorf("%v comes back off by %g", p, d)
		}
		// At the very rim of the box a displacement is no longer smooth.
		rim := min(p.X, p.Y, 160-p.X, 90-p.Y) < 4
		if d := fast(q).Sub(on.Apply(p)).Len(); d > .3 && !rim {
			t.Errorf("%v comes back the fast way off by %g", p, d)
		}
	}
	flat := w.Map.Warp()
	if flat.Unbent(on) != nil || flat.Apply(Pt(3, 4)) != w.Map.Apply(Pt(3, 4)) {
		t.Error("a warp without a bend is not its map")
	}
	if _, err := (Warp{}).Back(); err == nil {
		t.Error("a singular map has a way back")
	}
}

// A path bent through a map lies on the bent path everywhere.
func TestThrough(t *testing.T) {
	w := Warp{Map: Identity, Bend: BendThrough(Rect{Pt(0, 0), Pt(160, 90)}, 6, bending)}
	for _, p := range []Path{Box(Rect{Pt(10, 10), Pt(150, 80)}), Ellipse(Rect{Pt(20, 10), Pt(140, 80)})} {
		const parts = 6
		q := p.Through(w.Apply, parts)
		if len(q) != parts*len(p) {
			t.Fatalf("%d knots", len(q))
		}
		for i := range q {
			for u := 0.; u < 1; u += .1 {
				want := w.Apply(p.At(i/parts, (float64(i%parts)+u)/parts))
				if d := q.At(i, u).Sub(want).Len(); d > .12 {
					t.Errorf("at %d, %.1f it is off by %g", i, u, d)
				}
			}
		}
	}
}

// Between two bends lies what lies between their displacements; none is flat.
func TestBendLerp(t *testing.T) {
	box := Rect{Pt(0, 0), Pt(160, 90)}
	b := BendThrough(box, 6, bending)
	var none *Bend
	p := Pt(77, 41)
	if d := none.Lerp(b, .25).At(p).Sub(b.At(p).Mul(.25)).Len(); d > 1e-12 {
		t.Errorf("a quarter of the way it is off by %g", d)
	}
	if d := b.Lerp(nil, .25).At(p).Sub(b.At(p).Mul(.75)).Len(); d > 1e-12 {
		t.Errorf("a quarter of the way back it is off by %g", d)
	}
	if none.Lerp(nil, .5) != nil || !none.Flat() || !NewBend(box, 3).Flat() || b.Flat() || none.Most() != 0 {
		t.Error("what is flat is not told right")
	}
}

package track

import (
	"math"
	"math/rand"
	"testing"

	"celator/core/geom"
)

// Points near the edge of a card that jolts: around each is more of the wall than of the card, and what lies between
// them says where they have gone.
func TestPointsHelpEachOther(t *testing.T) {
	s := newScene()
	at := func(f int) geom.Map {
		return pose(230+18*math.Sin(float64(f*f)), 180+14*math.Cos(float64(3*f*f)), 2*math.Sin(float64(f)), 1, 1, 0, 0)
	}
	on := []geom.Point{{X: 14, Y: 14}, {X: 206, Y: 20}, {X: 110, Y: 106}}
	var pts []geom.Point
	for _, q := range on {
		pts = append(pts, at(0).Apply(q))
	}
	p, err := NewPoints(s.draw(at(0), 0, 6, 1, 0, 0), pts)
	if err != nil {
		t.Fatal(err)
	}
	for f := 1; f < 20; f++ {
		for i, got := range p.Step(s.draw(at(f), int64(f), 6, 1, 0, 0)) {
			if e := got.Map.Apply(pts[i]).Sub(at(f).Apply(on[i])).Len(); e > 2 || !got.State.Known() {
				t.Errorf("frame %d, point %d: %.2f px off, %s", f, i, e, got.State)
			}
		}
	}
}

// Of points that move together, one that found its like elsewhere is put where the others
// went; which one it is does not matter, nor how the thing moves.
func TestPointsAgree(t *testing.T) {
	rng := rand.New(rand.NewSource(4))
	for n := 3; n <= 12; n++ {
		for range 20 {
			turn, size := .01*rng.NormFloat64(), 1+.01*rng.NormFloat64()
			c, s := size*math.Cos(turn), size*math.Sin(turn)
			m := geom.Map{c, -s, 40 * rng.NormFloat64(), s, c, 40 * rng.NormFloat64(), 0, 0, 1}
			p := &Points{}
			var was []geom.Map
			var now []Pose
			wrong := rng.Intn(n)
			for i := range n {
				a := 2*math.Pi*float64(i)/float64(n) + .2*rng.NormFloat64()/float64(n)
				q := geom.Pt(450+200*math.Cos(a), 250+200*math.Sin(a))
				p.at, p.each = append(p.at, q), append(p.each, &Planar{})
				was = append(was, geom.Identity)
				at := m
				if i == wrong {
					at = geom.Map{1, 0, 120 + 200*rng.Float64(), 0, 1, 0, 0, 0, 1}.Mul(m)
				}
				at = geom.Map{1, 0, .15 * rng.NormFloat64(), 0, 1, .15 * rng.NormFloat64(), 0, 0, 1}.Mul(at)
				now = append(now, Pose{Map: at, Confidence: .9, State: Good})
			}
			p.agree(was, now)
			for i, pose := range now {
				off := pose.Map.Apply(p.at[i]).Sub(m.Apply(p.at[i])).Len()
				if (pose.State == Lost) != (i == wrong) || off > 4 && (n > 3 || i != wrong) {
					t.Fatalf("%d points, %d of them wrong: point %d is %s and %.1f px off", n, wrong, i, pose.State, off)
				}
			}
			// One lost of more than the motion needs takes nothing from what is known.
			if got := Together(p.at, now, Similarity); n > 3 && got.State != Good {
				t.Fatalf("%d points, one lost: together %s", n, got.State)
			}
		}
	}
}

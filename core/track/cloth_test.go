package track

import (
	"math"
	"slices"
	"testing"

	"celator/core/geom"
)

// waving is a wave over the card that runs and grows with the frame.
func waving(f float64) func(geom.Point) geom.Point {
	far := min(f, 8) * .6
	return func(q geom.Point) geom.Point {
		return geom.Pt(.5*far*math.Sin(q.Y/21+f*.2), far*math.Sin(q.X/34+q.Y/60-f*.25))
	}
}

// shown is where the bent card shows what lies at p.
func shown(p geom.Point, m geom.Map, bend func(geom.Point) geom.Point) geom.Point {
	q := p
	for range 40 {
		q = p.Sub(bend(q))
	}
	return m.Apply(q)
}

// astray are the distances from the truth of places all over the card that are not hidden, in ascending order.
func astray(p Pose, first, truth geom.Map, bend func(geom.Point) geom.Point, from, to float64) (all []float64) {
	for y := 6.; y < 116; y += 6 {
		for x := 6.; x < 216; x += 10 {
			at := geom.Pt(x, y)
			if q := shown(at, truth, bend); q.X < from || q.X > to {
				all = append(all, p.Warp().Apply(first.Apply(at)).Sub(q).Len())
			}
		}
	}
	slices.Sort(all)
	return all
}

// A card that waves while it moves is found all over, also when something passes; as a plane it is not.
func TestCloth(t *testing.T) {
	at := func(f float64) geom.Map { return pose(230+2*f, 180+f, f, 1, 1, 0, 0) }
	for _, c := range []struct {
		name     string
		from, to float64 // of what passes on frame 8
		median   float64
		share    float64 // of the places, that lie within
		most     float64
	}{{"in the clear", 0, 0, .25, .9, .8}, {"crossed", 200, 240, .3, .8, 1}} {
		s := newScene()
		first := s.draw(at(0), 0, 2, 1, 0, 0)
		cloth, err := NewPlanar(first, outline(at(0)), Cloth)
		if err != nil {
			t.Fatal(err)
		}
		plane, err := NewPlanar(first, outline(at(0)), Perspective)
		if err != nil {
			t.Fatal(err)
		}
		for f := 1.; f <= 20; f++ {
			s.bend = waving(f)
			x := 0.
			if c.to > 0 {
				x = 40 * (f - 8)
			}
			g := s.draw(at(f), int64(f), 2, 1, c.from+x, c.to+x)
			p, q := cloth.Step(g)[0], plane.Step(g)[0]
			off := astray(p, at(0), at(f), s.bend, c.from+x, c.to+x)
			if at := off[int(c.share*float64(len(off)))]; off[len(off)/2] > c.median || at > c.most {
				t.Errorf("%s, frame %v: half are off by over %.2f px, some by over %.2f (%s)", c.name, f, off[len(off)/2], at,
					p.State)
			}
			if was := astray(q, at(0), at(f), s.bend, c.from+x, c.to+x); f > 8 && was[len(was)/2] < 2*off[len(off)/2] {
				t.Errorf("%s, frame %v: a plane is as near: %.2f px", c.name, f, was[len(was)/2])
			}
		}
		if px := plane.Bends(); px < BendsFrom || px > 6 {
			t.Errorf("%s: as a plane it seems to bend by %.2f px", c.name, px)
		}
	}
}

// A stiff card is followed as well as cloth, hardly bends, and is not taken for cloth.
func TestStiffCloth(t *testing.T) {
	s := newScene()
	at := func(f float64) geom.Map { return pose(230+2*f, 180, 2*f, 1+.01*f, 1, 1e-4*f, 0) }
	first := s.draw(at(0), 0, 3, 1, 0, 0)
	cloth, err := NewPlanar(first, outline(at(0)), Cloth)
	if err != nil {
		t.Fatal(err)
	}
	plane, _ := NewPlanar(first, outline(at(0)), Perspective)
	none := func(geom.Point) geom.Point { return geom.Point{} }
	for f := 1.; f <= 20; f++ {
		g := s.draw(at(f), int64(f), 3, 1-.01*f, 0, 0)
		plane.Step(g)
		if off := astray(cloth.Step(g)[0], at(0), at(f), none, 0, 0); off[len(off)*9/10] > .8 {
			t.Errorf("frame %v: a tenth are off by over %.2f px", f, off[len(off)*9/10])
		}
	}
	if px := plane.Bends(); px != 0 {
		t.Errorf("it seems to bend by %.2f px", px)
	}
}

// On a frame on which the place is given, the bend is found from nothing.
func TestBendAt(t *testing.T) {
	s := newScene()
	at := func(f float64) geom.Map { return pose(230+2*f, 180, f, 1, 1, 0, 0) }
	p, err := NewPlanar(s.draw(at(0), 0, 2, 1, 0, 0), outline(at(0)), Cloth)
	if err != nil {
		t.Fatal(err)
	}
	s.bend = waving(9)
	back, _ := at(0).Inverse()
	m := at(9).Mul(back)
	found := Pose{Map: m, Bend: p.BendAt(s.draw(at(9), 9, 2, 1, 0, 0), m)}
	if off := astray(found, at(0), at(9), s.bend, 0, 0); off[len(off)/2] > .4 || off[len(off)*9/10] > 2 {
		t.Errorf("half are off by over %.2f px, a tenth by over %.2f", off[len(off)/2], off[len(off)*9/10])
	}
	s.bend = nil
	if b := p.BendAt(s.draw(at(9), 9, 2, 1, 0, 0), m); b.At(at(0).Apply(geom.Pt(110, 60))).Len() > .3 {
		t.Errorf("a stiff card bends by %v", b.At(at(0).Apply(geom.Pt(110, 60))))
	}
}

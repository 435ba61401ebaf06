package demo

import (
	"math"

	"celator/core/geom"
	"celator/core/track"
)

// drape is how a cloth of 520x300 bends at a time: at (u, v) it shows what lies at (u, v) plus the displacement.
type drape func(t float64) func(u, v float64) geom.Point

// waves are two that run over a cloth and die away at its rim.
func waves(far float64) drape {
	return func(t float64) func(u, v float64) geom.Point {
		return func(u, v float64) geom.Point {
			rim := math.Sin(math.Pi*min(max(u/520, 0), 1)) * math.Sin(math.Pi*min(max(v/300, 0), 1))
			return geom.Pt(rim*far*math.Sin(u/70+v/160-t*.21), rim*far*math.Sin(u/110-v/90+t*.17))
		}
	}
}

// flag is a cloth that is held on its left: waves run to its free end and grow, and what is steep is foreshortened.
func flag(far float64) drape {
	return func(t float64) func(u, v float64) geom.Point {
		return func(u, v float64) geom.Point {
			a := u/55 + v/210 - t*.25
			grown := far * min(max(u/400, 0), 1.4)
			return geom.Pt(.45*grown*math.Sin(2*a+1), grown*math.Sin(a))
		}
	}
}

// hem is how far around a cloth its texture reaches, that its rim can move.
const hem = 40

// hemmed is a bend in the pixels of a texture with a hem.
func hemmed(bend func(u, v float64) geom.Point) func(u, v float64) geom.Point {
	return func(u, v float64) geom.Point { return bend(u-hem, v-hem) }
}

// framed is a texture with so many transparent pixels around it.
func (t *texture) framed(by int) *texture {
	out := newTexture(t.w+2*by, t.h+2*by)
	for y := range t.h {
		copy(out.pix[4*((y+by)*out.w+by):], t.pix[4*y*t.w:4*(y+1)*t.w])
	}
	return out
}

// places returns what takes the places of a cloth to the picture at time t.
func (d drape) places(on geom.Map, t float64) func(geom.Point) geom.Point {
	bend := d(t)
	return func(p geom.Point) geom.Point {
		q := p // what the cloth shows of p stands where q + bend(q) = p
		for range 20 {
			q = p.Sub(bend(q.X, q.Y))
		}
		return on.Apply(q)
	}
}

// latticeWide and latticeHigh are how many places of a cloth are known.
const latticeWide, latticeHigh = 21, 13

// Inner are four places of those that Mesh knows, given where they lie: the corners of what is surely cloth.
func Inner(mesh []geom.Point) []geom.Point {
	at := func(x, y int) geom.Point { return mesh[y*latticeWide+x] }
	return []geom.Point{at(1, 1), at(latticeWide-2, 1), at(latticeWide-2, latticeHigh-2), at(1, latticeHigh-2)}
}

// lattice are places all over a cloth.
func lattice() (all []geom.Point) {
	for y := range latticeHigh {
		for x := range latticeWide {
			all = append(all, geom.Pt(float64(x)*26, float64(y)*25))
		}
	}
	return all
}

// plane returns where the plane lies that follows a cloth best from its form at time 40: the corners, by the
// homography with the least squared distances over the cloth.
func (d drape) plane(on geom.Map, t float64) [4]geom.Point {
	var from, to []geom.Point
	then, now := d.places(geom.Identity, 40), d.places(on, t)
	for _, p := range lattice() {
		from, to = append(from, then(p)), append(to, now(p))
	}
	return corners(track.Fit(from, to, track.Perspective), 0, 0, 520, 300)
}

// Mesh returns where places all over the shot's cloth lie on a frame, in the same order on each; nil of a shot that
// shows none.
func (s Shot) Mesh() func(frame int) []geom.Point {
	at := s.prepare()
	if at(0).places == nil {
		return nil
	}
	return func(f int) (out []geom.Point) {
		read := s.reader(at, f)
		for _, p := range lattice() {
			q := geom.Pt(0, float64(s.Height)/2)
			for range 4 {
				q = read(q.Y).places(p)
			}
			out = append(out, q)
		}
		return out
	}
}

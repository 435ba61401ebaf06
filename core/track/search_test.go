package track

import (
	"math/rand"
	"testing"

	"celator/core/geom"
)

// A dim card that is drawn at a slant before a bright wall, whose corners lie in the box around it, is found where it
// is, and not where less of the wall is seen.
func TestFind(t *testing.T) {
	s := scene{texture(1, 220, 120, 30, 48), texture(2, 480, 360, 70, 230), 480, 360, nil}
	at := pose(230, 170, 24, .7, .7, 0, 0)
	p, err := NewPlanar(s.draw(at, 1, 1, 1, 0, 0), outline(at), Perspective)
	if err != nil {
		t.Fatal(err)
	}
	coarsest := p.ref.coarsest()
	middle := geom.Bounds(outline(at)).Centre()
	rng := rand.New(rand.NewSource(4))
	for range 12 {
		by := geom.Pt(90*(rng.Float64()-.5), 90*(rng.Float64()-.5))
		f := s.draw(geom.Translate(by).Mul(at), 2, 1, 1, 0, 0)
		best := coarsest.find(f.pyr, geom.Identity, geom.Pt(60, 60), 1)
		if len(best) == 0 {
			t.Errorf("moved by %.0f, %.0f: nothing is found", by.X, by.Y)
			continue
		}
		if off := best[0].Apply(middle).Sub(middle.Add(by)).Len(); off > 1.5/coarsest.scale {
			t.Errorf("moved by %.0f, %.0f: found %.1f px off", by.X, by.Y, off)
		}
	}
}

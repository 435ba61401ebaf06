package holdout

import (
	"testing"

	"celator/core/geom"
)

// A surface of 300x200 with its margin, with a disc passing.
func BenchmarkFind(b *testing.B) {
	s := scene{w: 640, h: 360, noise: 2, light: 1}
	big := []geom.Point{{X: 140, Y: 60}, {X: 440, Y: 60}, {X: 440, Y: 260}, {X: 140, Y: 260}}
	f := NewFinder(plateOf(b, s, big), Usual)
	p, _ := s.draw(50, pose(3), geom.Pt(250, 150), 60)
	q, _ := s.draw(51, pose(4), geom.Pt(258, 150), 60)
	b.ResetTimer()
	for i := range b.N {
		if i%2 == 0 {
			f.Find(p, pose(3).Warp(), geom.Pt(2, 1))
		} else {
			f.Find(q, pose(4).Warp(), geom.Pt(2, 1))
		}
	}
}

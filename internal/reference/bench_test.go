package reference

import (
	"fmt"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
)

// What a patch of one frame costs in finding out what its clean plate is.
func BenchmarkNear(b *testing.B) {
	for _, n := range []int{200, 3000} {
		d := cover.New(1280, 720, n)
		c := cover.Cover{
			ID: "a", Name: "a", Span: cover.Span{Last: n - 1},
			Treatments: []cover.Treatment{cover.NewTreatment("t", cover.SurfaceFill)},
			Outlines: []cover.Outline{{
				ID: "o", Shape: cover.ShapeEllipse,
				Keys: []cover.PathKey{{Knots: geom.Ellipse(geom.Rect{Min: geom.Pt(20, 60), Max: geom.Pt(270, 220)})}},
			}},
		}
		d.Covers = append(d.Covers, c)
		var m Maker
		b.Run(fmt.Sprint(n, " frames"), func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				m.Near("s", d, cover.Span{First: i % n, Last: i % n})
			}
		})
	}
}

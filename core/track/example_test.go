package track_test

import (
	"fmt"
	"math"

	"celator/core/geom"
	"celator/core/track"
)

// picture is a pattern that has moved by d.
func picture(d geom.Point) track.Frame {
	g := track.NewGray(160, 120)
	for i := range g.Pix {
		x, y := float64(i%160)-d.X, float64(i/160)-d.Y
		g.Pix[i] = float32(120 + 50*math.Sin(x/4+y/9)*math.Cos(y/5) + 30*math.Sin(x/11-y/6))
	}
	f, err := track.Prepare(g)
	if err != nil {
		panic(err)
	}
	return f
}

// A surface is followed to where it has moved.
func ExampleNewPlanar() {
	sign := []geom.Point{{X: 40, Y: 30}, {X: 110, Y: 30}, {X: 110, Y: 80}, {X: 40, Y: 80}}
	planar, err := track.NewPlanar(picture(geom.Point{}), sign, track.Affine)
	if err != nil {
		panic(err)
	}
	for f := 1; f <= 3; f++ {
		for _, pose := range planar.Step(picture(geom.Pt(3*float64(f), float64(f)))) {
			p := pose.Map.Apply(sign[0])
			fmt.Printf("%.0f, %.0f %v\n", p.X, p.Y, pose.State == track.Good)
		}
	}
	// Output:
	// 43, 31 true
	// 46, 32 true
	// 49, 33 true
}

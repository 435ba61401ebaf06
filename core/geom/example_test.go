package geom_test

import (
	"fmt"

	"celator/core/geom"
)

// The map between two views of a flat thing takes its middle to where the diagonals cross.
func ExampleQuadToQuad() {
	sign := [4]geom.Point{{X: 0, Y: 0}, {X: 100, Y: 0}, {X: 100, Y: 50}, {X: 0, Y: 50}}
	seen := [4]geom.Point{{X: 10, Y: 10}, {X: 90, Y: 20}, {X: 90, Y: 60}, {X: 10, Y: 70}}
	m, err := geom.QuadToQuad(sign, seen)
	if err != nil {
		panic(err)
	}
	p := m.Apply(geom.Pt(50, 25))
	fmt.Printf("%.1f, %.1f\n", p.X, p.Y)
	// Output: 58.0, 40.0
}

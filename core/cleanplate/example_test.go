package cleanplate_test

import (
	"fmt"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
)

// A bright bar passes before an even wall; the clean plate has no trace of it.
func ExampleGather() {
	wall := []geom.Point{{X: 16, Y: 16}, {X: 48, Y: 16}, {X: 48, Y: 32}, {X: 16, Y: 32}}
	g, err := cleanplate.NewGather(wall, 1)
	if err != nil {
		panic(err)
	}
	f := frame.Format{Width: 64, Height: 48, Depth: 8, SubX: 1, SubY: 1, Matrix: frame.BT709, Range: frame.Limited}
	for n := range 8 {
		p := frame.New(f, nil)
		for i := range p.Planes[0] {
			p.Planes[0][i] = 100
			if x := i % 64; x >= 8*n && x < 8*n+8 {
				p.Planes[0][i] = 220
			}
		}
		g.Add(p, geom.Identity.Warp(), n == 0)
	}
	plate, err := g.Plate()
	if err != nil {
		panic(err)
	}
	least, most := plate.Pix[0][0], plate.Pix[0][0]
	for _, s := range plate.Pix {
		least, most = min(least, s[0]), max(most, s[0])
	}
	fmt.Printf("%.0f to %.0f\n", least, most)
	// Output: 100 to 100
}

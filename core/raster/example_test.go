package raster_test

import (
	"fmt"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/raster"
)

// The matte of a box that cuts through pixels has the box's area.
func ExampleMatte() {
	box := geom.Box(geom.Rect{Min: geom.Pt(10.5, 10.25), Max: geom.Pt(30, 20)})
	matte := raster.Matte(cover.Live{Form: cover.Form{Paths: []geom.Path{box}}}, 64, 48)
	area := float32(0)
	for _, v := range matte.Pix {
		area += v
	}
	fmt.Printf("%.0f of %.0f\n", area, 19.5*9.75)
	// Output: 190 of 190
}

package holdout_test

import (
	"fmt"
	"math"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/holdout"
)

// wall is a pattern with a dark post before it, from x on.
func wall(x int) *frame.Picture {
	p := frame.New(frame.Format{
		Width: 160, Height: 120, Depth: 8, SubX: 1, SubY: 1, Matrix: frame.BT709, Range: frame.Limited,
	}, nil)
	for i := range p.Planes[0] {
		u, v := float64(i%160), float64(i/160)
		p.Planes[0][i] = byte(140 + 40*math.Sin(u/4)*math.Cos(v/5))
		if d := i%160 - x; d >= 0 && d < 20 {
			p.Planes[0][i] = 30
		}
	}
	for pl := 1; pl < 3; pl++ {
		for i := range p.Planes[pl] {
			p.Planes[pl][i] = 128
		}
	}
	return p
}

// What is not as the surface is, is in front of it.
func ExampleFinder_Find() {
	surface := []geom.Point{{X: 30, Y: 30}, {X: 130, Y: 30}, {X: 130, Y: 90}, {X: 30, Y: 90}}
	gather, err := cleanplate.NewGather(surface, 1)
	if err != nil {
		panic(err)
	}
	for f := range 8 {
		gather.Add(wall(20*f), geom.Identity.Warp(), f == 0)
	}
	plate, err := gather.Plate()
	if err != nil {
		panic(err)
	}
	found := holdout.NewFinder(plate, holdout.Usual).Find(wall(70), geom.Identity.Warp(), geom.Point{})
	at := func(x int) bool { return found.Pix[(60-found.Rect.Min.Y)*found.Rect.Dx()+x-found.Rect.Min.X] > 200 }
	fmt.Println("on the post:", at(80), "beside it:", at(110))
	// Output: on the post: true beside it: false
}

package cut_test

import (
	"fmt"

	"celator/core/cut"
	"celator/core/frame"
)

// A dark shot, and a bright one from frame 30 on.
func ExampleFinder() {
	f := frame.Format{Width: 64, Height: 48, Depth: 8, SubX: 1, SubY: 1, Matrix: frame.BT709, Range: frame.Limited}
	var find cut.Finder
	for n := range 60 {
		p := frame.New(f, nil)
		for i := range p.Planes[0] {
			p.Planes[0][i] = byte(40 + i%7 + 150*(n/30))
		}
		find.Add(n, cut.Of(p))
	}
	for _, b := range find.Boundaries() {
		fmt.Println("a shot begins at", b.Frame)
	}
	// Output: a shot begins at 30
}

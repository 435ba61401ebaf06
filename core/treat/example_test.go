package treat_test

import (
	"fmt"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
)

// A fill replaces what is inside the cover, and nothing else.
func ExampleConceal() {
	p := frame.New(frame.Format{
		Width: 64, Height: 48, Depth: 8, SubX: 1, SubY: 1, Matrix: frame.BT709, Range: frame.Limited,
	}, nil)
	for i := range p.Planes[0] {
		p.Planes[0][i] = 200
	}
	box := geom.Box(geom.Rect{Min: geom.Pt(16, 16), Max: geom.Pt(48, 32)})
	treat.Conceal(p, []cover.Live{{
		Form:       cover.Form{Paths: []geom.Path{box}},
		Treatments: []cover.LiveTreatment{{Kind: cover.Fill, Strength: 1, Colour: "#000000"}},
	}}, nil)
	fmt.Println("inside", p.Planes[0][24*64+32], "outside", p.Planes[0][4*64+4])
	// Output: inside 16 outside 200
}

package cover_test

import (
	"fmt"

	"celator/core/cover"
	"celator/core/geom"
)

// A plate is covered by a box, and moved by hand from one frame to another.
func ExampleDocument_Apply() {
	box := geom.Box(geom.Rect{Min: geom.Pt(100, 60), Max: geom.Pt(180, 100)})
	moved := cover.Rest
	moved.Move = geom.Pt(40, 0)
	doc, label, err := cover.New(640, 360, 50).Apply(
		cover.AddCover{New: cover.Cover{
			ID: "plate", Name: "Quay plate", Span: cover.Span{First: 0, Last: 49},
			Outlines:   []cover.Outline{{ID: "o1", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: box}}}},
			Treatments: []cover.Treatment{cover.NewTreatment("t1", cover.Mosaic)},
		}},
		cover.PlaceCover{Cover: "plate", Frame: 0, Placement: cover.Rest},
		cover.PlaceCover{Cover: "plate", Frame: 40, Placement: moved},
	)
	if err != nil {
		panic(err)
	}
	fmt.Println(label)
	fmt.Println("middle at f 20:", doc.Find("plate").Centre(20))
	fmt.Println("live at f 20:", len(doc.At(20)), "cover")
	// Output:
	// added Quay plate
	// middle at f 20: {160 80}
	// live at f 20: 1 cover
}

package check_test

import (
	"fmt"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/geom"
)

// A cover that goes on over a cut hides the wrong thing behind it.
func ExampleDocument() {
	box := geom.Box(geom.Rect{Min: geom.Pt(100, 60), Max: geom.Pt(180, 100)})
	doc, _, err := cover.New(640, 360, 50).Apply(cover.AddCover{New: cover.Cover{
		ID: "plate", Name: "Quay plate", Span: cover.Span{First: 0, Last: 49},
		Outlines:   []cover.Outline{{ID: "o1", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: box}}}},
		Treatments: []cover.Treatment{cover.NewTreatment("t1", cover.Mosaic)},
	}})
	if err != nil {
		panic(err)
	}
	for _, f := range check.Document(doc, []int{30}, nil) {
		fmt.Println(f.Severity, f.Kind, "at f", f.Frame)
	}
	// Output: severe cut-crossed at f 30
}

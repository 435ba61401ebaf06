package interchange_test

import (
	"fmt"

	"celator/core/interchange"
)

// An outline drawn elsewhere comes in as SVG path data.
func ExampleParseOutlineSVG() {
	paths, err := interchange.ParseOutlineSVG([]byte(`<svg><path d="M10 10H90V60H10Z"/></svg>`))
	fmt.Println(len(paths), "path of", len(paths[0]), "knots", err)
	_, err = interchange.ParseOutlineSVG([]byte(`<svg><circle r="9"/></svg>`))
	fmt.Println(err)
	// Output:
	// 1 path of 4 knots <nil>
	// the file has no closed path, polygon or rect
}

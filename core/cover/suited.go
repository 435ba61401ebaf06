package cover

import "math"

// NewTreatment returns a treatment of that kind with settings that hide ordinary
// lettering.
func NewTreatment(id string, kind Kind) Treatment {
	t := Treatment{ID: id, Kind: kind}
	for _, s := range t.settings() {
		switch s.Sort {
		case "number":
			*t.number(s.Name) = Const(s.Begins)
		case "colour":
			t.Colour = "#808080"
		case "switch":
			*t.toggle(s.Name) = s.Begins > 0
		}
	}
	return t
}

// Under is what a new treatment is to hide.
type Under struct {
	// Stroke is how wide the strokes of the letters are, px; 0 where nobody measured it.
	Stroke float64 `json:"stroke,omitempty"`
	// Side is the shorter side of the outline, px.
	Side float64 `json:"side,omitempty"`
	// Followed says that it rides on a track.
	Followed bool `json:"followed,omitempty"`
}

// How strong a treatment must be for strokes of a width, so that the check reads nothing.
// Of the demo's things a riding mosaic was read with cells of 1.4 strokes and not from 2.2
// on; a blur was read with a sigma of 1.3 and, where the strokes are of 5 px, of 2 strokes,
// and not with 1.7 where they are of 17 nor with 3.2. What is
// measured is one frame: on others the thing may be larger, by a quarter within a shot,
// and sigma stays in px. strokesOfSide is how many strokes an outline counts as where
// nobody measured: of a plate the board's own edge can be made out longest, and a tracked
// plate of 35 px was read with a sigma of 16 and not of 20.
const (
	cellOfStroke  = 4
	sigmaOfStroke = 2.8
	strokesOfSide = 5
	widestGuessed = 18 // px: a larger outline holds several lines, or a picture
)

// Suited returns a new treatment that hides what lies under it: as strong as the letters
// are large, and never weaker than NewTreatment's. A mosaic rides on a followed surface:
// as the grid goes along, all frames show the same means.
func Suited(id string, kind Kind, u Under) Treatment {
	t := NewTreatment(id, kind)
	stroke := u.Stroke
	if stroke <= 0 {
		stroke = min(u.Side/strokesOfSide, widestGuessed)
	}
	switch kind {
	case Blur:
		sigma := math.Round(max(t.Sigma.Across.Constant, min(sigmaOfStroke*stroke, 200)))
		t.Sigma = ConstPair(sigma, sigma)
	case Mosaic:
		cell := math.Round(max(t.Cell.Across.Constant, min(cellOfStroke*stroke, 400)))
		t.Cell, t.Rides = ConstPair(cell, cell), u.Followed
	}
	return t
}

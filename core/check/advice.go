package check

import (
	"fmt"
	"math"
	"slices"

	"celator/core/cover"
)

// stronger advises how to set the treatment in use so that strokes of a width cannot be
// read any more, on one frame or over several.
func stronger(c *cover.Cover, f int, stroke float64, over bool) string {
	for i := len(c.Treatments) - 1; i >= 0; i-- {
		t := &c.Treatments[i]
		if t.Off || t.Strength.At(cover.Time(f)) <= 0 {
			continue
		}
		if t.Strength.At(cover.Time(f)) < 1 || c.Transparency.At(cover.Time(f)) > 0 {
			return "Let nothing of the picture through: set strength and opacity to 100 %."
		}
		s := cover.Suited(t.ID, t.Kind, cover.Under{Stroke: stroke})
		switch t.Kind {
		case cover.Mosaic:
			if over && !t.Rides {
				if c.Track == "" {
					return "Track the surface, so that the mosaic rides with it, or take a fill."
				}
				return "Let the mosaic ride with the surface, or take a fill."
			}
			now := t.Cell.At(cover.Time(f))
			return fmt.Sprintf("Make the mosaic's cells %.0f px or more, or take a fill.",
				more(min(now.X, now.Y), s.Cell.At(cover.Time(f)).X))
		case cover.Blur:
			now := t.Sigma.At(cover.Time(f))
			return fmt.Sprintf("Widen the blur to a sigma of %.0f px or more, or take a fill.",
				more(min(now.X, now.Y), s.Sigma.At(cover.Time(f)).X))
		case cover.Dim:
			return "Dimming hides no letters: take a blur, a mosaic or a fill."
		case cover.Patch:
			return "Lay the patch over all of it, or take a fill."
		}
	}
	return "Conceal more strongly, or take a fill."
}

// more is what is wanted, or half as much again as there is, where that did not do.
func more(now, wanted float64) float64 { return math.Ceil(max(wanted, 1.5*now)) }

// stroke is how wide the strokes of what is hidden are on most frames, px; 0 if unknown.
func (w *watch) stroke() float64 {
	if len(w.through) == 0 {
		return 0
	}
	var widths []float64
	for _, t := range w.through {
		widths = append(widths, t.stroke)
	}
	slices.Sort(widths)
	return widths[len(widths)/2]
}

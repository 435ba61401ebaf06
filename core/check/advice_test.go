package check

import (
	"strings"
	"testing"

	"celator/core/cover"
)

// The advice is about the treatment in use, and asks for more than there is.
func TestStronger(t *testing.T) {
	kind := func(k cover.Kind) *cover.Cover {
		return &cover.Cover{Treatments: []cover.Treatment{cover.NewTreatment("t", k)}}
	}
	weak := kind(cover.Fill)
	weak.Treatments[0].Strength = cover.Const(.5)
	off := kind(cover.Blur)
	off.Treatments = append(off.Treatments, cover.NewTreatment("m", cover.Mosaic))
	off.Treatments[1].Off = true
	riding := kind(cover.Mosaic)
	riding.Track, riding.Treatments[0].Rides = "t", true
	standing := kind(cover.Mosaic)
	standing.Track = "t"
	for _, c := range []struct {
		cover *cover.Cover
		over  bool
		says  string
	}{
		{kind(cover.Blur), false, "sigma of 56 px"}, // 2.8 strokes
		{kind(cover.Mosaic), false, "cells 80 px"},
		{kind(cover.Mosaic), true, "Track the surface"},
		{standing, true, "ride with the surface"},
		{riding, true, "cells 80 px"},
		{kind(cover.Dim), false, "hides no letters"},
		{weak, false, "opacity to 100 %"},
		{off, false, "Widen the blur"},
	} {
		if got := stronger(c.cover, 0, 20, c.over); !strings.Contains(got, c.says) {
			t.Errorf("%s: %q, not %q", c.cover.Treatments[0].Kind, got, c.says)
		}
	}
}

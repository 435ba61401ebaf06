package treat

import (
	"image"

	"celator/core/cover"
	"celator/core/frame"
)

// fill lays one colour on: a given one, or that of what is around the outline, in the
// frame's light; with the source's grain, and with as much of the original's shape of
// light as is wanted.
func fill(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	out := frame.NewPlane(r)
	red, green, blue, _ := frame.ParseHex(t.Colour) // validated with the document
	v := s.Encode(red, green, blue)[plane]
	if t.Around && s.CleanPlate != nil {
		v = s.lit(plane, s.CleanPlate.rim[plane])
	}
	for i := range out.Pix {
		out.Pix[i] = v
	}
	s.finish(out, plane, t, false)
	return out
}

// dim brings samples towards no light below level 1, and towards full light above it.
func dim(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	out := s.Read(plane, r)
	none, full := s.Levels(plane)
	level := float32(t.Level)
	for i, v := range out.Pix {
		if level <= 1 {
			v = none + level*(v-none)
		} else {
			v += (level - 1) * (full - v)
		}
		out.Pix[i] = v
	}
	return out
}

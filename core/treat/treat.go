// Package treat does inside the matte what hides the content: blur, mosaic,
// fill. It works on the decoded samples in place; where the matte is 0 no
// sample changes.
package treat

import (
	"image"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/raster"
)

// Conceal applies live covers, in order, to a picture, and returns their mattes.
// The covers' coordinates are the picture's.
func Conceal(p *frame.Picture, live []cover.Live) []frame.Plane {
	var mattes []frame.Plane
	for _, l := range live {
		matte := raster.Matte(l, p.Width, p.Height)
		if matte.Rect.Empty() {
			continue
		}
		mattes = append(mattes, matte)
		for plane := range 3 {
			m := Subsample(matte, p.Format, plane)
			for _, t := range l.Treatments {
				alpha := m
				if t.Strength < 1 {
					alpha = scaled(m, float32(t.Strength))
				}
				p.Mix(plane, apply(p, plane, alpha.Rect, t), alpha)
			}
		}
	}
	return mattes
}

// Combined returns the matte of all covers together over the whole picture: 1
// where anything is hidden wholly, 0 where no sample may change.
func Combined(f frame.Format, live []cover.Live) frame.Plane {
	var mattes []frame.Plane
	for _, l := range live {
		mattes = append(mattes, raster.Matte(l, f.Width, f.Height))
	}
	return Union(mattes, image.Rect(0, 0, f.Width, f.Height))
}

// Union returns the largest of the mattes at each sample of a rectangle.
func Union(mattes []frame.Plane, part image.Rectangle) frame.Plane {
	all := frame.NewPlane(part)
	for _, m := range mattes {
		r := m.Rect.Intersect(part)
		for y := r.Min.Y; y < r.Max.Y; y++ {
			dst, src := all.Row(y)[r.Min.X-part.Min.X:r.Max.X-part.Min.X], m.Row(y)[r.Min.X-m.Rect.Min.X:]
			for x := range dst {
				dst[x] = max(dst[x], src[x])
			}
		}
	}
	return all
}

// Subsample returns the matte on the samples of a plane: the mean of the luma
// samples that a chroma sample stands for. The matte's rectangle must have even
// corners where the plane is subsampled, unless it ends at the picture's edge.
func Subsample(m frame.Plane, f frame.Format, plane int) frame.Plane {
	sx, sy := f.Sub(plane)
	if sx == 0 && sy == 0 {
		return m
	}
	r := image.Rect(m.Rect.Min.X>>sx, m.Rect.Min.Y>>sy, (m.Rect.Max.X+sx)>>sx, (m.Rect.Max.Y+sy)>>sy)
	out := frame.NewPlane(r)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		dst := out.Row(y)
		a := m.Row(y << sy)
		b := m.Row(min(y<<sy+sy, m.Rect.Max.Y-1))
		for x := range dst {
			i := x << sx
			j := min(i+sx, len(a)-1)
			dst[x] = (a[i] + a[j] + b[i] + b[j]) / 4
		}
	}
	return out
}

func scaled(m frame.Plane, s float32) frame.Plane {
	out := frame.NewPlane(m.Rect)
	for i, v := range m.Pix {
		out.Pix[i] = v * s
	}
	return out
}

// apply returns the treated samples of rectangle r of a plane.
func apply(p *frame.Picture, plane int, r image.Rectangle, t cover.LiveTreatment) frame.Plane {
	switch t.Kind {
	case cover.Blur:
		return blur(p, plane, r, t.Sigma)
	case cover.Mosaic:
		return mosaic(p, plane, r, t.Cell)
	case cover.Fill:
		return fill(p.Format, plane, r, t.Colour)
	}
	return p.Read(plane, r) // Validate lets no other kind through
}

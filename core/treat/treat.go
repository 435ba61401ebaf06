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

// Site is where a cover's treatments are done.
type Site struct {
	*frame.Picture // as it stands: covers and treatments before it are done
	Live           cover.Live
	CleanPlate     *CleanPlate // of the cover; nil where no treatment asks for it
	Matte          frame.Plane // on luma samples
	graphics       map[string]*Graphic
	light          light          // of the frame against the clean plate's
	unit           float32        // codes for one of 8 bit
	was            frame.Plane    // luma before any treatment, where its shape of light is wanted
	shape          [2]frame.Plane // of light, on an even surface and on the clean plate
}

// treatment makes the treated samples of rectangle r of a plane.
type treatment func(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane

// treatments are those that cover.Kinds describes.
var treatments = map[cover.Kind]treatment{
	cover.Blur:        blurred,
	cover.Mosaic:      mosaic,
	cover.Fill:        fill,
	cover.Dim:         dim,
	cover.SurfaceFill: surfaceFill,
	cover.Patch:       patch,
}

// Conceal applies live covers, in order, to a picture, and returns their mattes.
// The covers' coordinates are the picture's. Where the clean plate of a cover that needs one
// is not given, it is made of the picture itself.
func Conceal(p *frame.Picture, live []cover.Live, refs *References) []frame.Plane {
	var mattes []frame.Plane
	for _, l := range live {
		matte := raster.Matte(l, p.Width, p.Height)
		if matte.Rect.Empty() {
			continue
		}
		mattes = append(mattes, matte)
		s := Site{Picture: p, Live: l, Matte: matte}
		s.prepare(refs)
		var part [3]frame.Plane
		for plane := range part {
			part[plane] = Subsample(matte, p.Format, plane)
		}
		for _, t := range l.Treatments {
			do := treatments[t.Kind]
			if do == nil || t.Kind == cover.Patch && s.graphic(t.Graphic) == nil {
				continue // Validate lets no other kind through; a patch may have no graphic yet
			}
			for plane, alpha := range part {
				if t.Strength < 1 {
					alpha = scaled(alpha, float32(t.Strength))
				}
				p.Mix(plane, do(&s, t, plane, alpha.Rect), alpha)
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
	if sy == 1 && f.First != frame.Whole {
		return subsampleFields(m, f, plane)
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

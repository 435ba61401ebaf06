package treat

import (
	"image"

	"celator/core/cleanplate"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
)

// surfaceFill replaces the content by what the surface around it would look like there:
// computed once in the surface's own plane, so that it stays put, and laid in the frame's
// light with the source's grain. Without a clean plate (an inverted cover) nothing can be laid.
func surfaceFill(s *Site, t cover.LiveTreatment, plane int, r image.Rectangle) frame.Plane {
	if s.CleanPlate == nil {
		out := frame.NewPlane(r)
		none, full := s.Levels(plane)
		for i := range out.Pix {
			out.Pix[i] = (none + full) / 2
		}
		return out
	}
	out := s.layPlate(s.CleanPlate.clean, plane, r)
	s.finish(out, plane, t, true)
	return out
}

// layPlate lays a clean plate, in the frame's light, on a rectangle of a plane.
func (s *Site) layPlate(p *cleanplate.Plate, plane int, r image.Rectangle) frame.Plane {
	out := frame.NewPlane(r)
	back, err := s.Live.Map.Mul(p.To).Inverse()
	if err != nil {
		return s.Read(plane, r)
	}
	bent := s.Live.Warp().Unbent(p.Of)
	sx, sy := s.Sub(plane)
	kx, ky := float64(int(1)<<sx), float64(int(1)<<sy)
	m := back.Mul(geom.Map{kx, 0, 0, 0, ky, 0, 0, 0, 1})
	zero, one := s.lit(plane, 0), s.lit(plane, 1)
	slope := one - zero
	right, bottom := float32(p.W-1), float32(p.H-1)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		fy := float64(y) + .5
		row := out.Row(y)
		nu, nv, nw := m[1]*fy+m[2], m[4]*fy+m[5], m[7]*fy+m[8]
		for x := range row {
			fx := float64(r.Min.X+x) + .5
			d := 1 / float32(m[6]*fx+nw)
			u, v := float32(m[0]*fx+nu)*d, float32(m[3]*fx+nv)*d
			if bent != nil {
				q := bent(geom.Pt(kx*fx, ky*fy))
				u, v = float32(q.X), float32(q.Y)
			}
			u, v = min(max(u-.5, 0), right), min(max(v-.5, 0), bottom)
			i, j := min(int(u), p.W-2), min(int(v), p.H-2)
			a, b := u-float32(i), v-float32(j)
			q := p.Pix[j*p.W+i:]
			top := q[0][plane] + a*(q[1][plane]-q[0][plane])
			low := q[p.W][plane] + a*(q[p.W+1][plane]-q[p.W][plane])
			row[x] = zero + slope*(top+b*(low-top))
		}
	}
	return out
}

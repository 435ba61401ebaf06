package track

// normal are weighted normal equations of the eight numbers of a small map: the upper triangle of their matrix, row by
// row, and their right side.
type normal struct {
	h   [36]float64
	rhs [8]float64
}

// add enters a measurement: what it changes by with each of the numbers, and by how much it is off.
func (n *normal) add(weight float64, row *[8]float64, off float64) {
	k := 0
	for a, ja := range row {
		n.rhs[a] += weight * ja * off
		for _, jb := range row[a:] {
			n.h[k] += weight * ja * jb
			k++
		}
	}
}

// slopes gathers the normal equations of samples, each of which tells of its place (u, v) along its slope (gx, gy).
// With t = -(gx u + gy v) it changes by (gx u, gx v, gx, gy u, gy v, gy, t u, t v): products of a slope and a place, so
// that 39 sums make all 44 numbers, and the same products serve for many.
type slopes struct {
	xx, xy, yy [6]float64 // of two slopes times uu, uv, vv, u, v and 1
	xt, yt     [5]float64 // times uu, uv, vv, u and v
	tt         [3]float64 // times uu, uv and vv
	x, y       [3]float64 // of the slope and what is off, times u, v and 1
	t          [2]float64 // times u and v
}

// add enters a sample and by how much it is off.
func (s *slopes) add(weight, gx, gy, u, v, off float64) {
	uu, uv, vv := u*u, u*v, v*v
	x, y := weight*gx, weight*gy
	xx, xy, yy := x*gx, x*gy, y*gy
	s.xx[0] += xx * uu
	s.xx[1] += xx * uv
	s.xx[2] += xx * vv
	s.xx[3] += xx * u
	s.xx[4] += xx * v
	s.xx[5] += xx
	s.xy[0] += xy * uu
	s.xy[1] += xy * uv
	s.xy[2] += xy * vv
	s.xy[3] += xy * u
	s.xy[4] += xy * v
	s.xy[5] += xy
	s.yy[0] += yy * uu
	s.yy[1] += yy * uv
	s.yy[2] += yy * vv
	s.yy[3] += yy * u
	s.yy[4] += yy * v
	s.yy[5] += yy
	xt, yt := -(xx*u + xy*v), -(xy*u + yy*v)
	s.xt[0] += xt * uu
	s.xt[1] += xt * uv
	s.xt[2] += xt * vv
	s.xt[3] += xt * u
	s.xt[4] += xt * v
	s.yt[0] += yt * uu
	s.yt[1] += yt * uv
	s.yt[2] += yt * vv
	s.yt[3] += yt * u
	s.yt[4] += yt * v
	tt := -(xt*u + yt*v)
	s.tt[0] += tt * uu
	s.tt[1] += tt * uv
	s.tt[2] += tt * vv
	x, y = x*off, y*off
	s.x[0] += x * u
	s.x[1] += x * v
	s.x[2] += x
	s.y[0] += y * u
	s.y[1] += y * v
	s.y[2] += y
	t := -(x*u + y*v)
	s.t[0] += t * u
	s.t[1] += t * v
}

// equations are those of all that was entered.
func (s *slopes) equations() normal {
	xx, xy, yy, xt, yt, tt := &s.xx, &s.xy, &s.yy, &s.xt, &s.yt, &s.tt
	return normal{
		h: [36]float64{
			xx[0], xx[1], xx[3], xy[0], xy[1], xy[3], xt[0], xt[1],
			xx[2], xx[4], xy[1], xy[2], xy[4], xt[1], xt[2],
			xx[5], xy[3], xy[4], xy[5], xt[3], xt[4],
			yy[0], yy[1], yy[3], yt[0], yt[1],
			yy[2], yy[4], yt[1], yt[2],
			yy[5], yt[3], yt[4],
			tt[0], tt[1],
			tt[2],
		},
		rhs: [8]float64{s.x[0], s.x[1], s.x[2], s.y[0], s.y[1], s.y[2], s.t[0], s.t[1]},
	}
}

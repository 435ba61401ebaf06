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
// that the same products serve for many of the 44 numbers.
type slopes struct {
	xx, xy, yy, xt, yt, tt products   // of two slopes and a place
	x, y                   [3]float64 // of the slope and what is off, times u, v and 1
	t                      [2]float64 // times u and v
}

// products are sums of uu, uv, vv, u, v and 1.
type products [6]float64

func (s *products) add(weight float64, p *products) {
	s[0] += weight * p[0]
	s[1] += weight * p[1]
	s[2] += weight * p[2]
	s[3] += weight * p[3]
	s[4] += weight * p[4]
	s[5] += weight * p[5]
}

// add enters a sample and by how much it is off.
func (s *slopes) add(weight, gx, gy, u, v, off float64) {
	place := products{u * u, u * v, v * v, u, v, 1}
	x, y := weight*gx, weight*gy
	xx, xy, yy := x*gx, x*gy, y*gy
	s.xx.add(xx, &place)
	s.xy.add(xy, &place)
	s.yy.add(yy, &place)
	xt, yt := -(xx*u + xy*v), -(xy*u + yy*v)
	s.xt.add(xt, &place)
	s.yt.add(yt, &place)
	s.tt.add(-(xt*u + yt*v), &place)
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

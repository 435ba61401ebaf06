package demo

import (
	"math"

	"celator/core/frame"
	"celator/core/geom"
)

// layer is a texture somewhere in the picture; layers are drawn in order.
type layer struct {
	tex   *texture
	at    geom.Map // texture pixels to picture
	light float64  // gain
	front bool     // passes in front of the surface
	// bend, when given, moves what the texture shows: at (u, v) it shows what lies at
	// (u, v) plus bend(u, v), in texture pixels. The texture's rim stays.
	bend func(u, v float64) geom.Point
}

// moment is what a shot shows at one time.
type moment struct {
	layers  []layer
	surface [4]geom.Point // the surface's corners in the picture
	// places, of cloth, takes its places to the picture.
	places func(geom.Point) geom.Point
}

// Shot is one clip of the demo programme.
type Shot struct {
	Name      string // folder
	Title     string
	Item      string // what must be hidden
	Kind      string // of the item
	Width     int
	Height    int
	Rate      string
	Timecode  string
	Frames    int
	Reference int     // the frame in which the surface is best seen
	Shutter   float64 // share of the frame's time
	Grain     float64 // standard deviation, 8-bit codes
	CRF       int     // of the recording's compression; 0 is 18
	Broadcast int     // bits a second of a recording in MPEG-2 instead; 0 none
	optics    *optics // nil draws R'G'B' as it is painted
	prepare   func() func(t float64) moment
}

// picture is one frame with its ground truth.
type picture struct {
	pic     *frame.Picture
	front   []byte        // coverage of the foreground, a byte a pixel
	surface [4]geom.Point // at the middle of the shutter
	visible float64       // share of the surface in the frame and uncovered
}

// format of all demo pictures.
func (s Shot) format() frame.Format {
	return frame.Format{
		Width: s.Width, Height: s.Height, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
	}
}

// draw renders frame f: the mean of moments across the shutter, as many as each
// layer's motion needs, then grain, then Y'CbCr. What passes in front is blurred
// by its own, faster motion and laid over the rest. The same frame is the same
// bytes on any number of cores.
func (s Shot) draw(at func(float64) moment, f int, d *picture) {
	if s.optics != nil {
		s.expose(at, f, d)
		return
	}
	d.surface = at(float64(f)).surface
	behind, front := s.moments(at, float64(f), f)
	s.rows(s.Height/2, func(pair int) {
		rows := [2][]float32{make([]float32, 4*s.Width), make([]float32, 4*s.Width)}
		acc, cur := make([]float32, 4*s.Width), make([]float32, 4*s.Width)
		for k, row := range rows {
			y := 2*pair + k
			s.compose(behind, front, y, row, acc, cur, d.front[y*s.Width:][:s.Width])
			s.grain(f, y, row)
		}
		s.encode(d.pic, pair, rows)
	})
	d.visible = s.visible(d)
}

// samples is how many moments the fastest of the layers needs over the shutter
// for steps of under a pixel and a half.
func (s Shot) samples(at func(float64) moment, f int, front bool) int {
	a, b := at(float64(f)-s.Shutter/2), at(float64(f)+s.Shutter/2)
	var far float64
	for i, l := range a.layers {
		if l.front != front {
			continue
		}
		for _, p := range []geom.Point{
			{},
			{X: float64(l.tex.w)},
			{Y: float64(l.tex.h)},
			{X: float64(l.tex.w), Y: float64(l.tex.h)},
		} {
			far = max(far, l.at.Apply(p).Sub(b.layers[i].at.Apply(p)).Len())
		}
	}
	return min(max(int(math.Ceil(far/1.5)), 2), 16)
}

// mean sets out to the mean of the moments' rows; cur is scratch.
func (s Shot) mean(moments [][]layer, y int, out, cur []float32) {
	clear(out)
	norm := 1 / float32(len(moments))
	for _, layers := range moments {
		lo, hi := s.Width, 0
		for _, l := range layers {
			a, b := l.row(y, s.Width)
			if a >= b {
				continue
			}
			lo, hi = min(lo, a), max(hi, b)
		}
		if lo >= hi {
			continue
		}
		clear(cur[4*lo : 4*hi])
		for _, l := range layers {
			if a, b := l.row(y, s.Width); a < b {
				l.draw(y, a, b, cur)
			}
		}
		for i, v := range cur[4*lo : 4*hi] {
			out[4*lo+i] += v * norm
		}
	}
}

// row returns the pixels [a, b) of row y that the layer can touch.
func (l layer) row(y, width int) (a, b int) {
	w, h := float64(l.tex.w), float64(l.tex.h)
	x0, x1 := span([4]geom.Point{
		l.at.Apply(geom.Pt(0, 0)), l.at.Apply(geom.Pt(w, 0)), l.at.Apply(geom.Pt(w, h)),
		l.at.Apply(geom.Pt(0, h)),
	}, float64(y)+.5)
	if x0 >= x1 {
		return 0, 0
	}
	return max(int(math.Ceil(max(x0, 0)-.5)), 0), min(int(math.Floor(min(x1, float64(width))-.5))+1, width)
}

// draw lays pixels [a, b) of row y of the layer over dst: premultiplied R', G',
// B' and coverage.
func (l layer) draw(y, a, b int, dst []float32) {
	inv, err := l.at.Inverse()
	if err != nil {
		return
	}
	// The texture's size at the middle of the row decides its sharpness.
	c := geom.Pt(float64(a+b)/2, float64(y)+.5)
	p := inv.Apply(c)
	du, dv := inv.Apply(c.Add(geom.Pt(1, 0))).Sub(p), inv.Apply(c.Add(geom.Pt(0, 1))).Sub(p)
	step := math.Sqrt(math.Abs(du.Cross(dv)))
	tex, scale := l.tex, 1.
	for step*scale > 1.4 && tex.half != nil {
		tex, scale = tex.half, scale/2
	}
	light := float32(l.light)
	x, yc := float64(a)+.5, float64(y)+.5
	nu, nv, nw := inv[0]*x+inv[1]*yc+inv[2], inv[3]*x+inv[4]*yc+inv[5], inv[6]*x+inv[7]*yc+inv[8]
	if inv[6] == 0 && inv[7] == 0 && l.bend == nil && tex.opaque {
		k := scale / nw
		tex.sweep(nu*k-.5, nv*k-.5, inv[0]*k, inv[3]*k, light, dst[4*a:4*b])
		return
	}
	maxU, maxV, stride := float64(tex.w)-1.001, float64(tex.h)-1.001, 4*tex.w
	for i := a; i < b; i++ {
		k := scale / nw
		u, v := nu*k, nv*k
		if l.bend != nil {
			d := l.bend(u/scale, v/scale)
			u, v = u+d.X*scale, v+d.Y*scale
		}
		u, v = within(u-.5, maxU), within(v-.5, maxV)
		nu, nv, nw = nu+inv[0], nv+inv[3], nw+inv[6]
		iu, iv := int(u), int(v)
		tu, tv := float32(u-float64(iu)), float32(v-float64(iv))
		at := iv*stride + 4*iu
		p, q := tex.pix[at:at+8:at+8], tex.pix[at+stride:at+stride+8:at+stride+8]
		w00, w10, w01, w11 := (1-tu)*(1-tv), tu*(1-tv), (1-tu)*tv, tu*tv
		alpha := w00*p[3] + w10*p[7] + w01*q[3] + w11*q[7]
		if alpha == 0 {
			continue
		}
		r := light * (w00*p[0] + w10*p[4] + w01*q[0] + w11*q[4])
		g := light * (w00*p[1] + w10*p[5] + w01*q[1] + w11*q[5])
		bl := light * (w00*p[2] + w10*p[6] + w01*q[2] + w11*q[6])
		o := dst[4*i : 4*i+4 : 4*i+4]
		if alpha >= .9999 {
			o[0], o[1], o[2], o[3] = r, g, bl, 1
			continue
		}
		o[0], o[1], o[2], o[3] = o[0]*(1-alpha)+r, o[1]*(1-alpha)+g, o[2]*(1-alpha)+bl, o[3]*(1-alpha)+alpha
	}
}

// within is v between 0 and most; the built-in min and max mind NaN and are slow.
func within(v, most float64) float64 {
	if v < 0 {
		return 0
	}
	if v > most {
		return most
	}
	return v
}

// sweep fills dst with what an opaque texture shows along a straight line: from (u, v), in its
// pixels less a half, by (du, dv) a pixel. Half of drawing is background, drawn so.
func (t *texture) sweep(u, v, du, dv float64, light float32, dst []float32) {
	maxU, maxV, stride := float64(t.w)-1.001, float64(t.h)-1.001, 4*t.w
	for len(dst) >= 4 {
		cu, cv := within(u, maxU), within(v, maxV)
		u, v = u+du, v+dv
		iu, iv := int(cu), int(cv)
		tu, tv := float32(cu-float64(iu)), float32(cv-float64(iv))
		at := iv*stride + 4*iu
		p, q := t.pix[at:at+8:at+8], t.pix[at+stride:at+stride+8:at+stride+8]
		tv *= light
		w11, top := tu*tv, light-tv
		w10 := tu * top
		w00, w01 := top-w10, tv-w11
		dst[0] = w00*p[0] + w10*p[4] + w01*q[0] + w11*q[4]
		dst[1] = w00*p[1] + w10*p[5] + w01*q[1] + w11*q[5]
		dst[2] = w00*p[2] + w10*p[6] + w01*q[2] + w11*q[6]
		dst[3] = 1
		dst = dst[4:]
	}
}

// span is where a horizontal line cuts a convex quad.
func span(q [4]geom.Point, y float64) (x0, x1 float64) {
	x0, x1 = math.Inf(1), math.Inf(-1)
	for i, a := range q {
		b := q[(i+1)%4]
		if (a.Y <= y) != (b.Y <= y) {
			x := a.X + (y-a.Y)/(b.Y-a.Y)*(b.X-a.X)
			x0, x1 = min(x0, x), max(x1, x)
		}
	}
	return x0, x1
}

// grain adds film-like noise to a row, the same for the same frame.
func (s Shot) grain(f, y int, row []float32) {
	state := uint32(f+1)*2654435761 ^ (uint32(y+7) * 2246822519)
	next := func() float32 {
		state ^= state << 13
		state ^= state >> 17
		state ^= state << 5
		return float32(state>>8)/(1<<24) - .5
	}
	amp := float32(s.Grain / 255 * 2.45) // two uniform numbers: sd of their sum is 0.408
	for x := range s.Width {
		g, c := (next()+next())*amp, .25*amp*next()
		p := row[4*x : 4*x+3 : 4*x+3]
		p[0], p[1], p[2] = p[0]+g+c, p[1]+g, p[2]+g-c
	}
}

// encode writes two rows as Y'CbCr.
func (s Shot) encode(p *frame.Picture, pair int, rgb [2][]float32) {
	for k := range 2 {
		row := p.Row(0, 2*pair+k, 0, s.Width)
		from := rgb[k]
		for x := range row {
			c := from[4*x : 4*x+3 : 4*x+3]
			row[x] = code(16.5 + 219*.2126*c[0] + 219*.7152*c[1] + 219*.0722*c[2])
		}
	}
	cb, cr := p.Row(1, pair, 0, s.Width/2), p.Row(2, pair, 0, s.Width/2)
	for x := range cb {
		c, d := rgb[0][8*x:8*x+8:8*x+8], rgb[1][8*x:8*x+8:8*x+8]
		r := (c[0] + c[4] + d[0] + d[4]) / 4
		g := (c[1] + c[5] + d[1] + d[5]) / 4
		b := (c[2] + c[6] + d[2] + d[6]) / 4
		y := .2126*r + .7152*g + .0722*b
		cb[x] = code(128.5 + 224/1.8556*(b-y))
		cr[x] = code(128.5 + 224/1.5748*(r-y))
	}
}

// code is a sample as eight bits have it, within what a picture may hold.
func code(v float32) byte {
	n := int(v)
	if n < 1 {
		return 1
	}
	if n > 254 {
		return 254
	}
	return byte(n)
}

// visible is the share of the surface's area that lies in the picture and has
// nothing in front.
func (s Shot) visible(d *picture) float64 {
	b := geom.Bounds(d.surface[:])
	var seen float64
	for y := max(int(b.Min.Y), 0); y < min(int(b.Max.Y)+1, s.Height); y++ {
		x0, x1 := span(d.surface, float64(y)+.5)
		for x := max(int(math.Ceil(x0-.5)), 0); x <= min(int(math.Floor(x1-.5)), s.Width-1); x++ {
			seen += 1 - float64(d.front[y*s.Width+x])/255
		}
	}
	area := math.Abs(geom.Area(d.surface[:]))
	if area < 1 {
		return 0
	}
	return min(seen/area, 1)
}

// pose places a texture of w x h: its centre at c, its height drawn `high`
// pixels tall, turned in space by yaw, pitch and roll (degrees), seen from
// `dist` of its own heights away.
func pose(t *texture, c geom.Point, high, yaw, pitch, roll, dist float64) geom.Map {
	w, h := float64(t.w), float64(t.h)
	sy, cy := math.Sincos(yaw * math.Pi / 180)
	sp, cp := math.Sincos(pitch * math.Pi / 180)
	sr, cr := math.Sincos(roll * math.Pi / 180)
	var q [4]geom.Point
	for i, p := range [4]geom.Point{
		{X: -.5 * w / h, Y: -.5},
		{X: .5 * w / h, Y: -.5},
		{X: .5 * w / h, Y: .5},
		{X: -.5 * w / h, Y: .5},
	} {
		x, y := p.X*cr-p.Y*sr, p.X*sr+p.Y*cr
		x, z := x*cy, -x*sy
		y, z = y*cp-z*sp, y*sp+z*cp
		k := high * dist / (dist + z)
		q[i] = c.Add(geom.Pt(x*k, y*k))
	}
	m, err := geom.SquareToQuad(q)
	if err != nil {
		return geom.Identity
	}
	return m.Mul(geom.Map{1 / w, 0, 0, 0, 1 / h, 0, 0, 0, 1})
}

// corners maps a rectangle of a texture into the picture.
func corners(m geom.Map, x, y, w, h float64) [4]geom.Point {
	return [4]geom.Point{
		m.Apply(geom.Pt(x, y)), m.Apply(geom.Pt(x+w, y)), m.Apply(geom.Pt(x+w, y+h)),
		m.Apply(geom.Pt(x, y+h)),
	}
}

// shake is a hand-held camera's wander in pixels at frame t.
func shake(t, amount float64, seed int) geom.Point {
	var p geom.Point
	for i := 1; i <= 4; i++ {
		a := amount / float64(i)
		p.X += a * math.Sin(t*.043*float64(i)*(1+.3*hash(i, 1, seed))+6*hash(i, 2, seed))
		p.Y += a * .8 * math.Sin(t*.051*float64(i)*(1+.3*hash(i, 3, seed))+6*hash(i, 4, seed))
	}
	return p
}

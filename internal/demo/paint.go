package demo

import (
	"image"
	"image/color"
	"math"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// texture is a painted picture, premultiplied R'G'B'A in 0..1, four float32 a
// pixel, with smaller copies of itself for minifying.
type texture struct {
	w, h   int
	pix    []float32
	half   *texture
	opaque bool // known when it is finished
}

func newTexture(w, h int) *texture { return &texture{w: w, h: h, pix: make([]float32, 4*w*h)} }

// finish builds the smaller copies.
func (t *texture) finish() *texture {
	t.opaque = true
	for i := 3; i < len(t.pix) && t.opaque; i += 4 {
		t.opaque = t.pix[i] > .9999
	}
	if t.w < 4 || t.h < 4 {
		return t
	}
	s := newTexture(t.w/2, t.h/2)
	for y := range s.h {
		for x := range s.w {
			for c := range 4 {
				i := 4*(2*y*t.w+2*x) + c
				s.pix[4*(y*s.w+x)+c] = (t.pix[i] + t.pix[i+4] + t.pix[i+4*t.w] + t.pix[i+4*t.w+4]) / 4
			}
		}
	}
	t.half = s.finish()
	return t
}

// rgb is a colour from a hexadecimal number.
func rgb(v uint32) color.NRGBA { return color.NRGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), 255} }

// over lays a colour on the texture through an alpha mask at (x0, y0).
func (t *texture) over(mask *image.Alpha, c color.NRGBA) {
	a := float32(c.A) / 255
	col := [3]float32{float32(c.R) / 255, float32(c.G) / 255, float32(c.B) / 255}
	b := mask.Rect.Intersect(image.Rect(0, 0, t.w, t.h))
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			m := float32(mask.AlphaAt(x, y).A) / 255 * a
			if m == 0 {
				continue
			}
			p := t.pix[4*(y*t.w+x):]
			for k := range 3 {
				p[k] = p[k]*(1-m) + col[k]*m
			}
			p[3] = p[3]*(1-m) + m
		}
	}
}

// poly fills a polygon, given as x, y pairs.
func (t *texture) poly(c color.NRGBA, xy ...float64) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for i := 0; i+1 < len(xy); i += 2 {
		x0, x1, y0, y1 = min(x0, xy[i]), max(x1, xy[i]), min(y0, xy[i+1]), max(y1, xy[i+1])
	}
	r := image.Rect(int(math.Floor(x0)), int(math.Floor(y0)), int(math.Ceil(x1)),
		int(math.Ceil(y1))).Intersect(image.Rect(0, 0, t.w, t.h))
	if r.Empty() {
		return
	}
	z := vector.NewRasterizer(r.Dx(), r.Dy())
	for i := 0; i+1 < len(xy); i += 2 {
		x, y := float32(xy[i]-float64(r.Min.X)), float32(xy[i+1]-float64(r.Min.Y))
		if i == 0 {
			z.MoveTo(x, y)
		} else {
			z.LineTo(x, y)
		}
	}
	z.ClosePath()
	m := image.NewAlpha(r)
	z.Draw(m, r, image.Opaque, image.Point{})
	t.over(m, c)
}

func (t *texture) rect(c color.NRGBA, x, y, w, h float64) { t.poly(c, x, y, x+w, y, x+w, y+h, x, y+h) }

// oval fills an ellipse.
func (t *texture) oval(c color.NRGBA, cx, cy, rx, ry float64) {
	var xy []float64
	for i := range 72 {
		s, k := math.Sincos(float64(i) * math.Pi / 36)
		xy = append(xy, cx+rx*k, cy+ry*s)
	}
	t.poly(c, xy...)
}

// line strokes from one point to another.
func (t *texture) line(c color.NRGBA, w, x0, y0, x1, y1 float64) {
	l := math.Hypot(x1-x0, y1-y0)
	nx, ny := -(y1-y0)/l*w/2, (x1-x0)/l*w/2
	t.poly(c, x0+nx, y0+ny, x1+nx, y1+ny, x1-nx, y1-ny, x0-nx, y0-ny)
}

var boldFont, monoFont = parse(gobold.TTF), parse(gomono.TTF)

func parse(ttf []byte) *opentype.Font {
	f, err := opentype.Parse(ttf)
	if err != nil {
		panic(err) // the font is compiled in
	}
	return f
}

// text writes s centred on (cx, baseline), or from x = cx when left.
func (t *texture) text(f *opentype.Font, size float64, c color.NRGBA, cx, baseline float64, s string, left bool) {
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic(err)
	}
	d := font.Drawer{Src: image.Opaque, Face: face}
	wide := float64(d.MeasureString(s)) / 64
	if !left {
		cx -= wide / 2
	}
	m := image.NewAlpha(image.Rect(int(cx-size), int(baseline-1.2*size), int(cx+wide+size), int(baseline+size/2)))
	d.Dst, d.Dot = m, fixed.Point26_6{X: fixed.Int26_6(cx * 64), Y: fixed.Int26_6(baseline * 64)}
	d.DrawString(s)
	t.over(m, c)
}

// hash is a fixed pseudo-random number in 0..1 of three integers.
func hash(x, y, seed int) float64 {
	h := uint32(x)*0x8da6b343 ^ uint32(y)*0xd8163841 ^ uint32(seed)*0xcb1ab31f
	h ^= h >> 15
	h *= 0x2c1b3c6d
	h ^= h >> 12
	h *= 0x297a2d39
	h ^= h >> 15
	return float64(h) / (1 << 32)
}

// noise is smooth value noise in -1..1 at (x, y) with features of one unit.
func noise(x, y float64, seed int) float64 {
	xi, yi := math.Floor(x), math.Floor(y)
	fx, fy := x-xi, y-yi
	fx, fy = fx*fx*(3-2*fx), fy*fy*(3-2*fy)
	ix, iy := int(xi), int(yi)
	a := hash(ix, iy, seed)*(1-fx) + hash(ix+1, iy, seed)*fx
	b := hash(ix, iy+1, seed)*(1-fx) + hash(ix+1, iy+1, seed)*fx
	return 2*(a*(1-fy)+b*fy) - 1
}

// grit multiplies a rectangle by noise of several sizes, the largest of them
// size pixels, so that a painted surface looks weathered.
func (t *texture) grit(x0, y0, w, h int, size, sizeY, amount float64, seed int) {
	for y := max(y0, 0); y < min(y0+h, t.h); y++ {
		for x := max(x0, 0); x < min(x0+w, t.w); x++ {
			var v, a, s float64 = 0, .55, 1
			for o := range 5 {
				v += a * noise(float64(x)/size*s, float64(y)/sizeY*s, seed+o)
				a *= .62
				s *= 2.1
			}
			k := float32(1 + amount*v)
			p := t.pix[4*(y*t.w+x):]
			for c := range 3 {
				p[c] = min(max(p[c]*k, 0), p[3])
			}
		}
	}
}

// shade multiplies rows by a factor that goes evenly from top to bottom.
func (t *texture) shade(x, y, w, h int, from, to float64) {
	for j := max(y, 0); j < min(y+h, t.h); j++ {
		k := float32(from + (to-from)*float64(j-y)/float64(h))
		for i := max(x, 0); i < min(x+w, t.w); i++ {
			p := t.pix[4*(j*t.w+i):]
			for c := range 3 {
				p[c] = min(p[c]*k, p[3])
			}
		}
	}
}

// sky fills rows 0..h with a gradient and soft clouds.
func (t *texture) sky(h int, top, bottom color.NRGBA, seed int) {
	for y := range h {
		k := float64(y) / float64(h)
		for x := range t.w {
			cl := 0.
			a, s := .5, 1.
			for o := range 5 {
				cl += a * noise(float64(x)/340*s, float64(y)/110*s, seed+o)
				a, s = a*.55, s*2
			}
			cl = min(max(cl*1.4+.1, 0), .7) * (.4 + .6*k)
			p := t.pix[4*(y*t.w+x):]
			mix := func(a, b uint8) float32 {
				return float32((float64(a)*(1-k)+float64(b)*k)/255*(1-cl) + .93*cl)
			}
			p[0], p[1], p[2], p[3] = mix(top.R, bottom.R), mix(top.G, bottom.G), mix(top.B, bottom.B), 1
		}
	}
}

// masonry covers a rectangle with courses of stone.
func (t *texture) masonry(base color.NRGBA, x0, y0, w, h, course float64, seed int) {
	t.rect(color.NRGBA{base.R / 2, base.G / 2, base.B / 2, 255}, x0, y0, w, h)
	for j := 0; float64(j)*course < h; j++ {
		y := y0 + float64(j)*course
		x := x0 - hash(j, 0, seed)*course*2
		for i := 0; x < x0+w; i++ {
			l := course * (1.2 + 1.6*hash(i, j, seed+1))
			k := .8 + .35*hash(i, j, seed+2)
			c := color.NRGBA{
				uint8(min(float64(base.R)*k, 255)), uint8(min(float64(base.G)*k, 255)),
				uint8(min(float64(base.B)*k, 255)), 255,
			}
			a, b := max(x+1.5, x0), min(x+l-1.5, x0+w)
			if b > a {
				t.rect(c, a, y+1.5, b-a, min(course-3, y0+h-y-1.5))
			}
			x += l
		}
	}
	t.grit(int(x0), int(y0), int(w), int(h), course*1.3, course*1.3, .3, seed+9)
}

// house paints a front with windows and a door; (x, y) is its foot's left end.
func (t *texture) house(wall color.NRGBA, x, y, w, h float64, seed int) {
	t.rect(wall, x, y-h, w, h)
	t.poly(rgb(0x3a3432), x-6, y-h, x+w+6, y-h, x+w/2+w*.1, y-h-w*.28, x+w/2-w*.1, y-h-w*.28)
	t.grit(int(x), int(y-h), int(w), int(h), 24, 60, .25, seed)
	n := int(w / 62)
	for j := range int(h / 92) {
		for i := range n {
			wx, wy := x+w*(float64(i)+.5)/float64(n)-15, y-h+26+float64(j)*92
			if j == int(h/92)-1 && i == int(hash(1, 1, seed)*float64(n)) {
				t.rect(rgb(0x2e2a28), wx-6, wy-8, 42, y-wy+8)
				t.rect(rgb(0x54402e), wx-2, wy-3, 34, y-wy+3)
				continue
			}
			t.rect(rgb(0xd9d4c8), wx-4, wy-4, 38, 54)
			t.rect(rgb(0x27313a), wx, wy, 30, 46)
			t.poly(color.NRGBA{150, 170, 182, 120}, wx, wy, wx+30, wy, wx, wy+30)
			t.rect(rgb(0xd9d4c8), wx+13.5, wy, 3, 46)
			t.rect(rgb(0xd9d4c8), wx, wy+20, 30, 3)
		}
	}
}

// water fills a band with waves.
func (t *texture) water(y0, h int, deep, light color.NRGBA, seed int) {
	for y := y0; y < min(y0+h, t.h); y++ {
		k := float64(y-y0) / float64(h)
		sx, sy := 26+120*k, 3+14*k
		for x := range t.w {
			v := .5*noise(float64(x)/sx, float64(y)/sy, seed) + .3*noise(float64(x)/sx*2.3, float64(y)/sy*2.1, seed+1) +
				.3*noise(float64(x)/sx*5, float64(y)/sy*4.6, seed+2)
			v = min(max(.42+.5*v, 0), 1)
			p := t.pix[4*(y*t.w+x):]
			mix := func(a, b uint8) float32 { return float32((float64(a)*(1-v) + float64(b)*v) / 255) }
			p[0], p[1], p[2], p[3] = mix(deep.R, light.R), mix(deep.G, light.G), mix(deep.B, light.B), 1
		}
	}
}

// planks fills a rectangle with boards.
func (t *texture) planks(base color.NRGBA, x, y, w, h float64, n int, across bool, seed int) {
	for i := range n {
		k := .78 + .4*hash(i, 3, seed)
		c := color.NRGBA{
			uint8(min(float64(base.R)*k, 255)), uint8(min(float64(base.G)*k, 255)),
			uint8(min(float64(base.B)*k, 255)), 255,
		}
		if across {
			d := h / float64(n)
			t.rect(c, x, y+float64(i)*d+1, w, d-2)
			t.grit(int(x), int(y+float64(i)*d), int(w), int(d), 70, 7, .35, seed+i*7)
		} else {
			d := w / float64(n)
			t.rect(c, x+float64(i)*d+1, y, d-2, h)
			t.grit(int(x+float64(i)*d), int(y), int(d), int(h), 7, 70, .35, seed+i*7)
		}
	}
}

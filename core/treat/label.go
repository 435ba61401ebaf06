package treat

import (
	"image"
	"image/color"
	"image/draw"
	"math"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gomedium"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

	"celator/core/cover"
	"celator/core/frame"
)

var typeface = sync.OnceValues(func() (*opentype.Font, error) { return opentype.Parse(gomedium.TTF) })

// DrawLabels draws labels over a picture, for review copies: a ring around what they
// follow, and the text above it on a dark backing, kept inside the picture.
func DrawLabels(p *frame.Picture, labels []cover.LiveLabel) error {
	for _, l := range labels {
		ink, backing, err := labelMasks(p.Rect(), l)
		if err != nil {
			return err
		}
		red, green, blue, _ := frame.ParseHex(l.Colour) // validated with the document
		paint(p, backing, p.Encode(.08, .08, .08))
		paint(p, ink, p.Encode(red, green, blue))
	}
	return nil
}

// labelMasks returns what of the picture a label inks, and what lies dark under it.
func labelMasks(r image.Rectangle, l cover.LiveLabel) (ink, backing *image.Alpha, err error) {
	ink, backing = image.NewAlpha(r), image.NewAlpha(r)
	c := l.Box.Centre()
	rx, ry := (l.Box.Max.X-l.Box.Min.X)*.6+4, (l.Box.Max.Y-l.Box.Min.Y)*.6+4
	if l.Ring {
		line := max(l.Size/9, 2)
		ring(backing, c.X, c.Y, rx, ry, line+2)
		ring(ink, c.X, c.Y, rx, ry, line)
	}
	if l.Text == "" {
		return ink, backing, nil
	}
	f, err := typeface()
	if err != nil {
		return nil, nil, err
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: l.Size, DPI: 72})
	if err != nil {
		return nil, nil, err
	}
	wide := font.MeasureString(face, l.Text).Ceil()
	high := face.Metrics().Ascent.Ceil() + face.Metrics().Descent.Ceil()
	pad := int(l.Size / 4)
	top := l.Box.Min.Y
	if l.Ring {
		top = c.Y - ry - l.Size/4
	}
	x := min(max(int(c.X)-wide/2-pad, r.Min.X), max(r.Max.X-wide-2*pad, r.Min.X))
	y := min(max(int(top)-high-2*pad, r.Min.Y), max(r.Max.Y-high-2*pad, r.Min.Y))
	draw.Draw(backing, image.Rect(x, y, x+wide+2*pad, y+high+pad), image.NewUniform(color.Alpha{200}), image.Point{},
		draw.Src)
	d := font.Drawer{Dst: ink, Src: image.Opaque, Face: face, Dot: fixed.P(x+pad, y+pad/2+face.Metrics().Ascent.Ceil())}
	d.DrawString(l.Text)
	return ink, backing, nil
}

// ring draws an ellipse's line.
func ring(a *image.Alpha, cx, cy, rx, ry, line float64) {
	r := a.Rect
	z := vector.NewRasterizer(r.Dx(), r.Dy())
	for _, k := range []float64{line / 2, -line / 2} {
		const n = 96
		for i := range n {
			t := 2 * math.Pi * float64(i) / n
			if k < 0 {
				t = -t
			}
			s, c := math.Sincos(t)
			x, y := float32(cx+(rx+k)*c), float32(cy+(ry+k)*s)
			if i == 0 {
				z.MoveTo(x, y)
			} else {
				z.LineTo(x, y)
			}
		}
		z.ClosePath()
	}
	z.Draw(a, r, image.Opaque, image.Point{})
}

// paint mixes a colour into the picture where a mask is.
func paint(p *frame.Picture, mask *image.Alpha, codes [3]float32) {
	m := frame.NewPlane(mask.Rect)
	for i, v := range mask.Pix {
		m.Pix[i] = float32(v) / 255
	}
	for plane := range 3 {
		part := Subsample(m, p.Format, plane)
		flat := frame.NewPlane(part.Rect)
		for i := range flat.Pix {
			flat.Pix[i] = codes[plane]
		}
		p.Mix(plane, flat, part)
	}
}

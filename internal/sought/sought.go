// Package sought makes of covers, and of pictures that were given, what is looked for elsewhere.
package sought

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"

	"celator/core/cover"
	"celator/core/feature"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/find"
	"celator/internal/media"
	"celator/internal/store"
)

// ErrNowhere says that a cover is never seen whole.
var ErrNowhere = errors.New("the cover lies nowhere whole in the picture, so there is no picture of what it hides")

// mostAsked are the frames of a span that are asked for how large a cover is there.
const mostAsked = 200

// Plainly reports whether a cover shows what may be looked for: it hides something of an item, and somebody said yes.
func Plainly(c *cover.Cover) bool {
	return c.Item != "" && len(c.HoldsOut) == 0 && len(c.Outlines) > 0 && !c.Off && !c.Draft && !c.Inverted
}

// OfCover makes a mark of what a cover hides, on the frame on which that is seen largest and whole. The errors for
// people are ErrNowhere and those of a surface by which nothing can be recognised.
func OfCover(ctx context.Context, clip media.Clip, sh store.Shot, d *cover.Document, c *cover.Cover) (m store.Mark,
	err error,
) {
	f, q, ok := best(d, c)
	if !ok {
		return m, ErrNowhere
	}
	var s find.Surface
	var at geom.Map
	if err := clip.Pick(ctx, []int{f}, func(_ int, pic *frame.Picture) error {
		s, at, ok = find.Cut(pic, q)
		return nil
	}); err != nil {
		return m, err
	}
	if !ok {
		return m, ErrNowhere
	}
	shot := sh.ID
	m = store.Mark{Item: c.Item, Name: sh.Name, Shot: &shot, Cover: c.ID, Frame: f, At: store.JSON[geom.Map]{V: at}}
	return m, fill(&m, s)
}

// fill writes a surface into a mark, once it can be looked for.
func fill(m *store.Mark, s find.Surface) error {
	if _, err := s.Mark(); err != nil {
		return err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, s.Picture); err != nil {
		return err
	}
	m.ID, m.Picture, m.Quad.V = store.NewID(), b.Bytes(), s.Quad
	return nil
}

// best is the frame of a cover's span on which it is largest and lies whole in the picture, where its track is good,
// and its corners there.
func best(d *cover.Document, c *cover.Cover) (frame int, q geom.Quad, ok bool) {
	t := d.Track(c.Track)
	step := max(1, (c.Span.Last-c.Span.First)/mostAsked)
	picture := geom.Rect{Max: geom.Pt(float64(d.Width), float64(d.Height))}
	most := 0.
	for f := c.Span.First; f <= c.Span.Last; f += step {
		if t != nil && t.Poses != nil {
			if s := t.Poses.State(cover.Time(f)); s != 'a' && s != 'g' {
				continue
			}
		}
		now, yes := corners(c, cover.Time(f))
		if !yes {
			continue
		}
		b := now.Bounds()
		area := math.Abs(geom.Area(now[:]))
		if b.Common(picture) < .999*b.Area() || area <= most {
			continue
		}
		most, frame, q, ok = area, f, now, true
	}
	return frame, q, ok
}

// corners are those of what a cover outlines on a frame: its own where it has four, else those of the box around it.
func corners(c *cover.Cover, f cover.Time) (q geom.Quad, ok bool) {
	paths := c.Paths(f)
	o := c.Outlines[0].Shape
	if len(paths) == 1 && len(paths[0]) == 4 && (o == cover.ShapeCorners || o == cover.ShapeBox) {
		for i, k := range paths[0] {
			q[i] = k.P
		}
		return upright(q), geom.Area(q[:]) != 0
	}
	var b geom.Rect
	for _, p := range paths {
		b = b.Union(p.Bounds())
	}
	return geom.Quad{b.Min, {X: b.Max.X, Y: b.Min.Y}, b.Max, {X: b.Min.X, Y: b.Max.Y}}, !b.Empty()
}

// upright is a quadrilateral clockwise on screen.
func upright(q geom.Quad) geom.Quad {
	if geom.Area(q[:]) < 0 {
		q[1], q[3] = q[3], q[1]
	}
	return q
}

// widest a picture that was given is looked for at, px.
const widest = 640

// OfPicture makes a mark of a picture: a logo, say, with or without a ground. Where it has none it is looked for before
// what it stands out from most, black or white.
func OfPicture(item, name string, b []byte) (m store.Mark, err error) {
	src, err := png.Decode(bytes.NewReader(b))
	if err != nil {
		return m, err
	}
	ink := seen(src)
	if ink.Empty() {
		return m, feature.ErrPlain
	}
	ground := color.Gray{255}
	if bright(src, ink) > 128 {
		ground = color.Gray{0}
	}
	const pad = 12 // px around it, so that its rim is seen as one
	k := min(1, widest/float64(max(ink.Dx(), ink.Dy())))
	w, h := max(1, int(float64(ink.Dx())*k)), max(1, int(float64(ink.Dy())*k))
	out := image.NewRGBA(image.Rect(0, 0, w+2*pad, h+2*pad))
	draw.Draw(out, out.Rect, image.NewUniform(ground), image.Point{}, draw.Src)
	find.Draw(out, image.Rect(pad, pad, pad+w, pad+h), src, ink)
	s := find.Surface{Picture: out, Quad: geom.Quad{
		{X: pad, Y: pad},
		{X: float64(pad + w), Y: pad},
		{X: float64(pad + w), Y: float64(pad + h)},
		{X: pad, Y: float64(pad + h)},
	}}
	m = store.Mark{Item: item, Name: name, At: store.JSON[geom.Map]{V: geom.Identity}}
	return m, fill(&m, s)
}

// seen is the part of a picture that is not clear.
func seen(p image.Image) (r image.Rectangle) {
	b := p.Bounds()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if _, _, _, a := p.At(x, y).RGBA(); a > 0x2000 {
				r = r.Union(image.Rect(x, y, x+1, y+1))
			}
		}
	}
	return r
}

// bright is how bright a picture is where it is not clear, 0 to 255.
func bright(p image.Image, in image.Rectangle) float64 {
	var sum, n float64
	for y := in.Min.Y; y < in.Max.Y; y++ {
		for x := in.Min.X; x < in.Max.X; x++ {
			if c := color.NRGBAModel.Convert(p.At(x, y)).(color.NRGBA); c.A > 32 {
				sum += .2126*float64(c.R) + .7152*float64(c.G) + .0722*float64(c.B)
				n++
			}
		}
	}
	return sum / max(n, 1)
}

// Surface reads a mark's picture again.
func Surface(m store.Mark) (s find.Surface, err error) {
	p, err := png.Decode(bytes.NewReader(m.Picture))
	if err != nil {
		return s, err
	}
	s = find.Surface{Picture: image.NewRGBA(p.Bounds()), Quad: m.Quad.V}
	draw.Draw(s.Picture, s.Picture.Rect, p, p.Bounds().Min, draw.Src)
	return s, nil
}

// Hopeless reports whether a surface cannot be looked for, whatever is tried.
func Hopeless(err error) bool {
	for _, e := range []error{
		ErrNowhere, feature.ErrPlain, track.ErrSmall, track.ErrFlat, track.ErrOutside, track.ErrCrossed, track.ErrTiny,
	} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

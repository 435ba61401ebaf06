package still

import (
	"image"
	"image/color"
	"image/draw"
	"slices"
)

// unpaletted returns a picture with its colours written out, in 16 bit where the
// palette has such.
func unpaletted(p *image.Paletted) image.Image {
	deep := slices.ContainsFunc(p.Palette, func(c color.Color) bool {
		n := color.NRGBA64Model.Convert(c).(color.NRGBA64)
		_, small := c.(color.NRGBA)
		return !small && (n.R%257 != 0 || n.G%257 != 0 || n.B%257 != 0 || n.A%257 != 0)
	})
	var out draw.Image = image.NewNRGBA(p.Rect)
	if deep {
		out = image.NewNRGBA64(p.Rect)
	}
	for y := p.Rect.Min.Y; y < p.Rect.Max.Y; y++ {
		for x := p.Rect.Min.X; x < p.Rect.Max.X; x++ {
			out.Set(x, y, p.At(x, y))
		}
	}
	return out
}

// packed is the memory of a picture whose samples lie beside each other.
type packed struct {
	pix                   []byte
	stride, bytes, planes int // bytes per sample; samples per pixel
}

// pack gives access to the samples of the kinds of pictures that are kept.
func pack(img image.Image) packed {
	switch p := img.(type) {
	case *image.Gray:
		return packed{p.Pix, p.Stride, 1, 1}
	case *image.Gray16:
		return packed{p.Pix, p.Stride, 2, 1}
	case *image.RGBA:
		return packed{p.Pix, p.Stride, 1, 4}
	case *image.NRGBA:
		return packed{p.Pix, p.Stride, 1, 4}
	case *image.RGBA64:
		return packed{p.Pix, p.Stride, 2, 4}
	case *image.NRGBA64:
		return packed{p.Pix, p.Stride, 2, 4}
	}
	return packed{}
}

// like returns an empty picture of the same kind.
func like(img image.Image, r image.Rectangle) draw.Image {
	switch img.(type) {
	case *image.Gray:
		return image.NewGray(r)
	case *image.Gray16:
		return image.NewGray16(r)
	case *image.RGBA:
		return image.NewRGBA(r)
	case *image.NRGBA:
		return image.NewNRGBA(r)
	case *image.RGBA64:
		return image.NewRGBA64(r)
	}
	return image.NewNRGBA64(r)
}

// upright turns and mirrors a picture as its Exif orientation (2 to 8) asks.
func upright(img image.Image, orientation int) image.Image {
	r := img.Bounds()
	w, h := r.Dx(), r.Dy()
	if orientation >= 5 {
		w, h = h, w
	}
	out := like(img, image.Rect(0, 0, w, h))
	src, dst := pack(img), pack(out)
	size := src.bytes * src.planes
	for y := range h {
		for x := range w {
			sx, sy := x, y
			if orientation >= 5 {
				sx, sy = y, x
			}
			switch orientation {
			case 2, 3, 7, 8: // mirrored or turned: the source runs from the right
				sx = r.Dx() - 1 - sx
			}
			switch orientation {
			case 3, 4, 6, 7:
				sy = r.Dy() - 1 - sy
			}
			copy(dst.pix[y*dst.stride+x*size:][:size], src.pix[sy*src.stride+sx*size:][:size])
		}
	}
	return out
}

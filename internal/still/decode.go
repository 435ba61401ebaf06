package still

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"

	"golang.org/x/image/tiff"

	"celator/core/frame"
)

// kinds are the file beginnings of the kinds of stills.
var kinds = []struct{ kind, magic string }{
	{"png", "\x89PNG\r\n\x1a\n"}, {"jpeg", "\xff\xd8\xff"}, {"tiff", "II*\x00"}, {"tiff", "MM\x00*"},
}

// Kind returns the kind of still that a file with this beginning is, or "".
func Kind(head []byte) string {
	for _, k := range kinds {
		if bytes.HasPrefix(head, []byte(k.magic)) {
			return k.kind
		}
	}
	return ""
}

// Endings are the endings of files that may be stills.
var Endings = []string{".png", ".jpg", ".jpeg", ".tif", ".tiff"}

// still is a decoded still picture, upright.
type still struct {
	kind string
	data []byte
	img  image.Image
}

// Bounds of what is read. Beyond them a picture is refused in words.
const (
	maxFile = 1 << 30 // bytes
	// mostBytes is a decoded picture's size: 75 million pixels of 8 bit, 37 of 16. Turning it
	// upright takes the same again, and both fit the child's memory.
	mostBytes = 288 << 20
)

// decode decodes a still; nothing that a stranger's file holds may do more than return
// an error for people.
func decode(data []byte) (s still, err error) {
	s = still{kind: Kind(data), data: data}
	config, pixels := jpeg.DecodeConfig, jpeg.Decode
	switch s.kind {
	case "png":
		config, pixels = png.DecodeConfig, png.Decode
	case "tiff":
		config, pixels = tiff.DecodeConfig, tiff.Decode
	case "":
		return s, fmt.Errorf("it is no PNG, JPEG or TIFF picture")
	}
	c, err := config(bytes.NewReader(data))
	if err != nil {
		return s, fmt.Errorf("it is damaged or of a kind that is not supported (%v)", err)
	}
	if c.Width < 1 || c.Height < 1 || c.Width > frame.MaxSide || c.Height > frame.MaxSide {
		return s, fmt.Errorf("its sides are %dx%d; 1 to %d are supported", c.Width, c.Height, frame.MaxSide)
	}
	if n := c.Width * c.Height * pixelBytes(c.ColorModel); n > mostBytes {
		return s, fmt.Errorf("its %d million pixels take %d MB; at most %d MB are read", c.Width*c.Height/1_000_000, n>>20,
			mostBytes>>20)
	}
	if s.img, err = pixels(bytes.NewReader(data)); err != nil {
		return s, fmt.Errorf("it is damaged or cut short (%v)", err)
	}
	orientation := 1
	switch s.kind {
	case "tiff":
		tags, order := tiffTags(data)
		if v := tags[tagOrientation].value; len(v) >= 2 {
			orientation = int(order.Uint16(v))
		}
		if next, ok := tags[0]; ok && len(next.value) > 0 {
			return s, fmt.Errorf("it has several pages; bring them in one by one")
		}
	case "jpeg":
		for _, seg := range JPEGSegments(data, 0xe1) {
			if b, ok := bytes.CutPrefix(seg, []byte("Exif\x00\x00")); ok {
				tags, order := tiffTags(b)
				if v := tags[tagOrientation].value; len(v) >= 2 {
					orientation = int(order.Uint16(v))
				}
			}
		}
	}
	switch p := s.img.(type) {
	case *image.CMYK:
		return s, fmt.Errorf("it is in CMYK; convert it to RGB first")
	case *image.Paletted:
		s.img = unpaletted(p)
	case *image.YCbCr:
		if _, err := frame.FromYCbCr(p); err != nil || orientation != 1 {
			rgb := image.NewRGBA(p.Rect)
			draw.Draw(rgb, p.Rect, p, p.Rect.Min, draw.Src)
			s.img = rgb
		}
	case *image.Gray, *image.Gray16, *image.RGBA, *image.NRGBA, *image.RGBA64, *image.NRGBA64:
	default:
		return s, fmt.Errorf("its kind of pixels is not supported")
	}
	if orientation > 1 && orientation <= 8 {
		s.img = upright(s.img, orientation)
	}
	return s, nil
}

// pixelBytes is what a decoded pixel takes.
func pixelBytes(m color.Model) int {
	switch m {
	case color.GrayModel:
		return 1
	case color.Gray16Model:
		return 2
	case color.YCbCrModel:
		return 3
	case color.RGBA64Model, color.NRGBA64Model:
		return 8
	}
	return 4 // and palettes, once they are written out
}

// format describes the still's samples.
func (s still) format() frame.Format {
	if p, ok := s.img.(*image.YCbCr); ok {
		f, _ := frame.FormatOf(p) // decode keeps no other
		return f
	}
	b := s.img.Bounds()
	return frame.Format{Width: b.Dx(), Height: b.Dy(), Depth: 8 * pack(s.img).bytes, Range: frame.Full, Matrix: frame.RGB}
}

// planeOf is the packed sample of planes G, B, R.
var planeOf = [3]int{1, 2, 0}

// planes writes the still's samples as a picture has them, plane after plane.
func (s still) planes(w io.Writer) error {
	if p, ok := s.img.(*image.YCbCr); ok {
		f := s.format()
		for plane, src := range [][]byte{p.Y, p.Cb, p.Cr} {
			stride := p.YStride
			if plane > 0 {
				stride = p.CStride
			}
			wide, high := f.PlaneSize(plane)
			for y := range high {
				if _, err := w.Write(src[y*stride:][:wide]); err != nil {
					return err
				}
			}
		}
		return nil
	}
	src := pack(s.img)
	b := s.img.Bounds()
	row := make([]byte, b.Dx()*src.bytes)
	for plane := range 3 {
		at := planeOf[plane]
		if src.planes == 1 {
			at = 0
		}
		for y := range b.Dy() {
			from := src.pix[y*src.stride:]
			for x := range b.Dx() {
				o := from[(x*src.planes+at)*src.bytes:]
				if src.bytes == 2 {
					row[2*x], row[2*x+1] = o[1], o[0]
				} else {
					row[x] = o[0]
				}
			}
			if _, err := w.Write(row); err != nil {
				return err
			}
		}
	}
	return nil
}

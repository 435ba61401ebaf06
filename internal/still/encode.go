package still

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/tiff"

	"celator/core/frame"
)

// write puts samples that it reads into the still where they are wanted, and encodes it.
// within is the rectangle that they lie in: x0, y0, x1, y1.
func (s still) write(out io.Writer, in io.Reader, within []int) error {
	r := image.Rect(within[0], within[1], within[2], within[3]).Intersect(s.img.Bounds())
	dst := pack(s.img)
	wanted := make([]byte, r.Dx()*r.Dy())
	samples := make([]byte, 3*len(wanted)*dst.bytes) // G, B, R
	if _, err := io.ReadFull(in, wanted); err != nil {
		return err
	}
	if _, err := io.ReadFull(in, samples); err != nil {
		return err
	}
	for i, want := range wanted {
		if want == 0 {
			continue
		}
		x, y := r.Min.X+i%r.Dx(), r.Min.Y+i/r.Dx()
		var v [3]uint16
		for plane := range 3 {
			b := samples[(plane*len(wanted)+i)*dst.bytes:]
			if v[plane] = uint16(b[0]); dst.bytes == 2 {
				v[plane] = binary.LittleEndian.Uint16(b)
			}
		}
		s.set(dst, dst.pix[y*dst.stride+x*dst.planes*dst.bytes:], v)
	}
	if s.kind == "png" {
		var b bytes.Buffer
		if err := png.Encode(&b, s.img); err != nil {
			return err
		}
		_, err := out.Write(withChunks(b.Bytes(), s.data))
		return err
	}
	var b bytes.Buffer
	if err := tiff.Encode(&b, s.img, &tiff.Options{Compression: tiff.Deflate, Predictor: true}); err != nil {
		return err
	}
	_, err := out.Write(withTiffTags(b.Bytes(), s.data))
	return err
}

// set gives a pixel the colour v: G, B, R.
func (s still) set(dst packed, px []byte, v [3]uint16) {
	if dst.planes == 1 { // a coloured fill becomes its grey
		put(px, dst.bytes, uint16(.7152*float64(v[0])+.0722*float64(v[1])+.2126*float64(v[2])+.5))
		return
	}
	top := uint16(1<<(8*dst.bytes) - 1)
	switch s.img.(type) { // stored colours are multiplied by alpha
	case *image.RGBA, *image.RGBA64:
		if top = uint16(px[3*dst.bytes]); dst.bytes == 2 {
			top = binary.BigEndian.Uint16(px[6:])
		}
	}
	for plane, at := range planeOf {
		put(px[at*dst.bytes:], dst.bytes, min(v[plane], top))
	}
}

func put(px []byte, size int, v uint16) {
	if size == 2 {
		binary.BigEndian.PutUint16(px, v)
	} else {
		px[0] = byte(v)
	}
}

// EncodeMatte writes a matte as a grey PNG.
func EncodeMatte(w io.Writer, m frame.Plane) error {
	img := image.NewGray(m.Rect)
	for i, v := range m.Pix {
		img.Pix[i] = byte(v*255 + .5)
	}
	return png.Encode(w, img)
}

// view writes the still as a JPEG of w by h pixels.
func (s still) view(out io.Writer, w, h int) error {
	var b bytes.Buffer
	b.Grow(s.format().Size())
	if err := s.planes(&b); err != nil {
		return err
	}
	pic := frame.New(s.format(), b.Bytes())
	s.img = nil
	small := reduced(pic, w, h)
	view := image.NewRGBA(image.Rect(0, 0, w, h))
	xdraw.CatmullRom.Scale(view, view.Rect, small, small.Rect, draw.Src, nil)
	return jpeg.Encode(out, view, &jpeg.Options{Quality: 95})
}

// reduced returns the picture made smaller by a whole number, by the mean of its pixels,
// so that it is still as large as w by h: scaling a large picture at once takes many
// times its memory.
func reduced(pic *frame.Picture, w, h int) *image.RGBA {
	k := max(min(pic.Width/w, pic.Height/h), 1)
	out := image.NewRGBA(image.Rect(0, 0, pic.Width/k, pic.Height/k))
	for y := range out.Rect.Dy() {
		band := pic.RGBA(image.Rect(0, y*k, pic.Width, (y+1)*k))
		for x := range out.Rect.Dx() {
			var sum [4]int
			for v := range k {
				for i, p := range band.Pix[v*band.Stride+4*x*k:][:4*k] {
					sum[i&3] += int(p)
				}
			}
			for i, v := range sum {
				out.Pix[y*out.Stride+4*x+i] = byte((v + k*k/2) / (k * k))
			}
		}
	}
	return out
}

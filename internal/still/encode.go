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
	encoded := b.Bytes()
	if dst.planes == 4 && opaque(s.data) {
		var err error
		if encoded, err = withoutOpacity(encoded, s.three(dst), 8*dst.bytes); err != nil {
			return err
		}
	}
	_, err := out.Write(withTiffTags(encoded, s.data))
	return err
}

// three are the picture's R'G'B' samples, row after row, 16 bit little endian.
func (s still) three(dst packed) (rgb []byte) {
	b := s.img.Bounds()
	for y := range b.Dy() {
		row := dst.pix[y*dst.stride:]
		for x := range b.Dx() {
			px := row[4*x*dst.bytes:][:3*dst.bytes]
			if dst.bytes == 1 {
				rgb = append(rgb, px...)
				continue
			}
			rgb = append(rgb, px[1], px[0], px[3], px[2], px[5], px[4])
		}
	}
	return rgb
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
	small, err := s.reduced(w, h)
	if err != nil {
		return err
	}
	view := image.NewRGBA(image.Rect(0, 0, w, h))
	xdraw.CatmullRom.Scale(view, view.Rect, small, small.Rect, draw.Src, nil)
	return jpeg.Encode(out, view, &jpeg.Options{Quality: 95})
}

// reduced returns the picture made smaller by a whole number, by the mean of its pixels,
// so that it is still as large as w by h: scaling a large picture at once takes many times
// its memory. Packed pictures are converted some rows at a time, for the same reason.
func (s still) reduced(w, h int) (*image.RGBA, error) {
	b := s.img.Bounds()
	k := max(min(b.Dx()/w, b.Dy()/h), 1)
	out := image.NewRGBA(image.Rect(0, 0, b.Dx()/k, b.Dy()/k))
	parts := 1
	if pack(s.img).planes > 0 {
		parts = out.Rect.Dy()
	}
	for i := range parts {
		from, to := i*out.Rect.Dy()/parts, (i+1)*out.Rect.Dy()/parts
		part := s
		if parts > 1 {
			part.img = s.img.(interface {
				SubImage(image.Rectangle) image.Image
			}).SubImage(image.Rect(b.Min.X, b.Min.Y+from*k, b.Max.X, b.Min.Y+to*k))
		}
		var planes bytes.Buffer
		planes.Grow(part.format().Size())
		if err := part.planes(&planes); err != nil {
			return nil, err
		}
		mean(frame.New(part.format(), planes.Bytes()), out, from, to, k)
	}
	return out, nil
}

// mean fills rows of out with the means of k by k pixels of a picture that begins there.
func mean(pic *frame.Picture, out *image.RGBA, from, to, k int) {
	for y := from; y < to; y++ {
		band := pic.RGBA(image.Rect(0, (y-from)*k, pic.Width, (y-from+1)*k))
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
}

package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/tiff"

	"celator/core/frame"
	"celator/core/timecode"
)

// Still pictures are read and written here, without ffmpeg: a PNG or a TIFF must
// come back with every sample outside the covers as it was, whatever its kind
// (grey, colour, 8 or 16 bit, with alpha, from a palette). RGB pictures are read
// as planes G, B, R; the alpha stays with the file. What a file carries beside
// the picture is dropped but for its colour profile and resolution: an embedded
// thumbnail would show what the cover hides.

// stillKinds are the file beginnings of the kinds of stills.
var stillKinds = []struct{ kind, magic string }{
	{"png", "\x89PNG\r\n\x1a\n"}, {"jpeg", "\xff\xd8\xff"}, {"tiff", "II*\x00"}, {"tiff", "MM\x00*"},
}

func stillKind(head []byte) string {
	for _, k := range stillKinds {
		if bytes.HasPrefix(head, []byte(k.magic)) {
			return k.kind
		}
	}
	return ""
}

// StillEndings are the endings of files that may be stills.
var StillEndings = []string{".png", ".jpg", ".jpeg", ".tif", ".tiff"}

// still is a decoded still picture, upright.
type still struct {
	kind string
	data []byte
	img  image.Image
}

// maxStill bounds a still's file, in bytes.
const maxStill = 1 << 30

func readStill(path string) (still, error) {
	f, err := os.Open(path)
	if err != nil {
		return still{}, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, maxStill+1))
	if err != nil {
		return still{}, err
	}
	if len(data) > maxStill {
		return still{}, unusable("it is larger than %d MB", maxStill>>20)
	}
	return decodeStill(data)
}

// decodeStill decodes a still; nothing that a stranger's file holds may do more
// than return an error that wraps ErrUnusable.
func decodeStill(data []byte) (s still, err error) {
	s = still{kind: stillKind(data), data: data}
	config, decode := jpeg.DecodeConfig, jpeg.Decode
	switch s.kind {
	case "png":
		config, decode = png.DecodeConfig, png.Decode
	case "tiff":
		config, decode = tiff.DecodeConfig, tiff.Decode
	case "":
		return s, unusable("it is no PNG, JPEG or TIFF picture")
	}
	c, err := config(bytes.NewReader(data))
	if err != nil {
		return s, unusable("it is damaged or of a kind that is not supported (%v)", err)
	}
	if c.Width < 1 || c.Height < 1 || c.Width > frame.MaxSide || c.Height > frame.MaxSide {
		return s, unusable("its sides are %dx%d; 1 to %d are supported", c.Width, c.Height, frame.MaxSide)
	}
	if s.img, err = decode(bytes.NewReader(data)); err != nil {
		return s, unusable("it is damaged or cut short (%v)", err)
	}
	orientation := 1
	switch s.kind {
	case "tiff":
		tags, order := tiffTags(data)
		if v := tags[tagOrientation].value; len(v) >= 2 {
			orientation = int(order.Uint16(v))
		}
		if next, ok := tags[0]; ok && len(next.value) > 0 {
			return s, unusable("it has several pages; bring them in one by one")
		}
	case "jpeg":
		for _, seg := range jpegSegments(data, 0xe1) {
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
		return s, unusable("it is in CMYK; convert it to RGB first")
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
		return s, unusable("its kind of pixels is not supported")
	}
	if orientation > 1 && orientation <= 8 {
		s.img = upright(s.img, orientation)
	}
	return s, nil
}

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

// info describes the still as a clip of one frame.
func (s still) info(size int64) Info {
	b := s.img.Bounds()
	i := Info{Container: s.kind, Codec: s.kind, Still: s.kind, Width: b.Dx(), Height: b.Dy(), Depth: 8, Range: frame.Full, Matrix: frame.RGB,
		Rate: timecode.Rate{Num: 25, Den: 1}, Indexed: true, Frames: 1, Pixel: Ratio{1, 1}, Field: "progressive", Duration: 1. / 25, Size: size, PixFmt: "gbrp"}
	if p, ok := s.img.(*image.YCbCr); ok {
		pic, _ := frame.FromYCbCr(p)
		i.SubX, i.SubY, i.Matrix = pic.SubX, pic.SubY, pic.Matrix
		i.PixFmt = map[[2]int]string{{0, 0}: "yuvj444p", {1, 0}: "yuvj422p", {1, 1}: "yuvj420p"}[[2]int{i.SubX, i.SubY}]
	} else if pack(s.img).bytes == 2 {
		i.Depth, i.PixFmt = 16, "gbrp16le"
	}
	return i
}

// planeOf is the packed sample of planes G, B, R.
var planeOf = [3]int{1, 2, 0}

// picture returns the still's samples as a picture.
func (s still) picture() *frame.Picture {
	if p, ok := s.img.(*image.YCbCr); ok {
		pic, _ := frame.FromYCbCr(p) // decodeStill keeps no other
		return pic
	}
	pic := frame.New(s.info(0).Format(), nil)
	src := pack(s.img)
	for plane := range 3 {
		at := planeOf[plane]
		if src.planes == 1 {
			at = 0
		}
		for y := range pic.Height {
			dst, row := pic.Row(plane, y, 0, pic.Width), src.pix[y*src.stride:]
			for x := range pic.Width {
				o := row[(x*src.planes+at)*src.bytes:]
				if src.bytes == 2 {
					dst[2*x], dst[2*x+1] = o[1], o[0]
				} else {
					dst[x] = o[0]
				}
			}
		}
	}
	return pic
}

// WriteStill writes the still at path source with the samples of pic where the
// matte is above 0, in the same kind of file. Elsewhere every sample of a PNG or
// TIFF, alpha included, is the source's; a JPEG is encoded anew at the highest
// quality.
func WriteStill(ctx context.Context, source string, pic *frame.Picture, matte frame.Plane, out string) error {
	s, err := readStill(source)
	if err != nil {
		return err
	}
	if s.kind == "jpeg" {
		b, err := encodeJPEG(ctx, s, pic)
		if err != nil {
			return err
		}
		return os.WriteFile(out, b, 0o644)
	}
	dst := pack(s.img)
	for y := matte.Rect.Min.Y; y < matte.Rect.Max.Y; y++ {
		for x := matte.Rect.Min.X; x < matte.Rect.Max.X; x++ {
			if matte.Row(y)[x-matte.Rect.Min.X] <= 0 {
				continue
			}
			var v [3]uint16 // G, B, R
			for plane := range 3 {
				b := pic.Row(plane, y, x, x+1)
				if v[plane] = uint16(b[0]); dst.bytes == 2 {
					v[plane] = binary.LittleEndian.Uint16(b)
				}
			}
			px := dst.pix[y*dst.stride+x*dst.planes*dst.bytes:]
			if dst.planes == 1 { // a coloured fill becomes its grey
				grey := uint16(.7152*float64(v[0]) + .0722*float64(v[1]) + .2126*float64(v[2]) + .5)
				put(px, dst.bytes, grey)
				continue
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
	}
	var b bytes.Buffer
	if s.kind == "png" {
		if err := png.Encode(&b, s.img); err != nil {
			return err
		}
		return os.WriteFile(out, withChunks(b.Bytes(), s.data), 0o644)
	}
	if err := tiff.Encode(&b, s.img, &tiff.Options{Compression: tiff.Deflate, Predictor: true}); err != nil {
		return err
	}
	return os.WriteFile(out, withTiffTags(b.Bytes(), s.data), 0o644)
}

func put(px []byte, size int, v uint16) {
	if size == 2 {
		binary.BigEndian.PutUint16(px, v)
	} else {
		px[0] = byte(v)
	}
}

// WriteStillMatte writes a matte as a grey PNG.
func WriteStillMatte(m frame.Plane, out string) error {
	img := image.NewGray(m.Rect)
	for i, v := range m.Pix {
		img.Pix[i] = byte(v*255 + .5)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		return err
	}
	return os.WriteFile(out, b.Bytes(), 0o644)
}

// encodeJPEG has ffmpeg encode the samples, since the standard library's encoder
// knows 4:2:0 only.
func encodeJPEG(ctx context.Context, s still, pic *frame.Picture) ([]byte, error) {
	info := s.info(0)
	format := info.PixFmt
	data := pic.Data
	if info.Matrix == frame.RGB { // turned upright, or of an odd subsampling
		format = "yuvj444p"
		ycc := frame.New(frame.Format{Width: pic.Width, Height: pic.Height, Depth: 8, Range: frame.Full, Matrix: frame.BT601}, nil)
		for y := range pic.Height {
			g, b, r := pic.Row(0, y, 0, pic.Width), pic.Row(1, y, 0, pic.Width), pic.Row(2, y, 0, pic.Width)
			for x := range pic.Width {
				ycc.Row(0, y, x, x+1)[0], ycc.Row(1, y, x, x+1)[0], ycc.Row(2, y, x, x+1)[0] = color.RGBToYCbCr(r[x], g[x], b[x])
			}
		}
		data = ycc.Data
	}
	args := []string{"-nostdin", "-v", "error", "-f", "rawvideo", "-pix_fmt", format, "-s", fmt.Sprintf("%dx%d", pic.Width, pic.Height), "-i", "pipe:0",
		"-c:v", "mjpeg", "-pix_fmt", format, "-qmin", "1", "-q:v", "1", "-huffman", "optimal", "-f", "mjpeg", "pipe:1"}
	var out bytes.Buffer
	p, err := start(ctx, "ffmpeg", args, bytes.NewReader(data), &out)
	if err != nil {
		return nil, err
	}
	if err := p.wait(); err != nil {
		return nil, fmt.Errorf("media: the picture cannot be encoded: %w", err)
	}
	b := out.Bytes()
	if len(b) < 2 {
		return nil, errors.New("media: the encoder gave no picture")
	}
	// The colour profile goes in front of everything but the beginning.
	whole := slices.Clone(b[:2])
	for _, seg := range jpegSegments(s.data, 0xe2) {
		if bytes.HasPrefix(seg, []byte("ICC_PROFILE\x00")) {
			whole = append(whole, 0xff, 0xe2, byte((len(seg)+2)>>8), byte(len(seg)+2))
			whole = append(whole, seg...)
		}
	}
	return append(whole, b[2:]...), nil
}

// jpegSegments returns the contents of the segments with a marker, up to the
// picture data.
func jpegSegments(b []byte, marker byte) (out [][]byte) {
	for i := 2; i+4 <= len(b) && b[i] == 0xff && b[i+1] != 0xda; {
		n := int(binary.BigEndian.Uint16(b[i+2:]))
		if n < 2 || i+2+n > len(b) {
			break
		}
		if b[i+1] == marker {
			out = append(out, b[i+4:i+2+n])
		}
		i += 2 + n
	}
	return out
}

// withChunks gives an encoded PNG the colour and size chunks of another.
func withChunks(encoded, source []byte) []byte {
	const head = 8 + 25 // signature and IHDR
	if len(encoded) < head {
		return encoded
	}
	out := slices.Clone(encoded[:head])
	for i := 8; i+12 <= len(source); {
		n := int(binary.BigEndian.Uint32(source[i:]))
		if n < 0 || n > len(source)-i-12 {
			break
		}
		chunk := source[i : i+12+n]
		kind := string(chunk[4:8])
		if slices.Contains([]string{"cHRM", "gAMA", "iCCP", "sRGB", "cICP", "mDCV", "cLLI", "pHYs"}, kind) &&
			crc32.ChecksumIEEE(chunk[4:8+n]) == binary.BigEndian.Uint32(chunk[8+n:]) {
			out = append(out, chunk...)
		}
		if kind == "IDAT" {
			break
		}
		i += 12 + n
	}
	return append(out, encoded[head:]...)
}

// tiffTag is one entry of a TIFF directory: its type, its count and its value's
// bytes in the file's order.
type tiffTag struct {
	kind  uint16
	count uint32
	value []byte
}

const (
	tagOrientation = 274
	tagXResolution = 282
	tagYResolution = 283
	tagResolution  = 296 // the unit
	tagProfile     = 34675
)

// tiffSizes are the bytes of TIFF 6.0's types.
var tiffSizes = map[uint16]uint32{1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}

// tiffTags reads the first directory of a TIFF file or Exif block. Tag 0 stands
// for a further directory. What lies outside the bytes is left out.
func tiffTags(b []byte) (map[uint16]tiffTag, binary.ByteOrder) {
	tags := map[uint16]tiffTag{}
	var order binary.ByteOrder = binary.LittleEndian
	if len(b) < 8 {
		return tags, order
	}
	if b[0] == 'M' {
		order = binary.BigEndian
	}
	at := uint64(order.Uint32(b[4:]))
	if at+2 > uint64(len(b)) {
		return tags, order
	}
	n := uint64(order.Uint16(b[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > uint64(len(b)) {
			return tags, order
		}
		t := tiffTag{kind: order.Uint16(b[e+2:]), count: order.Uint32(b[e+4:])}
		size := uint64(tiffSizes[t.kind]) * uint64(t.count)
		from := e + 8
		if size > 4 {
			from = uint64(order.Uint32(b[e+8:]))
		}
		if size == 0 || from+size > uint64(len(b)) {
			continue
		}
		t.value = b[from : from+size]
		tags[order.Uint16(b[e:])] = t
	}
	if end := at + 2 + 12*n; end+4 <= uint64(len(b)) && order.Uint32(b[end:]) != 0 {
		tags[0] = tiffTag{value: b[end : end+4]}
	}
	return tags, order
}

// withTiffTags gives an encoded TIFF (little endian) the colour profile and the
// resolution of another, in a directory of its own at the end.
func withTiffTags(encoded, source []byte) []byte {
	from, order := tiffTags(source)
	tags, _ := tiffTags(encoded)
	le := binary.LittleEndian
	for _, id := range []uint16{tagProfile, tagXResolution, tagYResolution, tagResolution} {
		t, ok := from[id]
		if !ok {
			continue
		}
		v := slices.Clone(t.value)
		switch t.kind {
		case 3:
			for i := 0; i+2 <= len(v); i += 2 {
				le.PutUint16(v[i:], order.Uint16(t.value[i:]))
			}
		case 4, 5:
			for i := 0; i+4 <= len(v); i += 4 {
				le.PutUint32(v[i:], order.Uint32(t.value[i:]))
			}
		}
		tags[id] = tiffTag{t.kind, t.count, v}
	}
	delete(tags, 0)
	out := slices.Clone(encoded)
	var dir []byte
	var ids []uint16
	for id := range tags {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	dir = le.AppendUint16(dir, uint16(len(ids)))
	for _, id := range ids {
		t := tags[id]
		dir = le.AppendUint32(le.AppendUint16(le.AppendUint16(dir, id), t.kind), t.count)
		if len(t.value) <= 4 {
			dir = append(dir, append(slices.Clone(t.value), make([]byte, 4-len(t.value))...)...)
			continue
		}
		if len(out)%2 == 1 {
			out = append(out, 0)
		}
		dir = le.AppendUint32(dir, uint32(len(out)))
		out = append(out, t.value...)
	}
	if len(out)%2 == 1 {
		out = append(out, 0)
	}
	le.PutUint32(out[4:], uint32(len(out)))
	return append(append(out, dir...), 0, 0, 0, 0)
}

// makeStillView writes the still's view frame and its checksum.
func makeStillView(c Clip, dir string) ([]uint32, error) {
	s, err := readStill(c.Path)
	if err != nil {
		return nil, err
	}
	pic := s.picture()
	w, h := c.Info.ViewSize()
	full := pic.RGBA(pic.Rect())
	view := image.NewRGBA(image.Rect(0, 0, w, h))
	xdraw.CatmullRom.Scale(view, view.Rect, full, full.Rect, draw.Src, nil)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, view, &jpeg.Options{Quality: 95}); err != nil {
		return nil, err
	}
	path := ViewPath(dir, 0)
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return nil, err
	}
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		return nil, err
	}
	sums := []uint32{sum(pic.Data)}
	return sums, SaveSums(filepath.Join(dir, "frames.sum"), sums)
}

// probeStill returns what a still is; ok is false for any other file.
func probeStill(path string, size int64) (info Info, ok bool, err error) {
	f, err := os.Open(path)
	if err != nil {
		return info, false, err
	}
	head := make([]byte, 8)
	n, _ := io.ReadFull(f, head)
	f.Close()
	if stillKind(head[:n]) == "" {
		return info, false, nil
	}
	s, err := readStill(path)
	if err != nil {
		return info, true, err
	}
	info = s.info(size)
	if err := info.Format().Validate(); err != nil {
		return info, true, unusable("%v", err)
	}
	return info, true, nil
}

// StillPreset is how a still of a kind is delivered.
func StillPreset(kind string) Preset {
	return Preset{Name: "still", Title: "Still picture, " + strings.ToUpper(kind) + " as the source", Still: true, Lossless: kind != "jpeg",
		Ending: map[string]string{"png": ".png", "jpeg": ".jpg", "tiff": ".tif"}[kind]}
}

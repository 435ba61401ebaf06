package still

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/image/tiff"

	"celator/internal/confine"
)

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

// samples are encoded stills of each kind.
func samples(t testing.TB) map[string][]byte {
	img := image.NewNRGBA(image.Rect(0, 0, 9, 7))
	for i := range img.Pix {
		img.Pix[i] = byte(i * 7)
	}
	out := map[string][]byte{}
	for kind, encode := range map[string]func(*bytes.Buffer) error{
		"png":  func(b *bytes.Buffer) error { return png.Encode(b, img) },
		"jpeg": func(b *bytes.Buffer) error { return jpeg.Encode(b, img, nil) },
		"tiff": func(b *bytes.Buffer) error { return tiff.Encode(b, img, nil) },
	} {
		var b bytes.Buffer
		if err := encode(&b); err != nil {
			t.Fatal(err)
		}
		out[kind] = b.Bytes()
	}
	return out
}

// A TIFF's profile and resolution go from one file to another, whatever the byte
// order; several pages are refused.
func TestTiffTags(t *testing.T) {
	be := binary.BigEndian
	source := []byte("MM\x00*\x00\x00\x00\x08")
	source = be.AppendUint16(source, 3)
	for _, e := range [][4]uint32{{tagXResolution, 5, 1, 50}, {tagResolution, 3, 1, 3 << 16}, {tagProfile, 7, 6, 58}} {
		source = be.AppendUint32(be.AppendUint32(be.AppendUint16(be.AppendUint16(source, uint16(e[0])), uint16(e[1])),
			e[2]), e[3])
	}
	source = append(be.AppendUint32(source, 0), "\x00\x00\x01\x2c\x00\x00\x00\x01colour"...)
	with := withTiffTags(samples(t)["tiff"], source)
	tags, order := tiffTags(with)
	if string(tags[tagProfile].value) != "colour" || order.Uint16(tags[tagResolution].value) != 3 ||
		order.Uint32(tags[tagXResolution].value) != 300 {
		t.Fatalf("%v", tags)
	}
	s, err := decode(with)
	if err != nil || s.img.Bounds().Dx() != 9 {
		t.Fatalf("%v, %v", s.img, err)
	}
	again, _ := tiffTags(withTiffTags(samples(t)["tiff"], with))
	if string(again[tagProfile].value) != "colour" || len(again) != len(tags) {
		t.Fatalf("%v", again)
	}
	at := order.Uint32(with[4:])
	n := uint32(order.Uint16(with[at:]))
	order.PutUint32(with[at+2+12*n:], at) // a directory after the last
	if _, err := decode(with); err == nil {
		t.Errorf("several pages: %v", err)
	}
}

// Whatever a stranger's file holds, reading it ends in a picture or in an error
// for people.
func FuzzStill(f *testing.F) {
	for _, b := range samples(f) {
		f.Add(b)
		f.Add(b[:len(b)/2])
	}
	f.Add([]byte("MM\x00*\x00\x00\x00\x08\xff\xff"))
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, seg := range JPEGSegments(b, 0xe1) {
			tiffTags(seg)
		}
		withChunks(samples(t)["png"], b)
		withTiffTags(samples(t)["tiff"], b)
		if len(b) > 1<<16 {
			return
		}
		s, err := decode(b)
		if err != nil {
			return
		}
		var planes bytes.Buffer
		if s.planes(&planes) != nil || planes.Len() != s.format().Size() || s.format().Width != s.img.Bounds().Dx() {
			t.Fatal("the samples are not those of the picture")
		}
	})
}

// A view shows the picture, of each kind and depth, also where it is much smaller, and in
// a child that has memory for little more than the picture.
func TestView(t *testing.T) {
	const w, h = 1203, 807
	colour := func(x, y int) color.NRGBA64 {
		return color.NRGBA64{uint16(x * 65535 / w), uint16(y * 65535 / h), 0x4000, 0xffff}
	}
	for name, img := range map[string]draw.Image{
		"colour": image.NewNRGBA(image.Rect(0, 0, w, h)),
		"deep":   image.NewNRGBA64(image.Rect(0, 0, w, h)), "grey": image.NewGray(image.Rect(0, 0, w, h)),
	} {
		for y := range h {
			for x := range w {
				img.Set(x, y, colour(x, y))
			}
		}
		path := filepath.Join(t.TempDir(), name+".png")
		f, err := os.Create(path)
		if err != nil {
			t.Fatal(err)
		}
		if err := errors.Join(png.Encode(f, img), f.Close()); err != nil {
			t.Fatal(err)
		}
		for _, size := range [][2]int{{w, h}, {300, 201}, {1203, 100}} {
			b, err := View(context.Background(), path, size[0], size[1])
			if err != nil {
				t.Fatal(err)
			}
			view, err := jpeg.Decode(bytes.NewReader(b))
			if err != nil || view.Bounds().Dx() != size[0] || view.Bounds().Dy() != size[1] {
				t.Fatalf("%s: %v, %v", name, view.Bounds(), err)
			}
			for _, at := range [][2]float64{{.1, .1}, {.5, .5}, {.9, .2}, {.3, .95}} {
				want := color.NRGBAModel.Convert(img.At(int(at[0]*w), int(at[1]*h))).(color.NRGBA)
				got := color.NRGBAModel.Convert(view.At(int(at[0]*float64(size[0])), int(at[1]*float64(size[1])))).(color.NRGBA)
				for i, d := range []int{int(want.R) - int(got.R), int(want.G) - int(got.G), int(want.B) - int(got.B)} {
					if d*d > 36 {
						t.Errorf("%s as %v, at %v: component %d is off by %d", name, size, at, i, d)
					}
				}
			}
		}
	}
}

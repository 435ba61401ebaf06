package deliver

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math/rand"
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/image/tiff"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/media"
)

// noise fills a picture of any kind with random samples, alpha included.
func noise(img image.Image) image.Image {
	rng := rand.New(rand.NewSource(1))
	switch p := img.(type) {
	case *image.Gray:
		rng.Read(p.Pix)
	case *image.Gray16:
		rng.Read(p.Pix)
	case *image.NRGBA:
		rng.Read(p.Pix)
	case *image.NRGBA64:
		rng.Read(p.Pix)
	case *image.RGBA:
		rng.Read(p.Pix)
		for i := 3; i < len(p.Pix); i += 4 {
			p.Pix[i] = 255
		}
	case *image.RGBA64:
		rng.Read(p.Pix)
		for i := 6; i < len(p.Pix); i += 8 {
			p.Pix[i], p.Pix[i+1] = 255, 255
		}
	case *image.Paletted:
		for i := range p.Pix {
			p.Pix[i] = byte(rng.Intn(len(p.Palette)))
		}
	}
	return img
}

// chunked puts chunks into a PNG after its header.
func chunked(b []byte, chunks ...string) []byte {
	out := bytes.Clone(b[:33])
	for _, c := range chunks {
		body := append([]byte(c[:4]), c[4:]...)
		out = binary.BigEndian.AppendUint32(out, uint32(len(body)-4))
		out = binary.BigEndian.AppendUint32(append(out, body...), crc32.ChecksumIEEE(body))
	}
	return append(out, b[33:]...)
}

func stillDocument(w, h int, fill string) *cover.Document {
	d := cover.New(w, h, 1)
	t := cover.NewTreatment("t", cover.Fill)
	t.Grain, t.Around = cover.Const(0), false // an even colour can be told by its code
	t.Colour = fill
	d.Covers = []cover.Cover{{
		ID: "a", Name: "a", Treatments: []cover.Treatment{t}, Soften: cover.ConstPair(6, 3),
		Outlines: []cover.Outline{{
			ID: "o", Shape: cover.ShapeBox,
			Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Min: geom.Pt(20, 10), Max: geom.Pt(40.5, 25)})}},
		}},
	}}
	return d
}

// Stills of every kind come back as they were outside the cover, alpha and all,
// and hidden inside it; profiles stay, and what could hold a thumbnail goes.
//
// Long: one scenario, told from its beginning to its end.
func TestStillsComeBackExactly(t *testing.T) {
	r := image.Rect(0, 0, 67, 41)
	palette := color.Palette{}
	for i := range 40 {
		palette = append(palette, color.NRGBA{uint8(i * 6), uint8(255 - i*5), uint8(i * i), uint8(255 - i%3*60)})
	}
	pictures := map[string]image.Image{
		"gray": image.NewGray(r), "gray16": image.NewGray16(r), "nrgba": image.NewNRGBA(r), "nrgba64": image.NewNRGBA64(r),
		"rgba": image.NewRGBA(r), "rgba64": image.NewRGBA64(r), "paletted": image.NewPaletted(r, palette),
	}
	for name, img := range pictures {
		noise(img)
		for _, kind := range []string{"png", "tif"} {
			dir := t.TempDir()
			source, out := filepath.Join(dir, "in."+kind), filepath.Join(dir, "out."+kind)
			var b bytes.Buffer
			var err error
			if kind == "png" {
				err = png.Encode(&b, img)
				b = *bytes.NewBuffer(chunked(b.Bytes(), "gAMA\x00\x00\xb1\x8f", "tEXtComment\x00thumbnail",
					"pHYs\x00\x00\x0b\x13\x00\x00\x0b\x13\x01"))
			} else {
				err = tiff.Encode(&b, img, nil)
			}
			if err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(source, b.Bytes(), 0o644); err != nil {
				t.Fatal(err)
			}
			decode := func(path string) image.Image {
				f, err := os.Open(path)
				if err != nil {
					t.Fatal(err)
				}
				defer f.Close()
				i, _, err := image.Decode(f)
				if err != nil {
					t.Fatalf("%s %s: %v", name, kind, err)
				}
				return i
			}
			ctx := context.Background()
			info, err := media.Probe(ctx, source)
			if err != nil {
				t.Fatal(err)
			}
			j := Job{
				Clip: media.Clip{Path: source, Info: info}, Sound: source,
				Parts: Whole(stillDocument(r.Dx(), r.Dy(), "#1080f0")), Preset: media.StillPreset(info.Still), Total: 1, Out: out,
			}
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			if proof, err := Verify(ctx, j, nil); err != nil || proof.Compared != 1 || proof.Touched != 1 {
				t.Fatalf("%s %s: %+v, %v", name, kind, proof, err)
			}
			was, is := decode(source), decode(out)
			changed := 0
			for y := range r.Dy() {
				for x := range r.Dx() {
					a, b := was.At(x, y), is.At(x, y)
					a0, a1, a2, a3 := a.RGBA()
					b0, b1, b2, b3 := b.RGBA()
					same := a0 == b0 && a1 == b1 && a2 == b2 && a3 == b3
					inside := x >= 20 && x < 40 && y >= 10 && y < 25
					if outside := x < 12 || x > 49 || y < 5 || y > 30; outside && !same {
						t.Fatalf("%s %s: %d,%d outside was %v, is %v", name, kind, x, y, a, b)
					}
					if a3 != b3 {
						t.Fatalf("%s %s: the alpha at %d,%d changed", name, kind, x, y)
					}
					if inside {
						changed++
						want := color.RGBA64Model.Convert(color.RGBA{0x10, 0x80, 0xf0, 255}).(color.RGBA64)
						near := func(v uint32, w uint16) bool { return v+700 > uint32(w) && v < uint32(w)+700 }
						if n, ok := b.(color.NRGBA); ok {
							b0, b1, b2 = uint32(n.R)*257, uint32(n.G)*257, uint32(n.B)*257
						} else if n, ok := b.(color.NRGBA64); ok {
							b0, b1, b2 = uint32(n.R), uint32(n.G), uint32(n.B)
						}
						grey := name == "gray" || name == "gray16"
						if !grey && !(near(b0, want.R) && near(b1, want.G) && near(b2, want.B)) ||
							grey && !near(b0, uint16(.2126*float64(want.R)+.7152*float64(want.G)+.0722*float64(want.B))) {
							t.Fatalf("%s %s: %d,%d inside is %v", name, kind, x, y, b)
						}
					}
				}
			}
			written, _ := os.ReadFile(out)
			if kind == "png" && (!bytes.Contains(written, []byte("gAMA\x00\x00\xb1\x8f")) ||
				!bytes.Contains(written, []byte("pHYs")) || bytes.Contains(written, []byte("thumbnail"))) {
				t.Errorf("%s: the colour chunks are gone, or the text is not", name)
			}
		}
	}
}

// A photograph: turned as its Exif block asks, its profile kept, and outside the
// cover within a few codes of what it was.
func TestStillJPEG(t *testing.T) {
	img := image.NewRGBA(image.Rect(0, 0, 80, 60))
	for y := range 60 {
		for x := range 80 {
			img.Set(x, y, color.RGBA{uint8(3 * x), uint8(4 * y), uint8(x + y), 255})
		}
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 92}); err != nil {
		t.Fatal(err)
	}
	profile := "\xff\xe2\x00\x16ICC_PROFILE\x00\x01\x01abcdef"
	exif := func(orientation byte) string {
		return "\xff\xe1\x00\x22Exif\x00\x00MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00" +
			string(rune(orientation)) + "\x00\x00\x00\x00\x00\x00"
	}
	for orientation := byte(1); orientation <= 8; orientation++ {
		dir := t.TempDir()
		source, out := filepath.Join(dir, "in.jpg"), filepath.Join(dir, "out.jpg")
		file := append([]byte(string(b.Bytes()[:2])+profile+exif(orientation)), b.Bytes()[2:]...)
		if err := os.WriteFile(source, file, 0o644); err != nil {
			t.Fatal(err)
		}
		ctx := context.Background()
		info, err := media.Probe(ctx, source)
		if err != nil {
			t.Fatal(err)
		}
		w, h := 80, 60
		if orientation >= 5 {
			w, h = h, w
		}
		if info.Width != w || info.Height != h || info.Still != "jpeg" {
			t.Fatalf("orientation %d: %+v", orientation, info)
		}
		j := Job{
			Clip: media.Clip{Path: source, Info: info}, Parts: Whole(stillDocument(w, h, "#000000")),
			Preset: media.StillPreset("jpeg"), Total: 1, Out: out,
		}
		if err := Render(ctx, j); err != nil {
			t.Fatal(err)
		}
		proof, err := Verify(ctx, j, nil)
		if err != nil || proof.Off == nil || *proof.Off > 6 || proof.Compared != 0 {
			t.Fatalf("orientation %d: %+v, %v", orientation, proof, err)
		}
		written, _ := os.ReadFile(out)
		if !bytes.Contains(written, []byte("ICC_PROFILE\x00\x01\x01abcdef")) || bytes.Contains(written, []byte("Exif")) {
			t.Errorf("the profile is gone, or the Exif block is not")
		}
		is, err := jpeg.Decode(bytes.NewReader(written))
		if err != nil {
			t.Fatal(err)
		}
		// The stored corner that must be shown at the top left (Exif 2.3, 4.6.4).
		corner := map[byte]image.Point{
			1: {1, 1}, 2: {78, 1}, 3: {78, 58}, 4: {1, 58}, 5: {1, 1}, 6: {1, 58}, 7: {78, 58},
			8: {78, 1},
		}[orientation]
		want := img.RGBAAt(corner.X, corner.Y)
		r, g, _, _ := is.At(1, 1).RGBA()
		if d := int(r>>8) - int(want.R); d < -12 || d > 12 {
			t.Errorf("orientation %d: red %d at the top left, want %d", orientation, r>>8, want.R)
		}
		if d := int(g>>8) - int(want.G); d < -12 || d > 12 {
			t.Errorf("orientation %d: green %d at the top left, want %d", orientation, g>>8, want.G)
		}
		if r, g, bl, _ := is.At(30, 17).RGBA(); r>>8 > 8 || g>>8 > 8 || bl>>8 > 8 {
			t.Errorf("orientation %d: not hidden: %d %d %d", orientation, r>>8, g>>8, bl>>8)
		}
	}
}

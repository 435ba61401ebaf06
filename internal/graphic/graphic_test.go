package graphic

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"
)

const drawing = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20"><rect x="0" y="0" width="20" height="20" fill="#c03020"/><circle cx="30" cy="10" r="8" fill="#203040"/></svg>`

func pictures(t testing.TB) map[string][]byte {
	img := image.NewNRGBA(image.Rect(0, 0, 40, 20))
	for x := range 20 {
		for y := range 20 {
			img.SetNRGBA(x, y, color.NRGBA{192, 48, 32, 255})
		}
	}
	var p, j bytes.Buffer
	if png.Encode(&p, img) != nil || jpeg.Encode(&j, img, nil) != nil {
		t.Fatal("encode")
	}
	return map[string][]byte{"png": p.Bytes(), "jpeg": j.Bytes(), "svg": []byte(drawing)}
}

// All three kinds become PNGs that show what was drawn, transparent where nothing was.
func TestRead(t *testing.T) {
	for kind, b := range pictures(t) {
		g, err := Read(kind, b)
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		img, err := png.Decode(bytes.NewReader(g.PNG))
		if err != nil || img.Bounds().Dx() != g.Width || img.Bounds().Dy() != g.Height || g.Width != 2*g.Height {
			t.Fatalf("%s: %v, %dx%d", kind, err, g.Width, g.Height)
		}
		if r, gr, _, a := img.At(g.Width/4, g.Height/2).RGBA(); r>>8 < 180 || gr>>8 > 60 || a>>8 != 255 {
			t.Errorf("%s: %d %d, opacity %d on the left", kind, r>>8, gr>>8, a>>8)
		}
		if _, _, _, a := img.At(g.Width-2, 1).RGBA(); kind != "jpeg" && a != 0 {
			t.Errorf("%s: opacity %d where nothing is", kind, a>>8)
		}
	}
}

// What cannot be taken is refused in words.
func TestRefused(t *testing.T) {
	pics := pictures(t)
	for name, b := range map[string][]byte{
		"empty": nil, "no picture": []byte("hello"), "cut": pics["png"][:60], "svg with text": []byte(strings.Replace(drawing, "<rect", "<text x='3' y='9'>Orsholm</text><rect", 1)),
		"svg without a size": []byte("<svg></svg>"), "broken svg": []byte("<svg viewBox='0 0 9 9'><path d='M 0'"),
	} {
		if _, err := Read(name, b); err == nil || len(err.Error()) < 12 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, b := range pictures(f) {
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		if len(b) > 1<<14 {
			return
		}
		if g, err := Read("x", b); err == nil && (g.Width < 1 || len(g.PNG) == 0) {
			t.Fatal("taken, and empty")
		}
	})
}

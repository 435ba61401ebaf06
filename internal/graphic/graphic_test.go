package graphic

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"strings"
	"testing"
	"time"

	"celator/internal/confine"
	"celator/internal/fault"
)

func TestMain(m *testing.M) {
	confine.Main()
	os.Exit(m.Run())
}

const drawing = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20"><rect x="0" y="0" width="20" he` +
	`ight="20" fill="#c03020"/><circle cx="30" cy="10" r="8" fill="#203040"/></svg>`

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
		g, err := Read(context.Background(), kind, b)
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
		"empty": nil, "no picture": []byte("hello"), "cut": pics["png"][:60],
		"svg with text":      []byte(strings.Replace(drawing, "<rect", "<text x='3' y='9'>Orsholm</text><rect", 1)),
		"svg without a size": []byte("<svg></svg>"), "broken svg": []byte("<svg viewBox='0 0 9 9'><path d='M 0'"),
	} {
		if _, err := Read(context.Background(), name, b); err == nil || len(err.Error()) < 12 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// tree is an SVG whose uses double at each level.
func tree(levels int) string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><defs><g id="g0"><rect width="9" h` +
		`eight="9" fill="#123456"/></g>`)
	for i := range levels {
		fmt.Fprintf(&b, `<g id="g%d"><use href="#g%d"/><use href="#g%d"/></g>`, i+1, i, i)
	}
	fmt.Fprintf(&b, `</defs><use href="#g%d"/></svg>`, levels)
	return b.String()
}

const selfUse = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><defs><g id="a"><use href="#a"/><` +
	`/g></defs><use href="#a"/></svg>`

// A drawing made to overflow a stack, or to take for ever, costs a child and is refused
// in words, soon; and one that nobody waits for any more is given up.
func TestHostileDrawings(t *testing.T) {
	defer func(l confine.Limits) { limits = l }(limits)
	limits.Processor = 2 * time.Second
	for name, text := range map[string]string{
		"itself": selfUse, "a tree": tree(40),
		"gradient": `<svg viewBox="0 0 9 9"><linearGradient id="a">` +
			strings.Repeat(`<stop offset="0.5" stop-color="#000"/>`, 100_000) + `</linearGradient>` +
			strings.Repeat(`<rect width="9" height="9" fill="url(#a)"/>`, 20) + `</svg>`,
	} {
		begun := time.Now()
		_, err := Read(context.Background(), name, []byte(text))
		if err == nil && name != "gradient" || fault.IsMachine(err) || time.Since(begun) > limits.Wall+5*time.Second {
			t.Errorf("%s: %v after %v", name, err, time.Since(begun))
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), 200*time.Millisecond)
	defer cancel()
	begun := time.Now()
	if _, err := Read(ctx, "withdrawn", []byte(tree(40))); err == nil || time.Since(begun) > 5*time.Second {
		t.Errorf("withdrawn: %v after %v", err, time.Since(begun))
	}
}

// Anything at all gives a picture or an error in words. The reader itself is fuzzed, but
// for what only a child can bear: uses that refer to each other.
func FuzzRead(f *testing.F) {
	for _, b := range pictures(f) {
		f.Add(b)
	}
	f.Add([]byte(`<svg viewBox="0 0 9 9"><defs><path id="p" d="M0 0h9v9z"/></defs><use href="#p" x="2" y="2"/></svg>`))
	f.Add([]byte(selfUse))
	f.Add([]byte(tree(2)))
	f.Fuzz(func(t *testing.T, b []byte) {
		if len(b) > 1<<14 {
			return
		}
		if bytes.Contains(b, []byte("use")) {
			if g, err := Read(t.Context(), "x", b); fault.IsMachine(err) || err == nil && g.Width < 1 {
				t.Fatal("taken, and empty, or more than the child was lost")
			}
			return
		}
		if g, err := read(b); err == nil && len(g) == 0 {
			t.Fatal("taken, and empty")
		}
	})
}

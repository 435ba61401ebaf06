package checkrun

import (
	"context"
	"image"
	"image/color"
	"image/draw"
	"strings"
	"testing"

	"celator/core/check"
	"celator/core/cover"
	"celator/internal/lettering"
	"celator/internal/reader"
)

// written is a picture of words as luma, of so much contrast.
func written(t *testing.T, words string, contrast float32) []float32 {
	t.Helper()
	pic := image.NewGray(image.Rect(0, 0, boardWide, boardHigh))
	draw.Draw(pic, pic.Rect, image.Black, image.Point{}, draw.Src)
	if err := lettering.Write(pic, words, 29, image.Pt(24, 46), color.White); err != nil {
		t.Fatal(err)
	}
	out := make([]float32, len(pic.Pix))
	for i, v := range pic.Pix {
		out[i] = 110 + contrast*(float32(v)-110)
	}
	return out
}

const boardWide, boardHigh = 300, 64

// What frames give that are laid over each other is read too, unless something was told of the cover already; other
// words than the original's give nothing away.
func TestFusedPicturesAreRead(t *testing.T) {
	m := reader.New(reader.Dir(), 1)
	t.Cleanup(m.Close)
	by, err := m.Reader()
	if err != nil {
		t.Fatal(err)
	}
	d := cover.New(640, 360, 50)
	d.Covers = []cover.Cover{{ID: "c1", Name: "Plate", Span: cover.Span{Last: 49}}}
	x := check.Fused{
		Cover: "c1", Of: 24, Frames: cover.Span{First: 4, Last: 40}, Frame: 22, Place: image.Rect(10, 20, 310, 84),
		Recovered: &check.Recovered{W: boardWide, H: boardHigh, Original: written(t, "KS 47 OH", 1)},
	}
	told := []check.Finding{check.New(check.Readable, "c1", []cover.Span{{}}, 0, 100, "%s", "told")}
	for _, c := range []struct {
		what   string
		broken []float32
		told   []check.Finding
		want   int
	}{
		{"what is left of it", written(t, "KS 47 OH", .15), nil, 1},
		{"what was told", written(t, "KS 47 OH", .15), told, 0},
		{"nothing", written(t, "", 1), nil, 0},
		{"other words", written(t, "HARBOUR", 1), nil, 0},
	} {
		x.Recovered.Broken = c.broken
		r := newReads(by, d, 1, nil)
		r.fused([]check.Fused{x})
		got, err := r.findings(context.Background(), d, c.told)
		if err != nil || len(got) != c.want {
			t.Fatalf("%s: %+v, %v", c.what, got, err)
		}
		for _, f := range got {
			if f.Kind != check.ReadableOverFrames || !ByMachine(f) || f.Frames[0] != x.Frames || f.Frame != x.Frame ||
				f.Place != x.Place || !strings.Contains(f.Says, "KS 47 OH") || !strings.Contains(f.Says, "24 frames") {
				t.Errorf("%s: %+v", c.what, f)
			}
		}
	}
}

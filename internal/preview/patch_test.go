package preview

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand"
	"os"
	"path/filepath"
	"testing"

	"golang.org/x/image/draw"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
	"celator/internal/media"
)

// What the bench shows is what is delivered: a patch against the concealed
// picture scaled down, inside the matte; where nothing is hidden the patch is
// transparent.
func TestPatchIsTheDelivery(t *testing.T) {
	f := frame.Format{Width: 960, Height: 540, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited, Matrix: frame.BT709}
	pic := frame.New(f, nil)
	rng := rand.New(rand.NewSource(1))
	for i := range pic.Data { // smooth content with some noise
		pic.Data[i] = byte(110 + 60*math.Sin(float64(i)/97) + 20*rng.Float64())
	}
	live := func(x float64, k cover.LiveTreatment) cover.Live {
		return cover.Live{Form: cover.Form{Paths: []geom.Path{
			geom.Ellipse(geom.Rect{Min: geom.Pt(x, 100), Max: geom.Pt(x+200, 260)}),
		}, Soften: geom.Pt(8, 8)}, Treatments: []cover.LiveTreatment{k}}
	}
	lives := []cover.Live{
		live(40, cover.LiveTreatment{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(12, 12)}),
		live(150, cover.LiveTreatment{Kind: cover.Fill, Strength: 1, Colour: "#a04020"}),
		live(850, cover.LiveTreatment{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(20, 20)}),
		live(850, cover.LiveTreatment{Kind: cover.SurfaceFill, Strength: .5, Shading: .5}),
		live(850, cover.LiveTreatment{Kind: cover.Mosaic, Strength: .5, Cell: geom.Pt(30, 30), Form: "hexagon", Rides: true}),
	}
	for i := range lives {
		lives[i].Map = geom.Identity
	}
	was := string(pic.Data)
	for _, view := range []Size{{960, 540}, {640, 360}} {
		p, err := render(pic, []moment{{frame.Whole, lives}}, nil, view, false)
		if err != nil {
			t.Fatal(err)
		}
		if string(pic.Data) != was {
			t.Fatal("the cached picture was changed")
		}
		if len(p.Regions) != 2 {
			t.Fatalf("two covers overlap and one is apart: %v", p.Regions)
		}
		wide := 0
		for _, r := range p.Regions {
			wide = max(wide, r.Dx())
		}
		atlas := &image.NRGBA{Pix: p.Pix, Stride: 4 * wide, Rect: image.Rect(0, 0, wide, len(p.Pix)/(4*wide))}
		done := pic.Clone()
		treat.Conceal(done, lives, nil)
		want := image.NewRGBA(image.Rect(0, 0, view.W, view.H))
		draw.CatmullRom.Scale(want, want.Rect, done.RGBA(done.Rect()), done.Rect(), draw.Src, nil)
		matte := treat.Combined(f, lives)
		y0 := 0
		var sum, n float64
		for _, r := range p.Regions {
			for y := r.Min.Y; y < r.Max.Y; y++ {
				for x := r.Min.X; x < r.Max.X; x++ {
					sx, sy := (x*2+1)*f.Width/(2*view.W), (y*2+1)*f.Height/(2*view.H)
					m := matte.Pix[sy*f.Width+sx]
					cr, cg, cb, ca := atlas.At(x-r.Min.X, y0+y-r.Min.Y).RGBA()
					if m == 0 && view.W == f.Width && ca != 0 {
						t.Fatalf("the patch has a pixel at %d,%d, where nothing is hidden", x, y)
					}
					if m < 1 || ca < 0xffff {
						continue
					}
					w := want.RGBAAt(x, y)
					for _, d := range [][2]float64{
						{float64(cr >> 8), float64(w.R)},
						{float64(cg >> 8), float64(w.G)},
						{float64(cb >> 8), float64(w.B)},
					} {
						sum += math.Abs(d[0] - d[1])
						n++
					}
				}
			}
			y0 += r.Dy()
		}
		if n < 20000 || sum/n > 2 {
			t.Errorf("view %v: mean difference %.2f of 255 over %g values", view, sum/n, n)
		}
	}
}

func BenchmarkPatch(b *testing.B) {
	for _, c := range []struct {
		name  string
		w, h  int
		view  Size
		size  geom.Point
		treat cover.LiveTreatment
	}{
		{
			"blur26 380x180 in 720p", 1280, 720,
			Size{1280, 720},
			geom.Pt(380, 180),
			cover.LiveTreatment{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(26, 26)},
		},
		{
			"fill 1100x620 in 1080p", 1920, 1080,
			Size{1280, 720},
			geom.Pt(1100, 620),
			cover.LiveTreatment{Kind: cover.Fill, Strength: 1, Colour: "#203040"},
		},
	} {
		b.Run(c.name, func(b *testing.B) {
			pic := frame.New(frame.Format{
				Width: c.w, Height: c.h, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
				Matrix: frame.BT709,
			}, nil)
			rand.New(rand.NewSource(1)).Read(pic.Data)
			l := []moment{{Live: []cover.Live{{Form: cover.Form{
				Paths: []geom.Path{geom.Box(geom.Rect{Min: geom.Pt(200, 100), Max: geom.Pt(200, 100).Add(c.size)}).Map(
					geom.Placement(geom.Pt(400, 300), geom.Point{}, 3, 1, 1))},
				Soften: geom.Pt(6, 6),
			}, Treatments: []cover.LiveTreatment{c.treat}}}}}
			for b.Loop() {
				if _, err := render(pic, l, nil, c.view, false); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func BenchmarkPatchThirty(b *testing.B) {
	pic := frame.New(frame.Format{
		Width: 1280, Height: 720, Depth: 8, SubX: 1, SubY: 1, Range: frame.Limited,
		Matrix: frame.BT709,
	}, nil)
	rand.New(rand.NewSource(1)).Read(pic.Data)
	var lives []cover.Live
	for i := range 30 {
		t := []cover.LiveTreatment{
			{Kind: cover.Blur, Strength: 1, Sigma: geom.Pt(12, 12)},
			{Kind: cover.Mosaic, Strength: 1, Cell: geom.Pt(16, 16)},
			{Kind: cover.Fill, Strength: 1, Colour: "#808080"},
		}[i%3]
		at := geom.Pt(60+200*float64(i%6), 60+130*float64(i/6))
		lives = append(lives, cover.Live{Form: cover.Form{
			Paths: []geom.Path{geom.Box(geom.Rect{Min: at, Max: at.Add(geom.Pt(100, 60))}).Map(
				geom.Placement(at, geom.Point{}, 3, 1, 1))},
			Soften: geom.Pt(4, 4),
		}, Treatments: []cover.LiveTreatment{t}})
	}
	for b.Loop() {
		if _, err := render(pic, []moment{{frame.Whole, lives}}, nil, Size{1280, 720}, false); err != nil {
			b.Fatal(err)
		}
	}
}

// carried makes view frames of a red and blue surface that a track carries, with one frame
// that was not followed and one whose view frame is not made yet.
func carried(t *testing.T) (dir string, tr cover.Track) {
	t.Helper()
	dir = t.TempDir()
	if err := os.MkdirAll(filepath.Dir(media.View(dir, 0)), 0o755); err != nil {
		t.Fatal(err)
	}
	tr = cover.Track{
		ID: "t", Kind: cover.Surface, Frame: 0,
		Surface: []geom.Point{{X: 100, Y: 60}, {X: 188, Y: 60}, {X: 188, Y: 116}, {X: 100, Y: 116}},
		Poses:   &cover.Poses{States: "ag-gg", Confidence: make([]float64, 5)},
	}
	for f := range 5 {
		m := geom.Placement(geom.Pt(144, 88), geom.Pt(30*float64(f), 12*float64(f)), 6*float64(f), 1+.2*float64(f),
			1+.2*float64(f))
		var q [8]float64
		for i, c := range tr.Box() {
			c = m.Apply(c)
			q[2*i], q[2*i+1] = c.X, c.Y
		}
		tr.Poses.Corners = append(tr.Poses.Corners, q)
		if f == 4 {
			continue // its view frame is not made yet
		}
		// A red left half and a blue right half, carried by the map; views are half as large.
		img := image.NewRGBA(image.Rect(0, 0, 320, 180))
		back, _ := m.Inverse()
		for y := range 180 {
			for x := range 320 {
				q := back.Apply(geom.Pt(2*float64(x)+1, 2*float64(y)+1))
				c := color.RGBA{20, 120, 20, 255}
				if q.X > 100 && q.X < 188 && q.Y > 60 && q.Y < 116 {
					if c = (color.RGBA{200, 30, 30, 255}); q.X > 144 {
						c = color.RGBA{30, 30, 200, 255}
					}
				}
				img.Set(x, y, c)
			}
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 95}); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(media.View(dir, cover.Time(f)), b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir, tr
}

// The strip shows the surface where it lies on its reference, however it has moved and
// grown; frames that were not followed, and those without a view frame, are black.
func TestStrip(t *testing.T) {
	dir, tr := carried(t)
	steady := Steady{Dir: dir, Width: 640, Height: 360, Track: &tr, Last: 4, Scale: 1}
	b, err := Strip(context.Background(), steady)
	if err != nil {
		t.Fatal(err)
	}
	img, err := jpeg.Decode(bytes.NewReader(b))
	if err != nil || img.Bounds().Dx() != CellW*StripFrames || img.Bounds().Dy() != CellH {
		t.Fatalf("%v, %v", img.Bounds(), err)
	}
	at := func(f, x, y int) string {
		r, g, b, _ := img.At(f*CellW+x, y).RGBA()
		switch {
		case r > 3*b/2 && r > 3*g/2:
			return "red"
		case b > 3*r/2 && b > 3*g/2:
			return "blue"
		case g > r && g > b && g > 0x2000:
			return "green"
		}
		return "black"
	}
	for f, want := range [][3]string{
		{"red", "blue", "green"},
		{"red", "blue", "green"},
		{"black", "black", "black"},
		{"red", "blue", "green"},
		{"black", "black", "black"},
	} {
		if got := [3]string{at(f, 25, 28), at(f, 62, 28), at(f, 44, 1)}; got != want {
			t.Errorf("frame %d: %v, not %v", f, got, want)
		}
	}
	// Enlarged; and as a difference from the reference it is grey where it is the same.
	steady.Scale, steady.Difference = 2, true
	if b, err = Strip(context.Background(), steady); err != nil {
		t.Fatal(err)
	}
	if img, err = jpeg.Decode(bytes.NewReader(b)); err != nil || img.Bounds().Dx() != 2*CellW*StripFrames {
		t.Fatalf("%v, %v", img.Bounds(), err)
	}
	for _, f := range []int{0, 1, 3} {
		if r, g, b, _ := img.At(2*(f*CellW+25), 2*28).RGBA(); max(off(r), off(g), off(b)) > 40 {
			t.Errorf("frame %d differs by %d, %d, %d", f, r>>8, g>>8, b>>8)
		}
	}
	for _, wrong := range []func(*Steady){func(s *Steady) { s.First = 5 }, func(s *Steady) { s.Scale = 0 }} {
		s := steady
		wrong(&s)
		if _, err := Strip(context.Background(), s); err == nil {
			t.Errorf("%+v is made", s)
		}
	}
}

// off is how far a colour of 16 bit is from grey, in codes of 256.
func off(v uint32) int { return max(int(v>>8)-128, 128-int(v>>8)) }

// The contact sheet shows what is under a cover before, and the cover after; frames that
// are not there are black.
func TestContact(t *testing.T) {
	dir := t.TempDir()
	if err := os.MkdirAll(filepath.Dir(media.View(dir, 0)), 0o755); err != nil {
		t.Fatal(err)
	}
	for f := range 3 {
		img := image.NewRGBA(image.Rect(0, 0, 320, 180))
		draw.Draw(img, img.Rect, image.NewUniform(color.RGBA{200, 30, 30, 255}), image.Point{}, draw.Src)
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, nil); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(media.View(dir, cover.Time(f)), b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	d := cover.New(640, 360, 20)
	fill := cover.NewTreatment("t", cover.Fill)
	fill.Around, fill.Colour = false, "#2020c8"
	d, _, err := d.Apply(cover.AddCover{New: cover.Cover{
		ID: "c", Name: "c", Span: cover.Span{First: 0, Last: 19}, Treatments: []cover.Treatment{fill},
		Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{
			{Knots: geom.Box(geom.Rect{Min: geom.Pt(200, 100), Max: geom.Pt(440, 260)})},
		}}},
	}})
	if err != nil {
		t.Fatal(err)
	}
	ask := Sheet{
		Dir: dir, Width: 640, Height: 360, Document: d, Last: 3,
		Place: func(int) image.Rectangle { return image.Rect(160, 80, 480, 280) },
	}
	at := func(clean bool, f int) (r, b uint32) {
		t.Helper()
		ask.Clean = clean
		pic, err := Contact(context.Background(), ask)
		if err != nil {
			t.Fatal(err)
		}
		img, err := jpeg.Decode(bytes.NewReader(pic))
		if err != nil || img.Bounds().Dx() != SheetW*SheetFrames {
			t.Fatal(img, err)
		}
		r, _, b, _ = img.At(f*SheetW+SheetW/2, SheetH/2).RGBA()
		return r >> 8, b >> 8
	}
	if r, b := at(true, 1); r < 150 || b > 80 {
		t.Errorf("before: %d, %d", r, b)
	}
	if r, b := at(false, 1); r > 80 || b < 150 {
		t.Errorf("after: %d, %d", r, b)
	}
	if r, b := at(false, 3); r+b > 20 {
		t.Errorf("a frame that is not there: %d, %d", r, b)
	}
	ask.Last = SheetFrames
	if _, err := Contact(context.Background(), ask); err == nil {
		t.Error("a sheet of more than it holds is made")
	}
}

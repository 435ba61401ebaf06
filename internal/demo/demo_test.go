package demo

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/internal/media"
)

func render(s Shot, f int) *picture {
	d := &picture{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	s.draw(s.prepare(), f, d)
	return d
}

// The same frame is the same bytes, on any number of cores.
func TestDrawingIsDeterministic(t *testing.T) {
	s := Shots[0]
	a := render(s, 95)
	old := runtime.GOMAXPROCS(1)
	b := render(s, 95)
	runtime.GOMAXPROCS(old)
	if !bytes.Equal(a.pic.Data, b.pic.Data) || !bytes.Equal(a.front, b.front) || a.surface != b.surface {
		t.Fatal("two drawings of one frame differ")
	}
}

// What the truth says is where the picture has it: the plate's light face lies
// inside the corners and the crate around it does not.
func TestTruthMatchesThePicture(t *testing.T) {
	s := Shots[0]
	d := render(s, s.Reference)
	c := d.surface[0].Lerp(d.surface[2], .5)
	luma := func(p geom.Point) float64 { return float64(d.pic.Row(0, int(p.Y), int(p.X), int(p.X)+1)[0]) }
	// A point just inside the right rim, above the letters, against one outside.
	in := d.surface[1].Lerp(d.surface[2], .5).Lerp(c, .06)
	out := d.surface[1].Lerp(d.surface[2], .5).Lerp(c, -.2)
	if luma(in) < luma(out)+40 {
		t.Fatalf("luma %g inside the plate's rim, %g outside", luma(in), luma(out))
	}
	if d.visible < .99 {
		t.Fatalf("the plate is seen whole, the truth says %g", d.visible)
	}
	hidden := 0
	for _, f := range []int{85, 90, 95, 100, 105} {
		if v := render(s, f).visible; v < .7 {
			hidden++
		}
	}
	if hidden == 0 {
		t.Fatal("nobody passes in front of the plate")
	}
}

// A surface turns while its rows are read one after the other: the truth is the plane nearest to all of its places, and
// where its corners alone are seen is further from the rest.
func TestTruthOfWhatTurns(t *testing.T) {
	s := Shot{Height: 360, Reference: 40, optics: &optics{rolls: .5}}
	at := func(t float64) moment {
		turned := geom.Placement(geom.Pt(320, 180), geom.Point{}, 5*(t-40), 1, 1)
		return moment{surface: corners(turned, 200, 110, 240, 140)}
	}
	then, now := s.readAt(at, s.Reference), s.readAt(at, 62)
	off := func(truth geom.Quad) (sum float64) {
		m, err := geom.QuadToQuad(s.seen(at, s.Reference), truth)
		if err != nil {
			t.Fatal(err)
		}
		for i, p := range then {
			d := m.Apply(p).Sub(now[i])
			sum += d.Dot(d) / float64(len(then))
		}
		return math.Sqrt(sum)
	}
	truth := s.seen(at, 62)
	best := off(truth)
	if alone := off(geom.Quad(now[:4])); best < .05 || alone < 1.5*best {
		t.Errorf("places are %.3f px off in the mean, by the corners alone %.3f", best, alone)
	}
	for i := range truth {
		for _, d := range []geom.Point{{X: .3}, {X: -.3}, {Y: .3}, {Y: -.3}} {
			other := geom.Quad(truth)
			other[i] = other[i].Add(d)
			if v := off(other); v <= best {
				t.Errorf("with corner %d at %v places are %.3f px off, at best %.3f", i, d, v, best)
			}
		}
	}
}

// The covers that the demo begins with leave no part of the surface bare, in any
// frame: points all over the true surface lie where the matte is 1.
func TestDemoCoversHide(t *testing.T) {
	covers := 0
	for _, s := range Shots {
		at := s.prepare()
		truth := make([]Truth, s.Frames)
		for f := range truth {
			truth[f].Corners = at(float64(f)).surface
		}
		c, ok := s.Cover(truth)
		if !ok {
			continue
		}
		covers++
		for f, tr := range truth {
			l, live := c.At(cover.Time(f))
			if !live {
				t.Fatalf("%s: no cover at frame %d", s.Name, f)
			}
			m := raster.Matte(l, s.Width, s.Height)
			for i := range 25 {
				q := tr.Corners
				u, v := float64(i%5)/4, float64(i/5)/4
				p := q[0].Lerp(q[1], u).Lerp(q[3].Lerp(q[2], u), v)
				if p.X < 1 || p.Y < 1 || p.X >= float64(s.Width-1) || p.Y >= float64(s.Height-1) {
					continue
				}
				if !(image.Pt(int(p.X), int(p.Y)).In(m.Rect) && m.Row(int(p.Y))[int(p.X)-m.Rect.Min.X] == 1) {
					t.Fatalf("%s: frame %d is exposed at %.1f, %.1f", s.Name, f, p.X, p.Y)
				}
			}
		}
	}
	if covers < 3 {
		t.Fatalf("%d covers", covers)
	}
}

func BenchmarkDraw720p(b *testing.B) {
	s := Shots[0]
	at := s.prepare()
	d := &picture{pic: frame.New(s.format(), nil), front: make([]byte, s.Width*s.Height)}
	b.ResetTimer()
	for i := 0; b.Loop(); i++ {
		s.draw(at, i%s.Frames, d)
	}
	if math.IsNaN(d.visible) {
		b.Fatal()
	}
}

// A master is what a station sends: its shots cut after one another, one coming in over another, a start timecode,
// four tracks; in fields, what moves at their rate differs between the two of a frame.
func TestMasters(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	clip := func(name, picture string, rate int) {
		os.MkdirAll(filepath.Join(dir, name), 0o755)
		err := media.Run(ctx, []string{
			"-f", "lavfi", "-i", fmt.Sprintf("%ssize=160x90:rate=%d:duration=3", picture, rate), "-f", "lavfi", "-i",
			"sine=duration=3:sample_rate=48000", "-ac", "2", filepath.Join(dir, name, "clip.mp4"),
		}, nil)
		if err != nil {
			t.Fatal(err)
		}
	}
	clip("moving", "testsrc2=", 50)
	clip("red", "color=red:", 25)
	clip("blue", "color=blue:", 25)
	// How much rows differ from the next, and from the next of their field, on a moving picture.
	differ := func(p *frame.Picture, by int) (sum float64) {
		for y := range p.Height - by {
			a, b := p.Row(0, y, 0, p.Width), p.Row(0, y+by, 0, p.Width)
			for x := range a {
				sum += math.Abs(float64(a[x]) - float64(b[x]))
			}
		}
		return sum
	}
	comb := map[bool]float64{}
	for _, fields := range []bool{false, true} {
		m := Master{
			Name: "m", Fields: fields, Width: 320, Height: 180,
			Cuts: []Cut{{Shot: "moving", Frames: 30}, {Shot: "red", Frames: 40}, {Shot: "blue", Frames: 50, Dissolve: 20}},
		}
		last := 0
		if err := m.Draw(ctx, dir, func(done int) { last = done }); err != nil || !m.Drawn(dir) {
			t.Fatal(err)
		}
		info, err := media.Probe(ctx, m.File(dir))
		if err != nil {
			t.Fatal(err)
		}
		if info.Frames != m.Frames() || info.Frames != 100 || last != 100 || info.Timecode != "10:00:00:00" ||
			len(info.Sound) != 4 || info.Sound[0].Channels != 1 || (info.First() == "top") != fields {
			t.Fatalf("fields %v: %d frames, told %d, %q, %d tracks, %q", fields, info.Frames, last, info.Timecode,
				len(info.Sound), info.First())
		}
		c := media.Clip{Path: m.File(dir), Info: info}
		// The mean red difference (V) tells red from blue.
		tone := map[int]float64{}
		err = c.Pick(ctx, []int{10, 29, 30, 49, 60, 70}, func(f int, p *frame.Picture) error {
			for _, v := range p.Row(2, p.Height/2, 0, 160) {
				tone[f] += float64(v) / 160
			}
			if f == 10 {
				comb[fields] = differ(p, 1) / differ(p, 2)
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		if !(tone[30] > 200 && tone[49] > 200 && tone[70] < 130 && tone[60] < tone[49]-20 && tone[60] > tone[70]+20) {
			t.Errorf("fields %v: %v", fields, tone)
		}
	}
	if comb[true] < 1.2*comb[false] {
		t.Errorf("nothing moves between fields: %v", comb)
	}
}

package reference

import (
	"context"
	"os/exec"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/treat"
	"celator/internal/media"
)

// document has a cover that needs its clean plate, one that does not, and one of another span.
func document(i media.Info) *cover.Document {
	d := cover.New(i.Width, i.Height, i.Frames)
	for n, k := range []cover.Kind{cover.SurfaceFill, cover.Blur, cover.Fill} {
		x := 20 + 100*float64(n)
		d.Covers = append(d.Covers, cover.Cover{
			ID: string(rune('a' + n)), Name: string(k), Span: cover.Span{Last: i.Frames - 1},
			Treatments: []cover.Treatment{cover.NewTreatment("t", k)},
			Outlines: []cover.Outline{{
				ID: "o", Shape: cover.ShapeBox,
				Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Min: geom.Pt(x, 60), Max: geom.Pt(x+70, 120)})}},
			}},
		})
	}
	d.Covers[2].Span.First = 30
	return d
}

// References are made of what lives in the span, once however many ask, and is the same for
// whoever makes it; what decides it has a name of its own.
func TestScenes(t *testing.T) {
	path := filepath.Join(t.TempDir(), "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=360x200:rate=25:duration=2", "-c:v", "libx264", "-pix_fmt", "yuv420p",
		path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	ctx := context.Background()
	info, err := media.Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	clip, d := media.Clip{Path: path, Info: info}, document(info)
	var m, other Maker
	early, late := cover.Span{Last: 10}, cover.Span{First: 40, Last: 45}
	if _, exact := m.Near("s", d, early); exact {
		t.Error("references that nobody made are ready")
	}
	refs := make([]*treat.References, 6)
	var wg sync.WaitGroup
	for i := range refs {
		wg.Go(func() { refs[i], _ = m.Make(ctx, "s", clip, d, early) })
	}
	wg.Wait()
	for _, s := range refs {
		if s == nil || len(s.CleanPlates) != 1 || s.CleanPlates["a"] != refs[0].CleanPlates["a"] {
			t.Fatalf("%+v", s)
		}
	}
	both, err := m.Make(ctx, "s", clip, d, late)
	if err != nil || len(both.CleanPlates) != 2 || both.CleanPlates["a"] != refs[0].CleanPlates["a"] {
		t.Fatalf("%v %+v", err, both)
	}
	if _, exact := m.Near("s", d, late); !exact {
		t.Error("what was made is not at hand")
	}
	// Another machine makes the same pixels of it.
	again, err := other.Make(ctx, "s", clip, d, early)
	if err != nil {
		t.Fatal(err)
	}
	r, err := clip.Open(ctx, 5, 5)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	p := frame.New(info.Format(), nil)
	if err := r.Read(p); err != nil {
		t.Fatal(err)
	}
	q := p.Clone()
	treat.Conceal(p, d.At(5), refs[0])
	treat.Conceal(q, d.At(5), again)
	if string(p.Data) != string(q.Data) {
		t.Error("two makers differ")
	}
	// Names: the treatment's numbers decide no clean plate, the shape and the source do.
	keys := m.Keys("s", d, late)
	tuned, _, err := d.Apply(cover.SetNumber{Cover: "a", Lane: "treatment/t/grain", Number: .5})
	if err != nil || !slices.Equal(m.Keys("s", tuned, late), keys) {
		t.Errorf("%v: a number changed the clean plate", err)
	}
	moved, _, err := d.Apply(cover.SetNumber{Cover: "a", Lane: "grow", Number: 9})
	if now := m.Keys("s", moved, late); err != nil || now[0] == keys[0] || now[1] != keys[1] ||
		m.Keys("x", d, late)[0] == keys[0] {
		t.Errorf("%v: %v after %v", err, now, keys)
	}
	if near, exact := m.Near("s", moved, late); exact || near.CleanPlates["a"] != both.CleanPlates["a"] {
		t.Error("while it is not made, the last clean plate does not stand for it")
	}
	stop, cancel := context.WithCancel(ctx)
	cancel()
	if _, err := other.Make(stop, "s", clip, d, late); err == nil {
		t.Error("made for somebody who stopped waiting")
	}
}

// A check that is cancelled while references are made is told of no frame any more, and who
// else waits for the references gets it.
func TestCancelledCallerIsLeftAlone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=360x200:rate=25:duration=2", "-c:v", "libx264", "-pix_fmt", "yuv420p",
		path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	info, err := media.Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	clip, d := media.Clip{Path: path, Info: info}, document(info)
	every := make([]int, info.Frames)
	for f := range every {
		every[f] = f
	}
	var m Maker
	ctx, cancel := context.WithCancel(context.Background())
	var mu sync.Mutex
	told, gone := 0, false
	begun, other := make(chan struct{}), make(chan *treat.References, 1)
	_, err = m.MakeWith(ctx, "s", clip, d, cover.Span{Last: 10}, every, func(f int, _ *frame.Picture) {
		mu.Lock()
		defer mu.Unlock()
		if gone {
			t.Errorf("told of frame %d after it had gone", f)
		}
		if told++; told == 1 {
			close(begun)
			go func() {
				s, _ := m.Make(context.Background(), "s", clip, d, cover.Span{Last: 10})
				other <- s
			}()
			cancel()
		}
	})
	mu.Lock()
	gone = true
	mu.Unlock()
	if err == nil {
		t.Error("a cancelled caller got references")
	}
	<-begun
	if s := <-other; s == nil || s.CleanPlates["a"] == nil {
		t.Error("who still waited got nothing")
	}
}

package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/library"
	"celator/internal/media"
	"celator/internal/pgcluster"
	"celator/internal/store"
)

// The tests run against a real database. Run with CELATOR_TEST_WORKER set, this
// binary is a worker that can be killed.
func TestMain(m *testing.M) {
	if url := os.Getenv("CELATOR_TEST_WORKER"); url != "" {
		worker(url, os.Getenv("CELATOR_TEST_STORE"))
	}
	os.Exit(m.Run())
}

func worker(url, dir string) {
	ctx := context.Background()
	st, err := store.Open(ctx, url)
	if err == nil {
		var lib library.Library
		if lib, err = library.New(dir, dir); err == nil {
			_, err = Start(ctx, st, lib, slog.Default())
		}
	}
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	select {}
}

type bench struct {
	st  *store.Store
	lib library.Library
	url string
	dir string
}

func open(t *testing.T) bench {
	ctx := context.Background()
	dir := t.TempDir()
	pg, err := pgcluster.Start(ctx, filepath.Join(dir, "pg"), false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(pg.Stop)
	st, err := store.Open(ctx, pg.URL())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	lib, err := library.New(dir, dir)
	if err != nil {
		t.Fatal(err)
	}
	return bench{st, lib, pg.URL(), dir}
}

// bring makes a clip and enters it as a source with a shot.
func (b bench) bring(t *testing.T, seconds int, size string) (store.Source, store.Shot) {
	ctx := context.Background()
	path := filepath.Join(b.dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", fmt.Sprintf("testsrc2=size=%s:rate=25:duration=%d", size, seconds),
		"-f", "lavfi", "-i", fmt.Sprintf("sine=duration=%d", seconds), "-c:v", "libx264", "-preset", "ultrafast", "-g", "25", "-pix_fmt", "yuv420p", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	info, err := media.Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	p, err := b.st.AddProgramme(ctx, "P")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "media", Path: "clip.mp4", Info: store.JSON[media.Info]{V: info}, Frames: info.Frames}
	shot, err := b.st.AddSource(ctx, src)
	if err != nil {
		t.Fatal(err)
	}
	return src, shot
}

func box(id string) *cover.Cover {
	r := geom.Rect{Min: geom.Pt(20, 20), Max: geom.Pt(90, 60)}
	return &cover.Cover{ID: id, Name: id, Span: cover.Span{First: 0, Last: 10}, Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)},
		Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}}, Motion: cover.Motion{Keys: []cover.PlacementKey{}}}
}

func wait[T any](t *testing.T, what string, get func() (T, error), ok func(T) bool) T {
	for end := time.Now().Add(90 * time.Second); ; time.Sleep(30 * time.Millisecond) {
		v, err := get()
		if err != nil {
			t.Fatal(err)
		}
		if ok(v) {
			return v
		}
		if time.Now().After(end) {
			t.Fatalf("waited too long for %s: %+v", what, v)
		}
	}
}

// A worker is killed in the middle of a delivery; another one takes up what it
// left, does not render finished segments again, and delivers. A change in one
// segment then renders only that one.
func TestKilledWorkerLosesNothing(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	ctx := context.Background()
	b := open(t)
	src, shot := b.bring(t, 24, "640x360")
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), "CELATOR_TEST_WORKER="+b.url, "CELATOR_TEST_STORE="+b.dir)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	source := func() (store.Source, error) { return b.st.Source(ctx, src.ID) }
	src = wait(t, "the source", source, func(s store.Source) bool { return s.State == store.Ready || s.State == store.Failed })
	if src.State != store.Ready || src.Frames != 600 || src.Views != 600 {
		t.Fatalf("%+v", src)
	}
	edit := func(base int, cmds ...cover.Command) store.Revision {
		r, err := b.st.Edit(ctx, shot.ID, base, "test", func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) })
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	rev := edit(0, cover.Command{Do: "add", New: box("a")})
	deliver := func(rev store.Revision) store.Delivery {
		plan, err := Plan(src, rev.Document, media.Presets["archive"])
		if err != nil {
			t.Fatal(err)
		}
		d := store.Delivery{ID: store.NewID(), Shot: shot.ID, Revision: rev.Number, Preset: "archive", Name: "out.mkv", Frames: src.Frames}
		if err := b.st.AddDelivery(ctx, d, plan); err != nil {
			t.Fatal(err)
		}
		return d
	}
	d := deliver(rev)
	get := func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) }
	wait(t, "the second segment", get, func(d store.Delivery) bool { return d.Rendered > SegmentFrames+10 })
	cmd.Process.Kill()
	cmd.Wait()
	before, err := b.st.Segments(ctx, d.ID)
	if err != nil {
		t.Fatal(err)
	}
	finished := map[string]time.Time{}
	for _, g := range before {
		if g.Finished {
			st, err := os.Stat(b.lib.Segment(g.Key))
			if err != nil {
				t.Fatal(err)
			}
			finished[g.Key] = st.ModTime()
		}
	}
	if len(finished) == 0 || len(finished) == len(before) {
		t.Fatalf("killed too late or too early: %d of %d segments were finished", len(finished), len(before))
	}
	r, err := Start(ctx, b.st, b.lib, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Stop()
	ended := func(d store.Delivery) bool { return d.State == store.Done || d.State == store.Failed }
	if got := wait(t, "the delivery", get, ended); got.State != store.Done || got.Proof.V.Compared != 600 {
		t.Fatalf("%+v", got)
	}
	for key, was := range finished {
		if st, err := os.Stat(b.lib.Segment(key)); err != nil || !st.ModTime().Equal(was) {
			t.Errorf("a finished segment was rendered again: %v", err)
		}
	}
	sha, size, err := library.Digest(b.lib.DeliveryFile(d.ID, "out.mkv"))
	if got, _ := get(); err != nil || got.SHA256 != sha || got.Size != size {
		t.Errorf("digest %s of %d bytes, %v: the database says %+v", sha, size, err, got)
	}

	rev = edit(rev.Number, cover.Command{Do: "set", Cover: "a", Lane: "grow", Scope: cover.WholeSpan, Number: 3})
	d = deliver(rev)
	if got := wait(t, "the second delivery", get, ended); got.State != store.Done || got.Reused != 500 {
		t.Fatalf("a change in one segment of six: %+v", got)
	}

	// Cancelled: it stops, and what is finished stays for later.
	rev = edit(rev.Number, cover.Command{Do: "span", Cover: "a", Span: &cover.Span{First: 0, Last: 599}})
	d = deliver(rev)
	wait(t, "some frames", get, func(d store.Delivery) bool { return d.Rendered > 20 })
	if err := b.st.CancelDelivery(ctx, d.ID); err != nil {
		t.Fatal(err)
	}
	time.Sleep(time.Second)
	if got, _ := get(); got.State != store.Cancelled || got.Rendered >= 600 {
		t.Fatalf("%+v", got)
	}
}

// Any random sequence of edits, undos and redos: undoing all gives back each
// earlier document, redoing each later one; an outdated base changes nothing.
func TestRevisions(t *testing.T) {
	ctx := context.Background()
	b := open(t)
	_, shot := b.bring(t, 1, "320x180")
	text := func(d *cover.Document) string { m, _ := d.Marshal(); return string(m) }
	rng := rand.New(rand.NewSource(1))
	head, err := b.st.Head(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	states, at := []string{text(head.Document)}, 0 // as an editor sees it
	for i := range 150 {
		switch n := rng.Intn(5); {
		case n < 2:
			cmd := cover.Command{Do: "add", New: box(fmt.Sprint("c", i))}
			if len(head.Document.Covers) > 0 && rng.Intn(2) == 0 {
				cmd = cover.Command{Do: "set", Cover: head.Document.Covers[0].ID, Lane: "grow", Scope: cover.WholeSpan, Number: float64(i)}
			}
			head, err = b.st.Edit(ctx, shot.ID, head.Number, "a", func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmd) })
			states, at = append(states[:at+1], text(head.Document)), at+1
		case n < 4:
			r, e := b.st.Undo(ctx, shot.ID, head.Number, "a")
			if at == 0 {
				if e != store.ErrNothing {
					t.Fatalf("undid nothing: %v", e)
				}
				continue
			}
			head, err, at = r, e, at-1
		default:
			r, e := b.st.Redo(ctx, shot.ID, head.Number, "a")
			if at == len(states)-1 {
				if e != store.ErrNothing {
					t.Fatalf("redid nothing: %v", e)
				}
				continue
			}
			head, err, at = r, e, at+1
		}
		if err != nil {
			t.Fatal(err)
		}
		stored, err := b.st.Head(ctx, shot.ID)
		if err != nil || stored.Number != head.Number || text(stored.Document) != states[at] || text(head.Document) != states[at] {
			t.Fatalf("step %d: the document is not state %d (%v)", i, at, err)
		}
		if _, err := b.st.Edit(ctx, shot.ID, head.Number-1, "b", func(d *cover.Document) (*cover.Document, string, error) { return d, "x", nil }); err == nil {
			t.Fatal("an outdated base was taken")
		} else if c, ok := err.(*store.Conflict); !ok || c.Head.Number != head.Number || text(c.Head.Document) != states[at] {
			t.Fatalf("the conflict does not show the head: %v", err)
		}
	}
}

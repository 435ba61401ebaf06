package jobs

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/await"
	"celator/internal/media"
	"celator/internal/storage"
	"celator/internal/store"
	"celator/internal/testdb"
)

// The tests run against a real database. Run with CELATOR_TEST_WORKER set, this
// binary is a worker that can be killed.
func TestMain(m *testing.M) {
	if url := os.Getenv("CELATOR_TEST_WORKER"); url != "" {
		worker(url, os.Getenv("CELATOR_TEST_STORE"))
	}
	testdb.Main(m)
}

func worker(url, dir string) {
	ctx := context.Background()
	st, err := store.Patiently(ctx, func() (*store.Store, error) {
		return store.Open(ctx, store.Config{Address: store.At(url)})
	})
	if err == nil {
		var lib storage.Library
		if lib, err = storage.New(dir, dir); err == nil { // patiently: its first jobs run before it has started
			_, err = store.Patiently(ctx, func() (*Runner, error) {
				return Start(ctx, Config{Store: st, Library: lib, Log: slog.Default()})
			})
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
	lib storage.Library
	url string
	dir string
}

func open(t *testing.T) bench {
	dir := t.TempDir()
	st, url := testdb.Open(t)
	lib, err := storage.New(dir, dir)
	if err != nil {
		t.Fatal(err)
	}
	return bench{st, lib, url, dir}
}

// work starts a runner that stops before the store closes.
func (b bench) work(t *testing.T) *Runner {
	t.Helper()
	r, err := Start(context.Background(), Config{Store: b.st, Library: b.lib, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(r.Stop)
	return r
}

// bring makes a clip and enters it as a source with a shot.
func (b bench) bring(t *testing.T, seconds int, size string) (store.Source, store.Shot) {
	ctx := context.Background()
	path := filepath.Join(b.dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		fmt.Sprintf("testsrc2=size=%s:rate=25:duration=%d", size, seconds),
		"-f", "lavfi", "-i", fmt.Sprintf("sine=duration=%d", seconds), "-c:v", "libx264", "-preset", "ultrafast", "-g",
		"25", "-pix_fmt", "yuv420p", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	src := b.enter(t, "clip.mp4")
	shots, err := b.st.ShotsOf(ctx, src.ID)
	if err != nil {
		t.Fatal(err)
	}
	return src, shots[0]
}

// enter enters a clip as a source.
func (b bench) enter(t *testing.T, name string) store.Source {
	t.Helper()
	ctx := context.Background()
	info, err := media.Probe(ctx, filepath.Join(b.dir, name))
	if err != nil {
		t.Fatal(err)
	}
	p, err := b.st.AddProgramme(ctx, "P")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{
		ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "media", Path: name,
		Info: store.JSON[media.Info]{V: info}, Frames: info.Frames,
	}
	if _, err := b.st.AddSource(ctx, src); err != nil {
		t.Fatal(err)
	}
	return src
}

func box(id string) *cover.Cover {
	r := geom.Rect{Min: geom.Pt(20, 20), Max: geom.Pt(90, 60)}
	return &cover.Cover{
		ID: id, Name: id, Span: cover.Span{First: 0, Last: 10},
		Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)},
		Outlines:   []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}},
		Motion:     cover.Motion{Keys: []cover.PlacementKey{}},
	}
}

// A worker is killed in the middle of a delivery; another one takes up what it
// left, does not render finished segments again, and delivers. A change in one
// segment then renders only that one.
//
// Long: one scenario, told from its beginning to its end.
func TestKilledWorkerLosesNothing(t *testing.T) {
	t.Parallel()
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
	src = await.That(t, "the source", source, func(s store.Source) bool {
		return s.State == store.Ready || s.State == store.Failed
	})
	if src.State != store.Ready || src.Frames != 600 || src.Views != 600 {
		t.Fatalf("%+v", src)
	}
	edit := func(base int, cmds ...cover.Command) store.Revision {
		r, err := b.st.Edit(ctx, shot.ID, store.On{Base: base, Author: "test"},
			func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) })
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	rev := edit(0, cover.AddCover{New: *box("a")})
	deliverSome := func(rev store.Revision, frames cover.Span, matte bool) store.Delivery {
		t.Helper()
		sh, err := b.st.Shot(ctx, shot.ID)
		if err != nil {
			t.Fatal(err)
		}
		plan, err := Plan(sh, src, rev.Document, media.Presets["archive"], frames, matte)
		if err != nil {
			t.Fatal(err)
		}
		d := store.Delivery{
			ID: store.NewID(), Shot: shot.ID, Revision: rev.Number, Preset: "archive", Name: "out.mkv",
			First: frames.First, Frames: frames.Last - frames.First + 1, Matte: matte,
		}
		if err := b.st.AddDelivery(ctx, d, plan); err != nil {
			t.Fatal(err)
		}
		return d
	}
	deliver := func(rev store.Revision) store.Delivery {
		t.Helper()
		return deliverSome(rev, cover.Span{First: 0, Last: src.Frames - 1}, false)
	}
	d := deliver(rev)
	get := func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) }
	await.That(t, "the second segment", get, func(d store.Delivery) bool { return d.Rendered > SegmentFrames+10 })
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
	b.work(t)
	ended := func(d store.Delivery) bool { return d.State == store.Done || d.State == store.Failed }
	if got := await.That(t, "the delivery", get, ended); got.State != store.Done || got.Proof.V.Compared != 600 {
		t.Fatalf("%+v", got)
	}
	for key, was := range finished {
		if st, err := os.Stat(b.lib.Segment(key)); err != nil || !st.ModTime().Equal(was) {
			t.Errorf("a finished segment was rendered again: %v", err)
		}
	}
	sha, size, err := storage.Digest(b.lib.DeliveryFile(d.ID, "out.mkv"))
	if got, _ := get(); err != nil || got.SHA256 != sha || got.Size != size {
		t.Errorf("digest %s of %d bytes, %v: the database says %+v", sha, size, err, got)
	}

	rev = edit(rev.Number, cover.SetNumber{Cover: "a", Lane: "grow", Scope: cover.WholeSpan, Number: 3})
	d = deliver(rev)
	if got := await.That(t, "the second delivery", get, ended); got.State != store.Done || got.Reused != 500 {
		t.Fatalf("a change in one segment of six: %+v", got)
	}

	// A range takes over the segments that lie in it whole; its matte is proved too.
	d = deliverSome(rev, cover.Span{First: 450, Last: 599}, false)
	if got := await.That(t, "a range", get, ended); got.State != store.Done || got.Reused != 100 ||
		got.Proof.V.Compared != 150 {
		t.Fatalf("frames 450 to 599: %+v", got)
	}
	d = deliverSome(rev, cover.Span{First: 5, Last: 24}, true)
	got := await.That(t, "a matte", get, ended)
	if got.State != store.Done || got.Proof.V.Compared != 20 || got.Proof.V.Touched != 6 {
		t.Fatalf("the matte of frames 5 to 24: %+v, %+v", got, got.Proof.V)
	}

	// Cancelled: it stops, and what is finished stays for later.
	rev = edit(rev.Number, cover.SetSpan{Cover: "a", Span: cover.Span{First: 0, Last: 599}})
	d = deliver(rev)
	await.That(t, "some frames", get, func(d store.Delivery) bool { return d.Rendered > 20 })
	if err := b.st.CancelDelivery(ctx, d.ID); err != nil {
		t.Fatal(err)
	}
	time.Sleep(time.Second)
	if got, _ := get(); got.State != store.Cancelled || got.Rendered >= 600 {
		t.Fatalf("%+v", got)
	}
}

// A run is taken by the document when it has ended, even if the shot was changed
// meanwhile; the cover that asked rides on it. A run that is stopped keeps what was
// done, and the next goes on from there; one that cannot begin says why and changes
// nothing; one to choose from is not taken, and says how it closes.
//
// Long: one scenario, told from its beginning to its end.
func TestAttempts(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, shot := b.bring(t, 4, "480x270")
	b.work(t)
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	c := cover.Cover{
		ID: "c", Name: "Counter", Span: cover.Span{Last: 99},
		Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)},
		Outlines: []cover.Outline{{
			ID: "o", Shape: cover.ShapeBox,
			Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Min: geom.Pt(20, 20), Max: geom.Pt(160, 120)})}},
		}},
	}
	edit := func(cmds ...cover.Command) {
		t.Helper()
		head, err := b.st.Head(ctx, shot.ID)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := b.st.Edit(ctx, shot.ID, store.On{Base: head.Number, Author: "me"},
			func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) }); err != nil {
			t.Fatal(err)
		}
	}
	edit(cover.AddCover{New: c})
	tr := cover.Track{
		ID: "t", Name: "Counter", Kind: cover.Surface, Model: "translation", Channel: "best", Frame: 50,
		Anchors: []cover.TrackAnchor{},
		Surface: []geom.Point{{X: 20, Y: 20}, {X: 160, Y: 20}, {X: 160, Y: 120}, {X: 20, Y: 120}},
	}
	follow := func(spec store.AttemptSpec) func() (store.Attempt, error) {
		t.Helper()
		a := store.Attempt{
			ID: store.NewID(), Shot: shot.ID, Track: spec.Track.ID, State: store.Queued,
			Frames: spec.To - spec.From + 1, Spec: store.JSON[store.AttemptSpec]{V: spec},
		}
		if err := b.st.AddAttempt(ctx, a); err != nil {
			t.Fatal(err)
		}
		return func() (store.Attempt, error) { return b.st.Attempt(ctx, a.ID) }
	}
	ended := func(a store.Attempt) bool { return a.Finished != nil }

	get := follow(store.AttemptSpec{Track: tr, From: 0, To: 99, Ride: "c", At: 50, Take: true, Author: "me"})
	await.That(t, "some frames", get, func(a store.Attempt) bool { return a.Done > 3 })
	edit(cover.RenameCover{Cover: "c", Name: "Clock"})
	a, _ := get()
	if err := b.st.StopAttempt(ctx, a.ID); err != nil {
		t.Fatal(err)
	}
	a = await.That(t, "the stop", get, ended)
	head, err := b.st.Head(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	got := head.Document.Find("c")
	if a.State != store.Stopped || a.Done >= 100 || got.Track != "t" || got.Name != "Clock" || got.From != 50 ||
		head.Document.Track("t").Attempt != a.ID {
		t.Fatalf("stopped: %s after %d; %+v", a.State, a.Done, got)
	}
	if head.Document.Followed() == nil {
		t.Error("what was not followed is not told")
	}
	kept := a.Poses.V

	get = follow(store.AttemptSpec{Track: tr, From: 0, To: 99, Base: a.ID, Take: true, Author: "me"})
	a = await.That(t, "the rest", get, ended)
	if a.State != store.Done || strings.Contains(a.Poses.V.States, "-") || a.Figures.V == nil ||
		a.Figures.V.Frames != 100 {
		t.Fatalf("the rest: %s, %q, %+v", a.State, a.Poses.V.States, a.Figures.V)
	}
	for i, q := range kept.Corners { // the same frames give the same poses
		if s := kept.States[i]; s != '-' && a.Poses.V.States[i] == s && q != a.Poses.V.Corners[i] && s == 'g' {
			t.Errorf("frame %d was %v and is %v", i, q, a.Poses.V.Corners[i])
		}
	}
	if head, err = b.st.Head(ctx, shot.ID); err != nil || head.Document.Followed() != nil {
		t.Errorf("%v, %v", err, head.Document.Followed())
	}

	get = follow(store.AttemptSpec{Track: tr, From: 40, To: 60, Compare: true, Author: "me"})
	a = await.That(t, "the comparison", get, ended)
	if a.State != store.Done || a.Figures.V.Apart < 0 || a.Figures.V.Apart > 2 {
		t.Errorf("to choose from: %s %s, %+v", a.State, a.Note, a.Figures.V)
	}
	now, err := b.st.Head(ctx, shot.ID)
	if err != nil || now.Number != head.Number {
		t.Errorf("one to choose from was taken: %v", err)
	}
	tr.ID, tr.Surface = "u", []geom.Point{{X: 20, Y: 20}, {X: 25, Y: 20}, {X: 25, Y: 24}}
	get = follow(store.AttemptSpec{Track: tr, From: 0, To: 99, Take: true, Author: "me"})
	if a = await.That(t, "the failure", get, ended); a.State != store.Failed ||
		!strings.Contains(a.Note, "smaller than 12 pixels") {
		t.Errorf("too small: %s, %q", a.State, a.Note)
	}
	if now, err = b.st.Head(ctx, shot.ID); err != nil || now.Document.Track("u") != nil {
		t.Errorf("a failed run was taken: %v", err)
	}
}

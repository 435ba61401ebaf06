package store_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/await"
	"celator/internal/media"
	"celator/internal/pgcluster"
	"celator/internal/store"
	"celator/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// shot enters a source with its shot, without a file.
func shot(t *testing.T, st *store.Store, frames int) (store.Source, store.Shot) {
	t.Helper()
	ctx := context.Background()
	p, err := st.AddProgramme(ctx, "Harbour")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "media", Path: "clip.mp4", Frames: frames}
	src.Info.V = media.Info{Width: 640, Height: 360, Frames: frames}
	sh, err := st.AddSource(ctx, src)
	if err != nil {
		t.Fatal(err)
	}
	return src, sh
}

func box(id string) *cover.Cover {
	r := geom.Rect{Min: geom.Pt(20, 20), Max: geom.Pt(90, 60)}
	return &cover.Cover{
		ID: id, Name: id, Span: cover.Span{Last: 9}, Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)},
		Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}},
	}
}

func add(t *testing.T, st *store.Store, shot string, on store.On, cmds ...cover.Command) (store.Revision, error) {
	t.Helper()
	return st.Edit(context.Background(), shot, on, func(d *cover.Document) (*cover.Document, string, error) {
		return d.Apply(cmds...)
	})
}

// A change that is sent twice, because its answer was lost, is made once; another on the
// same base is refused.
func TestKeyedChange(t *testing.T) {
	st, _ := testdb.Open(t)
	_, sh := shot(t, st, 20)
	on := store.On{Author: "a", Key: "one"}
	first, err := add(t, st, sh.ID, on, cover.AddCover{New: *box("c")})
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			again, err := add(t, st, sh.ID, on, cover.AddCover{New: *box("c")})
			if err != nil || again.Number != first.Number || len(again.Document.Covers) != 1 {
				t.Errorf("again: revision %d, %v", again.Number, err)
			}
		})
	}
	wg.Wait()
	var conflict *store.Conflict
	if _, err := add(t, st, sh.ID, store.On{Author: "b", Key: "two"},
		cover.AddCover{New: *box("d")}); !errors.As(err, &conflict) {
		t.Errorf("another change on the old base: %v", err)
	}
	if _, err := st.Undo(context.Background(), sh.ID, store.On{Base: 1, Author: "a", Key: "three"}); err != nil {
		t.Fatal(err)
	}
	if r, err := st.Undo(context.Background(), sh.ID, store.On{Base: 1, Author: "a", Key: "three"}); err != nil ||
		r.Number != 2 {
		t.Errorf("undone twice: revision %d, %v", r.Number, err)
	}
}

func posed(id string) cover.Track {
	q := []geom.Point{{X: 50, Y: 40}, {X: 150, Y: 40}, {X: 150, Y: 90}, {X: 50, Y: 90}}
	t := cover.Track{
		ID: id, Name: id, Kind: cover.Surface, Model: "affine", Channel: "luma", Surface: q,
		Anchors: []cover.TrackAnchor{},
	}
	p := &cover.Poses{}
	for range 20 {
		p.Corners = append(p.Corners, [8]float64{50, 40, 150, 40, 150, 90, 50, 90})
		p.Confidence = append(p.Confidence, 1)
		p.States += "g"
	}
	t.Poses = p
	return t
}

// A document points at nothing but the tracks of its own shot.
func TestTracksOfOtherShots(t *testing.T) {
	st, _ := testdb.Open(t)
	_, one := shot(t, st, 20)
	_, two := shot(t, st, 20)
	a, err := st.Adopt(context.Background(), one.ID, posed("t"), "a")
	if err != nil {
		t.Fatal(err)
	}
	tr := posed("t")
	tr.Poses, tr.Attempt = nil, a.ID
	if _, err := add(t, st, two.ID, store.On{}, cover.SetTrack{Track: tr}); !errors.Is(err,
		store.ErrForeign) {
		t.Errorf("another shot's track: %v", err)
	}
	tr.Attempt = store.NewID()
	if _, err := add(t, st, one.ID, store.On{}, cover.SetTrack{Track: tr}); !errors.Is(err,
		store.ErrForeign) {
		t.Errorf("a track that is not there: %v", err)
	}
	tr.Attempt = a.ID
	if r, err := add(t, st, one.ID, store.On{}, cover.SetTrack{Track: tr}); err != nil ||
		r.Document.Tracks[0].Poses == nil {
		t.Errorf("its own: %v", err)
	}
}

// With as few connections as there may be, twenty writers of documents that bring poses
// with them, and readers beside them, all get on: nobody in a transaction waits for a
// second connection.
func TestNobodyWaitsForASecondConnection(t *testing.T) {
	st, err := store.Open(context.Background(), store.Config{
		Address: store.At(testdb.URL(t)), Connections: 6, Nested: func(stack string) { t.Error(stack) },
	})
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	_, sh := shot(t, st, 20)
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Minute) // only a deadlock takes that long
	defer cancel()
	var wg sync.WaitGroup
	for range 20 {
		wg.Go(func() {
			for done := false; !done; {
				head, err := st.Head(ctx, sh.ID)
				if err != nil {
					t.Error(err)
					return
				}
				d := cover.New(640, 360, 20)
				d.Tracks = []cover.Track{posed("t")}
				_, err = st.Replace(ctx, sh.ID, store.On{Base: head.Number, Author: "a"}, d,
					func(*cover.Document) error { return nil })
				var conflict *store.Conflict
				if done = err == nil; err != nil && !errors.As(err, &conflict) {
					t.Error(err)
					return
				}
			}
		})
	}
	wg.Wait()
	if head, err := st.Head(ctx, sh.ID); err != nil || head.Number != 20 {
		t.Errorf("revision %d, %v", head.Number, err)
	}
}

// A store that is open finds a server again that came back at another address, with all
// three of its shares and with what listens.
func TestFindsAServerThatMoved(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	os.Chmod(filepath.Dir(dir), 0o755)
	run := func() *pgcluster.Cluster {
		c, err := pgcluster.Start(ctx, pgcluster.Config{Dir: filepath.Join(dir, "pg")})
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	c := run()
	defer func() { c.Stop() }()
	st, err := store.Open(ctx, store.Config{Address: func() (string, error) { return c.URL(), nil }})
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	heard := make(chan store.Event, 1000)
	listening, stop := context.WithCancel(ctx)
	defer stop()
	go st.Listen(listening, func(e store.Event) { heard <- e })
	_, sh := shot(t, st, 20)
	was := c.URL()
	c.Stop()
	if _, err := st.Head(ctx, sh.ID); !store.Unavailable(err) {
		t.Errorf("while it is away: %v", err)
	}
	os.Remove(filepath.Join(dir, "pg", "port"))
	c = run()
	if c.URL() == was {
		t.Skip("by chance it has the same port")
	}
	for name, s := range map[string]*store.Store{"requests": st, "queue": st.ForQueue(), "reads": st.ForReads()} {
		if _, err := s.Head(ctx, sh.ID); err != nil { // a connection that was open may fail once
			if _, err = s.Head(ctx, sh.ID); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}
	}
	for len(heard) > 0 {
		<-heard
	}
	await.That(t, "what is heard from where it is now", func() (int, error) {
		_, err := st.AddItem(ctx, sh.ID, clearance.Details{Name: "plate", Kind: "plate"})
		return len(heard), err
	}, func(n int) bool { return n > 0 })
}

// Fifteen thousand looks are entered at once, and again with others among them.
func TestManyLooks(t *testing.T) {
	ctx := context.Background()
	st, _ := testdb.Open(t)
	_, sh := shot(t, st, 20000)
	frames := map[int]string{}
	for f := range 15000 {
		frames[f] = fmt.Sprint("d", f)
	}
	if err := st.Looked(ctx, sh.ID, "c", "a", frames); err != nil {
		t.Fatal(err)
	}
	frames = map[int]string{7: "other", 15000: "new"}
	if err := st.Looked(ctx, sh.ID, "c", "b", frames); err != nil {
		t.Fatal(err)
	}
	all, err := st.Looks(ctx, sh.ID)
	if err != nil || len(all["c"]) != 15001 || all["c"][7] != "other" || all["c"][8] != "d8" {
		t.Errorf("%d looks, %q, %v", len(all["c"]), all["c"][7], err)
	}
}

// Texts that the database cannot keep are told from a database that is away.
func TestUnfit(t *testing.T) {
	st, _ := testdb.Open(t)
	_, err := st.AddProgramme(context.Background(), "zero\x00byte")
	if err == nil || !store.Unfit(err) || store.Unavailable(err) {
		t.Errorf("%v", err)
	}
	if p, err := st.AddProgramme(context.Background(), strings.Repeat("ö", 200)); err != nil || store.Unfit(err) {
		t.Errorf("%s: %v", p.Name, err)
	}
}

// Shots stand in the master's order until they are moved, and there again when that is
// asked for; a shot of another programme changes nothing.
func TestOrderShots(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx := context.Background()
	_, first := shot(t, st, 20)
	var want []string
	for i := range 3 {
		src := store.Source{
			ID: store.NewID(), Programme: first.Programme, Name: "clip", Place: "media", Path: fmt.Sprint(i), Frames: 20,
		}
		sh, err := st.AddSource(ctx, src)
		if err != nil {
			t.Fatal(err)
		}
		want = append(want, sh.ID)
	}
	want = append([]string{first.ID}, want...)
	order := func() (ids []string) {
		shots, err := st.Shots(ctx, first.Programme)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range shots {
			ids = append(ids, s.ID)
		}
		return ids
	}
	if got := order(); !slices.Equal(got, want) {
		t.Fatalf("%v, not the order in which they came: %v", got, want)
	}
	if err := st.OrderShots(ctx, first.Programme, []string{want[2], want[0]}); err != nil {
		t.Fatal(err)
	}
	moved := []string{want[2], want[0], want[1], want[3]}
	if got := order(); !slices.Equal(got, moved) {
		t.Errorf("%v, asked %v", got, moved)
	}
	late, err := st.AddSource(ctx, store.Source{
		ID: store.NewID(), Programme: first.Programme, Name: "clip", Place: "media", Path: "late", Frames: 20,
	})
	if err != nil {
		t.Fatal(err)
	}
	want, moved = append(want, late.ID), append(moved, late.ID)
	if got := order(); !slices.Equal(got, moved) {
		t.Errorf("%v: what came late is not at the end", got)
	}
	_, strange := shot(t, st, 20)
	if err := st.OrderShots(ctx, first.Programme, []string{strange.ID}); !errors.Is(err, store.ErrNone) {
		t.Errorf("a strange shot was taken: %v", err)
	}
	if got := order(); !slices.Equal(got, moved) {
		t.Errorf("a refused order changed it to %v", got)
	}
	if err := st.OrderShots(ctx, first.Programme, nil); err != nil {
		t.Fatal(err)
	}
	if got := order(); !slices.Equal(got, want) {
		t.Errorf("%v, not the master's order again", got)
	}
}

// Whatever waits for the machine can say so.
func TestWaits(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx := context.Background()
	src, sh := shot(t, st, 20)
	if err := st.Check(ctx, sh.ID, false); err != nil {
		t.Fatal(err)
	}
	for kind, id := range map[string]string{
		store.ASource: src.ID, store.ADelivery: store.NewID(), store.AnAttempt: store.NewID(), store.ACheckRun: sh.ID,
	} {
		if err := st.Waits(ctx, kind, id, "The disk is full."); err != nil {
			t.Errorf("%s: %v", kind, err)
		}
	}
	if c, err := st.CheckRun(ctx, sh.ID); err != nil || c.Waiting == "" {
		t.Errorf("%+v %v", c, err)
	}
	if s, err := st.Source(ctx, src.ID); err != nil || s.Waiting == "" {
		t.Errorf("%+v %v", s, err)
	}
}

// Whatever takes long is listed while it goes on, with how far it has come, and can be
// stopped; a programme's summary counts what is to do.
func TestWorkAndSummaries(t *testing.T) {
	st, _ := testdb.Open(t)
	ctx := context.Background()
	src, sh := shot(t, st, 20)
	kinds := func() map[string]store.Work {
		t.Helper()
		all, err := st.Work(ctx)
		if err != nil {
			t.Fatal(err)
		}
		m := map[string]store.Work{}
		for _, w := range all {
			m[w.Kind] = w
		}
		return m
	}
	if w := kinds()["import"]; w.ID != src.ID || w.Frames != 20 || w.State != store.Queued {
		t.Fatalf("an import that waits: %+v", w)
	}
	src.Frames, src.Digest = 20, "digest"
	if err := st.FinishSource(ctx, src); err != nil {
		t.Fatal(err)
	}
	if wanted, err := st.SetSearch(ctx, src.ID, 7); err != nil || !wanted {
		t.Fatal(wanted, err)
	}
	if w := kinds()["search"]; w.Done != 7 || w.Frames != 20 || !w.By {
		t.Errorf("a search: %+v", w)
	}
	if err := st.StopSearch(ctx, src.ID); err != nil {
		t.Fatal(err)
	}
	if wanted, err := st.SetSearch(ctx, src.ID, 8); err != nil || wanted {
		t.Errorf("a search that was stopped is wanted: %v %v", wanted, err)
	}
	if err := st.Check(ctx, sh.ID, false); err != nil {
		t.Fatal(err)
	}
	if w := kinds()["check"]; w.ID != sh.ID || w.By || w.Name != sh.Name {
		t.Errorf("a check that somebody asked for: %+v", w)
	}
	if err := errors.Join(st.Find(ctx, src.ID, "Ada", false), st.WantDrafts(ctx, src.Programme, "Ada", nil)); err != nil {
		t.Fatal(err)
	}
	if _, err := st.SetFind(ctx, src.ID, 5); err != nil {
		t.Fatal(err)
	}
	if now := kinds(); now["find"].ID != src.ID || now["find"].Done != 5 || now["find"].By ||
		now["draft"].ID != src.Programme {
		t.Errorf("what is looked for, and drafted: %+v", now)
	}
	if err := errors.Join(st.StopFind(ctx, src.ID), st.StopDrafts(ctx, src.Programme)); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(st.StopCheck(ctx, sh.ID), st.StopSearch(ctx, src.ID)); !errors.Is(err, store.ErrNone) {
		t.Errorf("what was stopped is stopped again: %v", err)
	}
	if wanted, err := st.SetCheckRun(ctx, sh.ID, 1, 2); err != nil || wanted {
		t.Errorf("a check that was stopped is wanted: %v %v", wanted, err)
	}
	if left := kinds(); len(left) > 0 {
		t.Errorf("left: %+v", left)
	}
	item, err := st.AddItem(ctx, sh.ID, clearance.Details{Name: "Plate", Kind: "plate"})
	if err != nil {
		t.Fatal(err)
	}
	all, err := st.Summaries(ctx)
	if err != nil || len(all) != 1 {
		t.Fatal(all, err)
	}
	if p := all[0]; p.ID != item.Programme || p.Shots != 1 || p.Counts()["todo"] != 1 || p.Source != src.ID ||
		p.Frame > 19 {
		t.Errorf("%+v", p)
	}
}

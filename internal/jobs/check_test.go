package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/cut"
	"celator/core/frame"
	"celator/core/geom"
	"celator/internal/await"
	"celator/internal/checkrun"
	"celator/internal/media"
	"celator/internal/store"
)

// However a shot is edited while checks run, of what they find part by part comes out what
// one check of the whole finds, once each, and nothing is left waiting.
//
// Long: one scenario, told from its beginning to its end.
func TestChecksCatchUp(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip()
	}
	ctx := context.Background()
	b := open(t)
	src, shot := b.bring(t, 2, "480x270")
	b.work(t)
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	edit := func(cmds ...cover.Command) {
		t.Helper()
		for {
			head, err := b.st.Head(ctx, shot.ID)
			if err != nil {
				t.Fatal(err)
			}
			_, err = b.st.Edit(ctx, shot.ID, store.On{Base: head.Number, Author: "me"},
				func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) })
			var conflict *store.Conflict
			if errors.As(err, &conflict) {
				continue
			}
			if err != nil {
				t.Fatal(err)
			}
			return
		}
	}
	mosaic := func(cell float64) []cover.Treatment {
		m := cover.NewTreatment("t", cover.Mosaic)
		m.Cell = cover.ConstPair(cell, cell)
		return []cover.Treatment{m}
	}
	for i, at := range []geom.Rect{
		{Min: geom.Pt(130, 70), Max: geom.Pt(300, 150)},
		{Min: geom.Pt(20, 170), Max: geom.Pt(150, 250)},
	} {
		id := fmt.Sprint("c", i)
		edit(cover.AddCover{New: cover.Cover{
			ID: id, Name: id, Span: cover.Span{First: 5, Last: 40}, Treatments: mosaic(2),
			Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Frame: 5, Knots: geom.Box(at)}}}},
		}})
	}
	caughtUp := func(what string) []store.Finding {
		t.Helper()
		await.That(t, what, func() (store.CheckRun, error) { return b.st.CheckRun(ctx, shot.ID) },
			func(i store.CheckRun) bool {
				n, err := b.st.HeadNumber(ctx, shot.ID)
				return i.State == "done" && i.Revision == n && err == nil
			})
		found, err := b.st.Findings(ctx, shot.ID)
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	first := caughtUp("the first check")
	if !slices.ContainsFunc(first, func(f store.Finding) bool { return f.Kind == check.Readable && f.Cover == "c1" }) {
		t.Fatalf("cells of two pixels: %+v", first)
	}

	rng := rand.New(rand.NewSource(9))
	for range 14 {
		c := fmt.Sprint("c", rng.Intn(2))
		switch rng.Intn(5) {
		case 0:
			edit(cover.SetTreatments{Cover: c, Treatments: mosaic(float64(2 + rng.Intn(20)))})
		case 1:
			edit(cover.SetTreatments{Cover: c, Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Fill)}})
		case 2:
			edit(cover.SetSpan{Cover: c, Span: cover.Span{First: 2 + rng.Intn(5), Last: 36 + rng.Intn(8)}})
		case 3:
			edit(cover.RenameCover{Cover: c, Name: fmt.Sprint("Name ", rng.Intn(99))})
		case 4:
			if err := b.st.Check(ctx, shot.ID, rng.Intn(2) == 0); err != nil {
				t.Fatal(err)
			}
		}
		time.Sleep(time.Duration(rng.Intn(900)) * time.Millisecond)
	}
	edit(cover.SetTreatments{Cover: "c0", Treatments: mosaic(3)}) // so that there is something to find
	found := caughtUp("the last check")
	head, err := b.st.Head(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	reel, source, err := b.st.WithSource(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	clip, _, err := b.lib.Shot(reel, source)
	if err != nil {
		t.Fatal(err)
	}
	whole, err := checkrun.Run(ctx, checkrun.Job{
		Source: source.Digest, Clip: clip, Document: head.Document,
		Cuts: []int{},
	})
	if err != nil {
		t.Fatal(err)
	}
	var got, want []string
	for _, f := range found {
		got = append(got, fmt.Sprint(f.Kind, f.Cover, f.Frames.V, f.State))
	}
	for _, f := range whole {
		want = append(want, fmt.Sprint(f.Kind, f.Cover, f.Frames, check.Open))
	}
	slices.Sort(got)
	slices.Sort(want)
	if len(want) == 0 || !slices.Equal(got, want) {
		t.Errorf("part by part %v, at once %v", got, want)
	}
	var waiting int
	if err := b.st.QueuePool().QueryRow(ctx, `SELECT count(*) FROM river_job WHERE kind = 'check' AND state NOT
		IN ('completed', 'cancelled', 'discarded')`).Scan(&waiting); err != nil || waiting > 0 {
		t.Errorf("%d checks wait, %v", waiting, err)
	}
}

// held is a bench where somebody works without a pause; the first frame that a job shows
// it is held until it is let go.
type held struct {
	first chan struct{} // closed when a job shows a frame
	let   chan struct{} // closed lets it go on
	held  atomic.Bool
}

func (h *held) Kept(string, media.Clip, int) *frame.Picture { return nil }
func (h *held) Quiet() time.Duration                        { return 0 }
func (h *held) Keep(string, media.Clip, int, *frame.Picture) {
	if h.held.CompareAndSwap(false, true) {
		close(h.first)
		<-h.let
	}
}

// Who asks for a shot to be checked does not wait for what is checked by the way.
func TestAskedCheckGoesAtOnce(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, _ := b.bring(t, 2, "320x180")
	at := &held{first: make(chan struct{}), let: make(chan struct{})}
	r, err := Start(ctx, Config{Store: b.st, Library: b.lib, Log: slog.New(slog.DiscardHandler), Bench: at})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(r.Stop)
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	shots, err := b.st.CutShots(ctx, src.ID, []cut.Boundary{{Frame: 25}})
	if err != nil || len(shots) != 2 {
		t.Fatal(shots, err)
	}
	edit := func(shot string) {
		t.Helper()
		_, err := b.st.Edit(ctx, shot, store.On{Author: "me"},
			func(d *cover.Document) (*cover.Document, string, error) {
				return d.Apply(cover.AddCover{New: *box("c")})
			})
		if err != nil {
			t.Fatal(err)
		}
	}
	edit(shots[0].ID)
	<-at.first
	edit(shots[1].ID)
	if err := b.st.Check(ctx, shots[1].ID, false); err != nil {
		t.Fatal(err)
	}
	state := func(shot string) func() (store.CheckRun, error) {
		return func() (store.CheckRun, error) { return b.st.CheckRun(ctx, shot) }
	}
	done := func(c store.CheckRun) bool { return c.State == "done" && c.Revision == 1 && !c.Awaited }
	await.That(t, "the check that was asked for", state(shots[1].ID), done)
	if c, err := state(shots[0].ID)(); err != nil || done(c) {
		t.Fatalf("the other was not held: %+v %v", c, err)
	}
	close(at.let)
	await.That(t, "the other check", state(shots[0].ID), done)
}

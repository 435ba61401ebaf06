package jobs

import (
	"context"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/internal/await"
	"celator/internal/deliver"
	"celator/internal/intake"
	"celator/internal/media"
	"celator/internal/store"
)

// order puts a delivery of a whole shot into the queue.
func (b bench) order(t *testing.T, src store.Source, shot, name string) store.Delivery {
	t.Helper()
	ctx := context.Background()
	sh, err := b.st.Shot(ctx, shot)
	if err != nil {
		t.Fatal(err)
	}
	rev, err := b.st.Head(ctx, shot)
	if err != nil {
		t.Fatal(err)
	}
	plan, err := PlanShot(ctx, sh, src, deliver.Job{
		Preset: media.Presets["archive"], Parts: deliver.Whole(rev.Document), Last: sh.Frames - 1, Total: src.Frames,
		Clip: media.Clip{Info: src.Info.V}, Original: src.Info.V,
	})
	d := store.Delivery{
		ID: store.NewID(), Shot: shot, Revision: rev.Number, Preset: "archive", Name: name, Frames: sh.Frames,
	}
	if err == nil {
		err = b.st.AddDelivery(ctx, d, plan)
	}
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// A delivery rests and goes on without rendering again what was finished; one that is put before others is done
// before them; one that was cancelled while it rested does not go on.
func TestPauseAndPriority(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, sh := b.bring(t, 20, "320x180")
	b.work(t)
	src = await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	delivery := func(id string) func() (store.Delivery, error) {
		return func() (store.Delivery, error) { return b.st.Delivery(ctx, id) }
	}
	if _, err := b.st.Edit(ctx, sh.ID, store.On{Author: "test"}, func(d *cover.Document) (*cover.Document, string, error) {
		return d.Apply(cover.AddCover{New: *box("a")})
	}); err != nil {
		t.Fatal(err)
	}
	d := b.order(t, src, sh.ID, "rests.mkv")
	await.That(t, "its first segment", delivery(d.ID), func(d store.Delivery) bool { return d.Rendered >= SegmentFrames })
	if err := b.st.PauseDelivery(ctx, d.ID); err != nil {
		t.Fatal(err)
	}
	if err := b.st.PauseDelivery(ctx, d.ID); err == nil {
		t.Error("it is paused twice")
	}
	// Another one goes through meanwhile; its segments are found finished where the first had come to.
	other := b.order(t, src, sh.ID, "other.mkv")
	await.That(t, "the other", delivery(other.ID), func(d store.Delivery) bool { return d.State == store.Done })
	if now, err := b.st.Delivery(ctx, d.ID); err != nil || now.State != store.Paused {
		t.Fatalf("%s while it rests, %v", now.State, err)
	}
	if err := b.st.ResumeDelivery(ctx, d.ID); err != nil {
		t.Fatal(err)
	}
	done := await.That(t, "what rested", delivery(d.ID), store.Delivery.Ended)
	if done.State != store.Done || done.Proof.V.Compared != 500 || done.Rendered != 500 {
		t.Fatalf("%+v", done)
	}
	if err := b.st.ResumeDelivery(ctx, d.ID); err == nil {
		t.Error("what is done is gone on with")
	}

	// In another order: the last is put before the first, which goes on only then.
	edit := func(base int, grow float64) {
		t.Helper()
		if _, err := b.st.Edit(ctx, sh.ID, store.On{Base: base, Author: "test"},
			func(d *cover.Document) (*cover.Document, string, error) {
				return d.Apply(cover.SetNumber{Cover: "a", Lane: "grow", Scope: cover.WholeSpan, Number: grow})
			}); err != nil {
			t.Fatal(err)
		}
	}
	edit(1, 3)
	one := b.order(t, src, sh.ID, "one.mkv")
	if err := b.st.PauseDelivery(ctx, one.ID); err != nil {
		t.Fatal(err)
	}
	if err := b.st.Prefer(ctx, one.ID, store.After); err != nil {
		t.Fatal(err)
	}
	edit(2, 5)
	two := b.order(t, src, sh.ID, "two.mkv")
	if err := b.st.Prefer(ctx, two.ID, store.Before); err != nil {
		t.Fatal(err)
	}
	if err := b.st.ResumeDelivery(ctx, one.ID); err != nil {
		t.Fatal(err)
	}
	first := await.That(t, "the last", delivery(two.ID), store.Delivery.Ended)
	last := await.That(t, "the first", delivery(one.ID), store.Delivery.Ended)
	if first.State != store.Done || last.State != store.Done || first.Finished.After(*last.Finished) {
		t.Errorf("%s at %v, %s at %v", first.State, first.Finished, last.State, last.Finished)
	}
	gone := b.order(t, src, sh.ID, "gone.mkv")
	if b.st.PauseDelivery(ctx, gone.ID) != nil || b.st.CancelDelivery(ctx, gone.ID) != nil ||
		b.st.ResumeDelivery(ctx, gone.ID) == nil {
		t.Error("what was cancelled while it rested goes on")
	}
}

// A finished file is handed over although nobody is there at first, and although the worker is stopped meanwhile;
// a refusal stands, in words.
func TestHandover(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, sh := b.bring(t, 2, "160x90")
	runner := b.work(t)
	src = await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	d := b.order(t, src, sh.ID, "week 12.mkv")
	done := await.That(t, "the delivery", func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) },
		store.Delivery.Ended)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := "http://" + l.Addr().String()
	l.Close() // nobody is there yet
	over := func(name string) store.Handover {
		t.Helper()
		h := store.Handover{ID: store.NewID(), Delivery: d.ID, Intake: name, Address: address, By: "Ada"}
		if err := b.st.AddHandover(ctx, h); err != nil {
			t.Fatal(err)
		}
		return h
	}
	handover := func(id string) func() (store.Handover, error) {
		return func() (store.Handover, error) { return b.st.Handover(ctx, id) }
	}
	h := over("station")
	await.That(t, "that it says why it waits", handover(h.ID), func(h store.Handover) bool { return h.Waiting != "" })
	runner.Stop()
	b.work(t)

	dir := t.TempDir()
	in, err := intake.Open(dir, intake.Usual, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	handler, err := in.Handler(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if l, err = net.Listen("tcp", l.Addr().String()); err != nil {
		t.Fatal(err)
	}
	server := &http.Server{Handler: handler}
	go server.Serve(l)
	defer server.Close()
	if h := await.That(t, "the receipt", handover(h.ID), store.Handover.Ended); h.State != store.Acknowledged ||
		h.Sent != done.Size || h.Finished == nil {
		t.Fatalf("%+v", h)
	}
	if _, err := os.Stat(filepath.Join(dir, "accepted", "week 12.mkv")); err != nil {
		t.Error(err)
	}
	// The intake keeps what it took; another file of the name is refused, and that is final.
	if err := os.WriteFile(filepath.Join(dir, "accepted", "week 12.mkv"), []byte("older"), 0o600); err != nil {
		t.Fatal(err)
	}
	refused := handover(over("station").ID)
	if h := await.That(t, "the refusal", refused, store.Handover.Ended); h.State != store.TurnedDown ||
		h.Reason == "" {
		t.Fatalf("%+v", h)
	}
	if err := os.Remove(b.lib.DeliveryFile(d.ID, "week 12.mkv")); err != nil {
		t.Fatal(err)
	}
	last := over("station").ID
	if h := await.That(t, "the end without a file", handover(last), store.Handover.Ended); h.State != store.Failed {
		t.Errorf("%+v", h)
	}
	if all, err := b.st.Handovers(ctx, d.ID, ""); err != nil || len(all) != 3 {
		t.Errorf("%d handovers, %v", len(all), err)
	}
}

package jobs

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/internal/media"
	"celator/internal/store"
)

// A damaged source is refused and says so; taken as it is it comes in with all its frames, and its
// delivery is proved and tells which of them are not as they were.
func TestDamagedSourceTakenAsItIs(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, shot := b.bring(t, 3, "320x180")
	path := filepath.Join(b.dir, "clip.mp4")
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	spoilt := append([]byte{}, whole...)
	clear(spoilt[len(spoilt)/2 : len(spoilt)/2+len(spoilt)/20])
	if err := os.WriteFile(path, spoilt, 0o600); err != nil {
		t.Fatal(err)
	}
	b.work(t)
	get := func() (store.Source, error) { return b.st.Source(ctx, src.ID) }
	ended := func(s store.Source) bool { return s.State == store.Failed || s.State == store.Ready }
	if s := wait(t, "the refusal", get, ended); s.State != store.Failed || s.Damage != store.DamageFound ||
		!strings.Contains(s.Error, "damaged") {
		t.Fatalf("%+v", s)
	}
	if err := b.st.RetrySource(ctx, src.ID, true); err != nil {
		t.Fatal(err)
	}
	src = wait(t, "the source", get, ended)
	if src.State != store.Ready || src.Frames != 75 || src.Damage != store.DamageTaken || src.Info.V.Damage == nil {
		t.Fatalf("%+v", src)
	}
	rev, err := b.st.Edit(ctx, shot.ID, store.On{Author: "test"},
		func(d *cover.Document) (*cover.Document, string, error) {
			return d.Apply(cover.AddCover{New: *box("a")})
		})
	if err != nil {
		t.Fatal(err)
	}
	sh, err := b.st.Shot(ctx, shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	plan, err := Plan(sh, src, rev.Document, media.Presets["archive"], cover.Span{First: 0, Last: 74}, false)
	if err != nil {
		t.Fatal(err)
	}
	d := store.Delivery{
		ID: store.NewID(), Shot: shot.ID, Revision: rev.Number, Preset: "archive", Name: "out.mkv", Frames: 75,
	}
	if err := b.st.AddDelivery(ctx, d, plan); err != nil {
		t.Fatal(err)
	}
	d = wait(t, "the delivery", func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) },
		func(d store.Delivery) bool { return d.State == store.Done || d.State == store.Failed })
	if p := d.Proof.V; p == nil || p.Compared != 75 || len(p.Damage) == 0 ||
		!strings.Contains(p.Damage[0], "damaged (frame") {
		t.Errorf("%+v, proof %+v", d, p)
	}
}

package jobs

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/internal/await"
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
	if s := await.That(t, "the refusal", get, ended); s.State != store.Failed || s.Damage != store.DamageFound ||
		!strings.Contains(s.Error, "damaged") {
		t.Fatalf("%+v", s)
	}
	// Tried again as it is it is refused again.
	if err := b.st.RetrySource(ctx, src.ID, false); err != nil {
		t.Fatal(err)
	}
	if s := await.That(t, "the second refusal", get, ended); s.State != store.Failed || s.Damage != store.DamageFound {
		t.Fatalf("%+v", s)
	}
	if err := b.st.RetrySource(ctx, src.ID, true); err != nil {
		t.Fatal(err)
	}
	src = await.That(t, "the source", get, ended)
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
	d = await.That(t, "the delivery", func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) },
		func(d store.Delivery) bool { return d.State == store.Done || d.State == store.Failed })
	if p := d.Proof.V; p == nil || p.Compared != 75 || len(p.Damage) == 0 ||
		!strings.Contains(p.Damage[0], "damaged (frame") {
		t.Errorf("%+v, proof %+v", d, p)
	}
}

// A file that is cut short says so however often it is tried, though all that is there can be decoded; put right it
// comes in.
func TestCutSourceTriedAgain(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src, _ := b.bring(t, 2, "320x180")
	path := filepath.Join(b.dir, "clip.mp4")
	cut := filepath.Join(b.dir, "cut.mxf")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-an", "-c:v", "mpeg2video", "-g", "1",
		"-b:v", "8M", "-pix_fmt", "yuv422p", cut).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	whole, err := os.ReadFile(cut)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(cut, whole[:len(whole)*6/10], 0o600); err != nil {
		t.Fatal(err)
	}
	info, err := media.Probe(ctx, cut)
	if !errors.Is(err, media.ErrDamaged) {
		t.Fatalf("a cut file: %v", err)
	}
	cutSource := store.Source{
		ID: store.NewID(), Programme: src.Programme, Name: "cut", Place: "media", Path: "cut.mxf", State: store.Failed,
		Error: err.Error(), Damage: store.DamageFound, Info: store.JSON[media.Info]{V: info}, Frames: info.Frames,
	}
	if _, err := b.st.AddSource(ctx, cutSource); err != nil {
		t.Fatal(err)
	}
	b.work(t)
	get := func() (store.Source, error) { return b.st.Source(ctx, cutSource.ID) }
	ended := func(s store.Source) bool { return s.State == store.Failed || s.State == store.Ready }
	try := func() store.Source {
		t.Helper()
		if err := b.st.RetrySource(ctx, cutSource.ID, false); err != nil {
			t.Fatal(err)
		}
		return await.That(t, "another try", get, ended)
	}
	if s := try(); s.State != store.Failed || s.Damage != store.DamageFound {
		t.Errorf("%+v", s)
	}
	if err := os.WriteFile(cut, whole, 0o600); err != nil {
		t.Fatal(err)
	}
	if s := try(); s.State != store.Ready || s.Frames != 50 || s.Damage != "" {
		t.Errorf("put right: %+v", s)
	}
}

package jobs

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/core/cut"
	"celator/internal/certificate"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/store"
)

// A master goes out as one file with the covers of its shots: what is untouched as it is coded; a change in one shot
// renders that shot's touched segments alone; its shots' own segments are its segments too.
//
// Long: one scenario, told from its beginning to its end.
func TestMaster(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	path := filepath.Join(b.dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		"testsrc2=size=320x180:rate=25:duration=6", "-f", "lavfi", "-i", "sine=duration=6", "-c:v",
		"prores_ks", "-pix_fmt", "yuv422p10le", "-c:a", "pcm_s24le",
		"-f", "mov", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	src := b.enter(t, "clip.mp4")
	b.work(t)
	source := func() (store.Source, error) { return b.st.Source(ctx, src.ID) }
	src = wait(t, "the source", source, func(s store.Source) bool { return s.State == store.Ready && s.Searched })
	shots, err := b.st.CutShots(ctx, src.ID, []cut.Boundary{{Frame: 40}, {Frame: 100}})
	if err != nil || len(shots) != 3 {
		t.Fatalf("%d shots, %v", len(shots), err)
	}
	edit := func(shot string, base int, cmds ...cover.Command) store.Revision {
		t.Helper()
		r, err := b.st.Edit(ctx, shot, store.On{Base: base, Author: "test"},
			func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) })
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	preset, err := src.Info.V.Same()
	if err != nil {
		t.Fatal(err)
	}
	deliverIt := func(name string) store.Delivery {
		t.Helper()
		j := deliver.Job{
			Preset: preset, Last: src.Frames - 1, Total: src.Frames, Sound: path, Original: src.Info.V, Out: path + ".x",
		}
		if j.Clip, err = b.lib.Clip(src); err != nil {
			t.Fatal(err)
		}
		d := store.Delivery{ID: store.NewID(), Source: src.ID, Preset: media.SourcePreset, Name: name, Frames: src.Frames}
		for _, sh := range shots {
			rev, err := b.st.Head(ctx, sh.ID)
			if err != nil {
				t.Fatal(err)
			}
			j.Parts = append(j.Parts, deliver.Part{First: sh.First, Last: sh.Last(), Document: rev.Document})
			d.Contents.V = append(d.Contents.V, store.Content{
				Shot: sh.ID, Name: sh.Name, Revision: rev.Number, First: sh.First, Last: sh.Last(),
			})
		}
		plan, err := PlanMaster(ctx, src, shots, j)
		if err == nil {
			err = b.st.AddDelivery(ctx, d, plan)
		}
		if err != nil {
			t.Fatal(err)
		}
		return wait(t, name, func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) }, store.Delivery.Ended)
	}
	// Nothing is covered yet: all of it is copied.
	if d := deliverIt("bare.mov"); d.State != store.Done || d.Proof.V.Copied != 150 {
		t.Fatalf("%+v %+v", d, d.Proof.V)
	}
	first := edit(shots[0].ID, 0, cover.AddCover{New: *box("a")}) // on its frames 0 to 10
	edit(shots[2].ID, 0, cover.AddCover{New: *box("c")})
	d := deliverIt("master.mov")
	if p := d.Proof.V; d.State != store.Done || p.Copied != 128 || p.Coded != 22 || p.Touched != 22 || p.Samples == 0 {
		t.Fatalf("%+v %+v", d, p)
	}
	signed, err := os.ReadFile(b.lib.CertificateFile(d.ID, d.Name))
	if err != nil {
		t.Fatal(err)
	}
	key, err := certificate.Key(b.dir)
	if err != nil {
		t.Fatal(err)
	}
	if s, by, err := certificate.Open(signed, nil); err != nil || !by.Equal(key.Public()) || s.File.SHA256 != d.SHA256 ||
		len(s.Shots) != 3 || s.Shots[0].Revision != 1 || s.Source.Digest != src.Digest {
		t.Errorf("the certificate states %+v, %v", s, err)
	}
	edit(shots[0].ID, first.Number, cover.SetNumber{Cover: "a", Lane: "grow", Scope: cover.WholeSpan, Number: 3})
	if d := deliverIt("again.mov"); d.State != store.Done || d.Rendered != 22 || d.Reused != 11 {
		t.Fatalf("%+v", d)
	}
	// The revision that went out last is known of each shot.
	if rev, name, err := b.st.LatestDelivery(ctx, shots[2].ID); err != nil || name != "again.mov" || rev != 1 {
		t.Errorf("revision %d in %s, %v", rev, name, err)
	}
	if _, _, err := b.st.LatestDelivery(ctx, store.NewID()); !errors.Is(err, store.ErrNone) {
		t.Errorf("a shot that is not there: %v", err)
	}
	if f, err := b.st.Deliveries(ctx, src.Programme); err != nil || len(f) != 3 || f[0].Shot != "" ||
		fmt.Sprint(len(f[0].Contents.V)) != "3" {
		t.Errorf("%d deliveries, %v", len(f), err)
	}
}

package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/core/cut"
	"celator/internal/await"
	"celator/internal/certificate"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/store"
)

// cutMaster is a master cut into three shots, which is delivered as the source.
type cutMaster struct {
	bench
	src   store.Source
	shots []store.Shot
}

// newMaster brings in a master of some seconds, by a worker that stops afterwards, and cuts it.
func newMaster(t *testing.T, seconds int) *cutMaster {
	t.Helper()
	ctx := context.Background()
	m := &cutMaster{bench: open(t)}
	path := filepath.Join(m.dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		fmt.Sprintf("testsrc2=size=320x180:rate=25:duration=%d", seconds), "-f", "lavfi", "-i",
		fmt.Sprintf("sine=duration=%d", seconds), "-c:v", "prores_ks", "-pix_fmt", "yuv422p10le", "-c:a", "pcm_s24le",
		"-f", "mov", path).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	m.src = m.enter(t, "clip.mp4")
	r, err := Start(ctx, Config{Store: m.st, Library: m.lib, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Stop()
	m.src = await.That(t, "the source", func() (store.Source, error) { return m.st.Source(ctx, m.src.ID) },
		func(s store.Source) bool { return s.State == store.Ready && s.Searched })
	if m.shots, err = m.st.CutShots(ctx, m.src.ID, []cut.Boundary{{Frame: 40}, {Frame: 100}}); err != nil ||
		len(m.shots) != 3 {
		t.Fatalf("%d shots, %v", len(m.shots), err)
	}
	return m
}

func (m *cutMaster) edit(t *testing.T, shot string, base int, cmds ...cover.Command) store.Revision {
	t.Helper()
	r, err := m.st.Edit(context.Background(), shot, store.On{Base: base, Author: "test"},
		func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) })
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// order puts a delivery of it into the queue.
func (m *cutMaster) order(t *testing.T, name string) store.Delivery {
	t.Helper()
	ctx := context.Background()
	preset, err := m.src.Info.V.Same()
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(m.dir, "clip.mp4")
	j := deliver.Job{
		Preset: preset, Last: m.src.Frames - 1, Total: m.src.Frames, Sound: path, Original: m.src.Info.V, Out: path + ".x",
	}
	if j.Clip, err = m.lib.Clip(m.src); err != nil {
		t.Fatal(err)
	}
	d := store.Delivery{ID: store.NewID(), Source: m.src.ID, Preset: media.SourcePreset, Name: name, Frames: m.src.Frames}
	for _, sh := range m.shots {
		rev, err := m.st.Head(ctx, sh.ID)
		if err != nil {
			t.Fatal(err)
		}
		j.Parts = append(j.Parts, deliver.Part{First: sh.First, Last: sh.Last(), Document: rev.Document})
		d.Contents.V = append(d.Contents.V, store.Content{
			Shot: sh.ID, Name: sh.Name, Revision: rev.Number, First: sh.First, Last: sh.Last(),
		})
	}
	plan, err := PlanMaster(ctx, m.src, m.shots, j)
	if err == nil {
		err = m.st.AddDelivery(ctx, d, plan)
	}
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// A master goes out as one file with the covers of its shots: what is untouched as it is coded; a change in one shot
// renders that shot's touched segments alone; its shots' own segments are its segments too.
//
// Long: one scenario, told from its beginning to its end.
func TestMaster(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	m := newMaster(t, 6)
	m.work(t)
	b, src, shots := m.bench, m.src, m.shots
	edit := func(shot string, base int, cmds ...cover.Command) store.Revision {
		return m.edit(t, shot, base, cmds...)
	}
	deliverIt := func(name string) store.Delivery {
		t.Helper()
		d := m.order(t, name)
		return await.That(t, name, func() (store.Delivery, error) { return b.st.Delivery(ctx, d.ID) }, store.Delivery.Ended)
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

// A master comes out whole though its worker is killed while it is rendered, joined or verified: what was finished is
// not made again, and nothing but the file and its certificate is left.
func TestMasterSurvivesKills(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	t.Parallel()
	ctx := context.Background()
	m := newMaster(t, 40)
	first := m.edit(t, m.shots[0].ID, 0, cover.AddCover{New: *box("a")})
	m.edit(t, m.shots[2].ID, 0, cover.AddCover{New: *box("c")})
	for k, stage := range []string{store.Rendering, store.Joining, store.Verifying} {
		caught := false
		for try := 0; !caught; try++ {
			if try == 10 {
				t.Fatalf("it was never seen %s", stage)
			}
			first = m.edit(t, m.shots[0].ID, first.Number, cover.SetNumber{
				Cover: "a", Lane: "grow", Scope: cover.WholeSpan, Number: float64(10*k + try + 1),
			})
			d := m.order(t, fmt.Sprint(stage, try, ".mov"))
			get := func() (store.Delivery, error) { return m.st.Delivery(ctx, d.ID) }
			cmd := m.child(t)
			d = await.That(t, stage, func() (store.Delivery, error) {
				for { // some last for a few hundredths of a second
					d, err := get()
					if err != nil || d.State != store.Queued && d.State != store.Rendering || d.State == stage {
						return d, err
					}
				}
			}, func(d store.Delivery) bool { return d.State == stage || d.Ended() })
			cmd.Process.Kill()
			cmd.Wait()
			if d, err := get(); err != nil {
				t.Fatal(err)
			} else {
				caught = d.State == stage
			}
			cmd = m.child(t)
			d = await.That(t, "the end", get, store.Delivery.Ended)
			cmd.Process.Kill()
			cmd.Wait()
			if p := d.Proof.V; d.State != store.Done || p.Copied != 1000-22 || p.Coded != 22 {
				t.Fatalf("killed while %s: %+v %+v", stage, d, p)
			}
			left, err := os.ReadDir(filepath.Dir(m.lib.DeliveryFile(d.ID, d.Name)))
			if err != nil || len(left) != 2 {
				t.Errorf("killed while %s, it leaves %v, %v", stage, left, err)
			}
		}
	}
}

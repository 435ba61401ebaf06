package jobs

import (
	"context"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cut"
	"celator/core/proposal"
	"celator/core/reading"
	"celator/internal/await"
	"celator/internal/lettering"
	"celator/internal/reader"
	"celator/internal/store"
)

// plated makes a clip of six seconds through which a plate moves, and enters it.
func (b bench) plated(t *testing.T) store.Source {
	t.Helper()
	board := image.NewRGBA(image.Rect(0, 0, 220, 60))
	draw.Draw(board, board.Rect, image.White, image.Point{}, draw.Src)
	if err := lettering.Write(board, "KS 47 OH", 26, image.Pt(20, 43), color.Black); err != nil {
		t.Fatal(err)
	}
	w, err := os.Create(filepath.Join(b.dir, "board.png"))
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	if err := png.Encode(w, board); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		"gradients=size=640x360:rate=25:duration=6:c0=0x304050:c1=0x607080:speed=0.00001:seed=3", "-i", w.Name(),
		"-filter_complex", "[0][1]overlay=x=40+40*t:y=120+10*t", "-c:v", "libx264", "-preset", "ultrafast", "-crf", "16",
		"-pix_fmt", "yuv420p", filepath.Join(b.dir, "plate.mp4")).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	return b.enter(t, "plate.mp4")
}

// A source is looked through from cut to cut; a worker that is killed in the middle loses the piece that it was at and
// nothing else. Without what reads, why is said, and what was brought later goes on.
func TestFind(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	src := b.plated(t)
	run := func() (store.FindRun, error) { return b.st.FindRun(ctx, src.ID) }

	r, err := Start(ctx, Config{
		Store: b.st, Library: b.lib, Log: slog.New(slog.DiscardHandler), Reader: reader.New(t.TempDir(), 1),
	})
	if err != nil {
		t.Fatal(err)
	}
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready && s.Searched })
	if err := b.st.SetBoundaries(ctx, src.ID, []cut.Boundary{{Frame: 50}, {Frame: 100}}); err != nil {
		t.Fatal(err)
	}
	if err := b.st.Find(ctx, src.ID, "me", false); err != nil {
		t.Fatal(err)
	}
	failed := await.That(t, "the end without a reader", run, func(f store.FindRun) bool { return f.State == store.Failed })
	if !strings.Contains(failed.Error, "make models") {
		t.Errorf("it says %q", failed.Error)
	}
	r.Stop()

	if err := b.st.Find(ctx, src.ID, "me", false); err != nil {
		t.Fatal(err)
	}
	child := exec.Command("/proc/self/exe")
	child.Env = append(os.Environ(), "CELATOR_TEST_WORKER="+b.url, "CELATOR_TEST_STORE="+b.dir)
	if err := child.Start(); err != nil {
		t.Fatal(err)
	}
	half := await.That(t, "the first piece", run, func(f store.FindRun) bool { return f.Done >= 50 })
	child.Process.Kill()
	child.Wait()
	if half.State == store.Done {
		t.Fatal("it was done before it could be killed")
	}
	b.work(t)
	end := await.That(t, "the end", run, func(f store.FindRun) bool {
		return f.State == store.Done || f.State == store.Failed
	})
	if end.State != store.Done || end.Done != 150 || end.Looked < 6 || end.Looked > 12 {
		t.Errorf("it ended as %+v", end)
	}
	all, err := b.st.Proposals(ctx, src.Programme)
	if err != nil || len(all) != 3 {
		t.Fatalf("%d proposals, %v: %+v", len(all), err, all)
	}
	for i, p := range all {
		if p.Kind != proposal.Plate || reading.Fold(p.Text) != "KS47OH" || p.First != 50*i || p.Last != 50*i+49 {
			t.Errorf("piece %d: %s %q from %d to %d", i, p.Kind, p.Text, p.First, p.Last)
		}
		x := 40 + 40*float64(p.Frame)/25 + 110
		if c := p.Best().Quad.Centre(); c.X < x-12 || c.X > x+12 {
			t.Errorf("piece %d: on frame %d it stands at %v, not at %.0f", i, p.Frame, c, x)
		}
		if b, err := b.st.ProposalStill(ctx, p.ID); err != nil || len(b) == 0 {
			t.Errorf("piece %d has no still: %v", i, err)
		}
	}
}

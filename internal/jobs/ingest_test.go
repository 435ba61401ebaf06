package jobs

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"celator/internal/await"
	"celator/internal/media"
	"celator/internal/store"
)

// A long source is brought in in pieces: a worker that is killed in the middle loses one of them, another takes up the
// others, and what comes out is what decoding it at one go gives.
func TestLongSourceSurvivesKill(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	path := filepath.Join(b.dir, "long.mp4")
	if err := media.Run(ctx, []string{
		"-f", "lavfi", "-i", "testsrc2=size=160x90:rate=25:duration=1200", "-f", "lavfi", "-i", "sine=duration=1200",
		"-c:v", "libx264", "-preset", "ultrafast", "-g", "50", "-pix_fmt", "yuv420p", path,
	}, nil); err != nil {
		t.Fatal(err)
	}
	src := b.enter(t, "long.mp4")
	w := exec.Command(os.Args[0])
	w.Env = append(os.Environ(), "CELATOR_TEST_WORKER="+b.url, "CELATOR_TEST_STORE="+b.dir)
	if err := w.Start(); err != nil {
		t.Fatal(err)
	}
	defer w.Process.Kill()
	pieces := func() ([]store.Piece, error) { return b.st.Pieces(ctx, src.ID) }
	await.That(t, "two pieces", pieces, func(l []store.Piece) bool { return len(l) == 10 && l[1].Finished })
	w.Process.Kill()
	w.Wait()
	l, err := pieces()
	if err != nil || !slices.ContainsFunc(l, func(p store.Piece) bool { return !p.Finished }) {
		t.Fatalf("nothing is left to do: %+v, %v", l, err)
	}
	first := filepath.Join(b.lib.Dir(src.ID), "pieces", "00000.sum")
	was, err := os.Stat(first)
	if err != nil {
		t.Fatal(err)
	}
	b.work(t)
	await.That(t, "that it goes on", pieces, func(l []store.Piece) bool { return l[4].Finished })
	if now, err := os.Stat(first); err == nil && !now.ModTime().Equal(was.ModTime()) {
		t.Error("a finished piece was made again")
	}
	src = await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready || s.State == store.Failed })
	clip, err := b.lib.Clip(src)
	if err != nil || src.State != store.Ready || src.Frames != 30000 {
		t.Fatalf("%s, %d frames, %v", src.Error, src.Frames, err)
	}
	whole, err := media.Clip{Path: path, Info: src.Info.V}.Summed(ctx)
	if err != nil || !slices.Equal(whole.Sums, clip.Sums) {
		t.Errorf("its frames are others, %v", err)
	}
	if _, err := os.Stat(filepath.Dir(first)); err == nil {
		t.Error("the pieces stayed")
	}
}

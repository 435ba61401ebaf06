package jobs

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/internal/await"
	"celator/internal/storage"
	"celator/internal/store"
)

// A disk that is really full, found so by ffmpeg and not before, is waited for in words;
// when there is room the import goes on, and what was uploaded is there.
func TestFullDisk(t *testing.T) {
	t.Parallel()
	if os.Geteuid() != 0 {
		t.Skip("a small disk is mounted by root alone")
	}
	ctx := context.Background()
	b := open(t)
	small := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", small).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be mounted here: %s", out)
	}
	t.Cleanup(func() { exec.Command("umount", "-l", small).Run() })
	lib, err := storage.New(b.dir, filepath.Join(small, "store"))
	if err != nil {
		t.Fatal(err)
	}
	lib.Space = func(string) (int64, int64, error) { return 1 << 39, 1 << 40, nil } // as if there were room
	b.lib = lib
	src, _ := b.bring(t, 8, "640x360")
	get := func() (store.Source, error) { return b.st.Source(ctx, src.ID) }
	b.work(t)
	await.That(t, "the word that the disk is full", get, func(s store.Source) bool {
		if s.State == store.Failed {
			t.Fatalf("failed: %s", s.Error)
		}
		return strings.Contains(s.Waiting, "disk is full") && strings.Contains(s.Waiting, "goes on by itself")
	})
	if out, err := exec.Command("mount", "-o", "remount,size=100m", small).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	await.That(t, "the source", get, func(s store.Source) bool { return s.State == store.Ready && s.Waiting == "" })
}

package jobs

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"celator/internal/await"
	"celator/internal/store"
)

// A folder of numbered pictures in the media folder is offered as a clip, and comes in as one; a few pictures
// beside each other are stills.
func TestFolderOfPictures(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	b := open(t)
	draw := func(folder, pictures string) {
		t.Helper()
		dir := filepath.Join(b.dir, folder)
		if err := os.Mkdir(dir, 0o700); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=160x96:rate=25", "-frames:v",
			pictures, "-start_number", "7", filepath.Join(dir, "shot.%04d.png")).CombinedOutput(); err != nil {
			t.Fatalf("%v %s", err, out)
		}
	}
	draw("scan", "30")
	draw("stills", "2")
	files, err := b.lib.MediaFiles()
	if err != nil || len(files) != 3 || files[0].Path != "scan" || files[1].Path != "stills/shot.0007.png" {
		t.Fatalf("%+v, %v", files, err)
	}
	src := b.enter(t, "scan")
	b.work(t)
	src = await.That(t, "the folder", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready || s.State == store.Failed })
	if src.State != store.Ready || src.Frames != 30 || src.Info.V.Size != files[0].Size {
		t.Errorf("%+v", src)
	}
}

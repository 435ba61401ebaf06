package server

import (
	"context"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"testing/fstest"
	"time"

	"celator/internal/await"
	"celator/internal/budget"
	"celator/internal/decode"
	"celator/internal/pgcluster"
	"celator/internal/preview"
	"celator/internal/storage"
	"celator/internal/store"
)

// While the database is killed again and again, every answer is a good one or a 503 that
// says to come again, and none tells of what is inside; readyz tells the truth; and it is
// all there when it is back.
//
// Long: one scenario, told from its beginning to its end.
func TestDatabaseKilled(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	dir, pgDir := t.TempDir(), t.TempDir()
	os.Chmod(filepath.Dir(pgDir), 0o755)
	pg, err := pgcluster.Start(ctx, pgcluster.Config{Dir: filepath.Join(pgDir, "pg"), Durable: true})
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Stop()
	st, err := store.Open(ctx, store.Config{Address: func() (string, error) {
		url, err := pg.Address()
		if err != nil {
			err = store.Away(err)
		}
		return url, err
	}})
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	lib, err := storage.New(dir, dir)
	if err != nil {
		t.Fatal(err)
	}
	slog.SetDefault(slog.New(slog.DiscardHandler))
	b := budget.New(budget.Default)
	h, err := New(ctx, Config{
		Store: st, Library: lib, Patches: preview.NewPatches(b, decode.NewFrames(b, nil)),
		Budget: b, Web: fstest.MapFS{"index.html": {}},
	})
	if err != nil {
		t.Fatal(err)
	}
	p, err := st.AddProgramme(ctx, "Harbour")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "media", Path: "clip.mp4", Frames: 20}
	src.Info.V.Width, src.Info.V.Height, src.Info.V.Pixel.Num, src.Info.V.Pixel.Den, src.Info.V.Rate.Num,
		src.Info.V.Rate.Den = 640, 360, 1, 1, 25, 1
	shot, err := st.AddSource(ctx, src)
	if err != nil {
		t.Fatal(err)
	}
	var away, good atomic.Int64
	asking, end := context.WithCancel(ctx)
	var wg sync.WaitGroup
	for _, path := range []string{
		"/api/programmes", "/api/programmes/" + p.ID, "/api/shots/" + shot.ID,
		"/api/shots/" + shot.ID + "/check", "/api/sources/" + src.ID, "/api/programmes/" + p.ID + "/list", "/readyz",
	} {
		wg.Go(func() {
			for asking.Err() == nil {
				w := httptest.NewRecorder()
				h.ServeHTTP(w, httptest.NewRequest("GET", "http://127.0.0.1"+path, nil))
				switch {
				case w.Code == 200:
					good.Add(1)
				case w.Code != 503:
					t.Errorf("%s: %d %s", path, w.Code, w.Body)
				default:
					away.Add(1)
					if text := w.Body.String(); path != "/readyz" &&
						(w.Header().Get("Retry-After") == "" || !strings.Contains(text, "database does not answer") ||
							strings.Contains(text, "127.0.0.1")) {
						t.Errorf("%s: %s", path, text)
					}
				}
				time.Sleep(5 * time.Millisecond)
			}
		})
	}
	for range 3 {
		was := away.Load()
		line, err := os.ReadFile(filepath.Join(pgDir, "pg", "data", "postmaster.pid"))
		if err != nil {
			t.Fatal(err)
		}
		pid, _ := strconv.Atoi(strings.SplitN(string(line), "\n", 2)[0])
		syscall.Kill(pid, syscall.SIGKILL)
		await.True(t, "requests that are turned away", func() bool { return away.Load() > was })
		await.True(t, "the database", func() bool { _, err := pg.Address(); return err == nil && st.Ready(ctx) == nil })
		was = good.Load()
		await.True(t, "good answers", func() bool { return good.Load() > was+20 })
	}
	end()
	wg.Wait()
}

package jobs

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/await"
	"celator/internal/media"
	"celator/internal/pgcluster"
	"celator/internal/storage"
	"celator/internal/store"
)

// world is a program whose database can be killed, with a source and its shot.
type world struct {
	bench
	pg    *pgcluster.Cluster
	free  atomic.Int64 // bytes on its disk; below 0 as many as there are
	src   store.Source
	shot  store.Shot
	edits int

	pgData string
}

func newWorld(t *testing.T) *world {
	t.Helper()
	ctx := context.Background()
	dir, pg := t.TempDir(), t.TempDir()
	os.Chmod(filepath.Dir(pg), 0o755)
	w := &world{pgData: filepath.Join(pg, "pg", "data")}
	w.free.Store(-1)
	var err error
	if w.pg, err = pgcluster.Start(ctx, pgcluster.Config{Dir: filepath.Join(pg, "pg"), Durable: true}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(w.pg.Stop)
	if w.st, err = store.Open(ctx, store.Config{Address: func() (string, error) {
		url, err := w.pg.Address()
		if err != nil {
			err = store.Away(err)
		}
		return url, err
	}, Nested: func(stack string) { t.Error(stack) }}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(w.st.Close)
	t.Cleanup(func() {
		if t.Failed() {
			t.Logf("the queue was\n%s", w.queue())
		}
	})
	if w.lib, err = storage.New(dir, dir); err != nil {
		t.Fatal(err)
	}
	w.lib.Space = func(string) (int64, int64, error) {
		if n := w.free.Load(); n >= 0 {
			return n, 1 << 40, nil
		}
		return 1 << 39, 1 << 40, nil
	}
	w.dir, w.url = dir, w.pg.URL()
	return w
}

// queue is what the queue holds, for a test that failed.
func (w *world) queue() string {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	rows, err := w.st.QueuePool().Query(ctx, `SELECT row_to_json(j)::text FROM river_job j ORDER BY id DESC LIMIT 20`)
	if err != nil {
		return err.Error()
	}
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return fmt.Sprintln(strings.Join(lines, "\n"), err)
}

// kinds are all that the queue does, each begun on a source that is ready, with what says
// that it has begun and how it ended.
var kinds = map[string]struct {
	begin func(t *testing.T, w *world) (id string)
	state func(w *world, id string) (state, why, waiting string, err error)
	runs  []string // states in which it is in the middle
	done  string
}{
	"import": {
		begin: func(t *testing.T, w *world) string {
			w.src, w.shot = w.bring(t, 8, "640x360")
			return w.src.ID
		},
		state: func(w *world, id string) (string, string, string, error) {
			s, err := w.st.Source(context.Background(), id)
			return s.State, s.Error, s.Waiting, err
		},
		runs: []string{store.Viewing}, done: store.Ready,
	},
	"delivery": {
		begin: func(t *testing.T, w *world) string {
			ready(t, w)
			head, err := w.st.Head(context.Background(), w.shot.ID)
			if err != nil {
				t.Fatal(err)
			}
			src, _ := w.st.Source(context.Background(), w.src.ID)
			plan, err := Plan(w.shot, src, head.Document, media.Presets["archive"],
				cover.Span{Last: w.shot.Frames - 1}, false)
			if err != nil {
				t.Fatal(err)
			}
			d := store.Delivery{
				ID: store.NewID(), Shot: w.shot.ID, Revision: head.Number, Preset: "archive", Name: "out.mkv",
				Frames: w.shot.Frames,
			}
			if err := w.st.AddDelivery(context.Background(), d, plan); err != nil {
				t.Fatal(err)
			}
			return d.ID
		},
		state: func(w *world, id string) (string, string, string, error) {
			d, err := w.st.Delivery(context.Background(), id)
			return d.State, d.Error, d.Waiting, err
		},
		runs: []string{store.Rendering, store.Joining, store.Verifying}, done: store.Done,
	},
	"track": {
		begin: func(t *testing.T, w *world) string {
			ready(t, w)
			return tracked(t, w)
		},
		state: attempt, runs: []string{store.Running}, done: store.Done,
	},
	"holdout": {
		begin: func(t *testing.T, w *world) string {
			ready(t, w)
			id := tracked(t, w)
			w.meanwhile(t, func() {
				await.That(t, "the track", func() (string, error) { s, _, _, err := attempt(w, id); return s, err },
					func(s string) bool { return s == store.Done })
			})
			a, err := w.st.Attempt(context.Background(), id)
			if err != nil {
				t.Fatal(err)
			}
			tr := a.Spec.V.Track
			tr.Attempt = id
			p := cover.Proposed{
				Surface: tr.ID, Sensitivity: .5, Edge: 4, Least: 12, Accepted: []cover.Span{},
				Strokes: []cover.Stroke{},
			}
			f := store.Attempt{ID: store.NewID(), Shot: w.shot.ID, Track: tr.ID, State: store.Queued, Frames: w.shot.Frames}
			f.Spec.V = store.AttemptSpec{
				Track: tr, To: w.shot.Frames - 1, Author: "a",
				Foreground: &store.ForegroundSpec{Proposed: p, Cover: store.NewID(), Name: "in front", For: []string{"*"}},
			}
			if err := w.st.AddAttempt(context.Background(), f); err != nil {
				t.Fatal(err)
			}
			return f.ID
		},
		state: attempt, runs: []string{store.Running}, done: store.Done,
	},
	"check": {
		begin: func(t *testing.T, w *world) string {
			ready(t, w)
			if err := w.st.Check(context.Background(), w.shot.ID, true); err != nil {
				t.Fatal(err)
			}
			return w.shot.ID
		},
		state: func(w *world, id string) (string, string, string, error) {
			i, err := w.st.CheckRun(context.Background(), id)
			return i.State, i.Error, i.Waiting, err
		},
		runs: []string{"running"}, done: "done",
	},
}

func attempt(w *world, id string) (string, string, string, error) {
	a, err := w.st.Attempt(context.Background(), id)
	return a.State, a.Note, a.Waiting, err
}

// ready brings in the source, once, and covers it.
func ready(t *testing.T, w *world) {
	t.Helper()
	if w.shot.ID != "" {
		edit(t, w, cover.RenameCover{Cover: "a", Name: store.NewID()},
			cover.SetNumber{Cover: "a", Lane: "grow", Number: float64(w.edits)})
		return
	}
	w.src, w.shot = w.bring(t, 4, "480x270")
	w.meanwhile(t, func() {
		await.That(t, "the source", func() (store.Source, error) { return w.st.Source(context.Background(), w.src.ID) },
			func(s store.Source) bool { return s.State == store.Ready && s.Searched })
	})
	edit(t, w, cover.AddCover{New: *box("a")})
}

// meanwhile does something while a worker works.
func (w *world) meanwhile(t *testing.T, do func()) {
	t.Helper()
	r, err := Start(context.Background(), Config{Store: w.st, Library: w.lib, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	defer r.Stop()
	do()
}

func edit(t *testing.T, w *world, cmds ...cover.Command) {
	t.Helper()
	w.edits++
	head, err := w.st.Head(context.Background(), w.shot.ID)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.st.Edit(context.Background(), w.shot.ID, store.On{Base: head.Number, Author: "a"},
		func(d *cover.Document) (*cover.Document, string, error) { return d.Apply(cmds...) }); err != nil {
		t.Fatal(err)
	}
}

func tracked(t *testing.T, w *world) string {
	t.Helper()
	q := []geom.Point{{X: 150, Y: 70}, {X: 330, Y: 70}, {X: 330, Y: 200}, {X: 150, Y: 200}}
	a := store.Attempt{ID: store.NewID(), Shot: w.shot.ID, Track: "t", State: store.Queued, Frames: w.shot.Frames}
	a.Spec.V = store.AttemptSpec{Track: cover.Track{
		ID: "t", Name: "t", Kind: cover.Surface, Model: "affine", Channel: "luma", Frame: 50, Surface: q,
		Anchors: []cover.TrackAnchor{},
	}, To: w.shot.Frames - 1, Take: true, Author: "a"}
	if err := w.st.AddAttempt(context.Background(), a); err != nil {
		t.Fatal(err)
	}
	return a.ID
}

// ffmpegs are the decoders and encoders of a process.
func ffmpegs(t *testing.T, parent int) (pids []int) {
	all, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, p := range all {
		b, err := os.ReadFile(p)
		if err != nil {
			continue
		}
		head, rest, ok := strings.Cut(string(b), ") ")
		if !ok || !strings.HasSuffix(head, "(ffmpeg") {
			continue
		}
		f := strings.Fields(rest)
		if ppid, _ := strconv.Atoi(f[1]); ppid == parent {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(p)))
			pids = append(pids, pid)
		}
	}
	return pids
}

// child starts a worker that can be killed.
func (w bench) child(t *testing.T) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), "CELATOR_TEST_WORKER="+w.url, "CELATOR_TEST_STORE="+w.dir)
	var said bytes.Buffer
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.WaitDelay = time.Second // its own children may hold what it wrote to
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if t.Failed() { // a worker that still runs says where it is
			cmd.Process.Signal(syscall.SIGQUIT)
		} else {
			cmd.Process.Kill()
		}
		cmd.Wait()
		if t.Failed() {
			t.Logf("a worker ended by %v and said:\n%s", cmd.ProcessState, said.String())
		}
	})
	return cmd
}

// Every kind of job comes to its good end though, in the middle of it, its worker is
// killed, its ffmpeg is, the database is, or the disk is full for a while; nothing that a
// person brought is lost by any of it.
func TestJobsSurviveTheMachine(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	for name, kind := range kinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := newWorld(t)
			for _, fault := range []string{"worker", "ffmpeg", "database", "disk"} {
				id := kind.begin(t, w)
				get := func() (string, error) {
					s, why, _, err := kind.state(w, id)
					if store.Unavailable(err) {
						return "", nil
					}
					if s == store.Failed {
						err = errors.Join(err, fmt.Errorf("it failed: %s", why))
					}
					return s, err
				}
				middle := func(s string) bool { return s == kind.done || slices.Contains(kind.runs, s) }
				end := func() {
					t.Helper()
					await.That(t, "the end after the fault of the "+fault, get, func(s string) bool { return s == kind.done })
				}
				if fault == "disk" { // this process's to fill
					w.free.Store(0)
					w.meanwhile(t, func() {
						if name == "import" || name == "delivery" { // the others write to the database alone
							await.That(t, "the word that the disk is full", func() (string, error) {
								_, _, waiting, err := kind.state(w, id)
								return waiting, err
							}, func(s string) bool { return strings.Contains(s, "disk is full") })
						}
						w.free.Store(-1)
						end()
					})
				} else {
					cmd := w.child(t)
					await.That(t, "the middle", get, middle)
					switch fault {
					case "worker":
						cmd.Process.Kill()
						cmd.Wait()
						cmd = w.child(t)
					case "ffmpeg":
						for _, pid := range ffmpegs(t, cmd.Process.Pid) {
							syscall.Kill(pid, syscall.SIGKILL)
						}
					case "database":
						w.kill(t)
					}
					end()
					cmd.Process.Kill()
					cmd.Wait()
				}
				if path, err := w.lib.SourcePath(w.src); err != nil {
					t.Error(err)
				} else if _, err := os.Stat(path); err != nil {
					t.Errorf("the original is gone: %v", err)
				}
			}
		})
	}
}

// kill kills the database server.
func (w *world) kill(t *testing.T) {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(w.pgData, "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(b), "\n", 2)[0])
	syscall.Kill(pid, syscall.SIGKILL)
}

// What is wrong with a file ends its import, once, in words, and the file stays; somebody
// may try again.
func TestOriginalStays(t *testing.T) {
	ctx := context.Background()
	b := open(t)
	p, err := b.st.AddProgramme(ctx, "P")
	if err != nil {
		t.Fatal(err)
	}
	src := store.Source{ID: store.NewID(), Programme: p.ID, Name: "clip", Place: "store", Path: "source.mkv", Frames: 100}
	src.Info.V = media.Info{
		Container: "matroska", Codec: "h264", PixFmt: "yuv420p", Width: 320, Height: 180, Depth: 8,
		SubX: 1, SubY: 1, Frames: 100, Indexed: true, Pixel: media.Ratio{Num: 1, Den: 1}, Range: "tv", Matrix: "bt601",
	}
	src.Info.V.Rate.Num, src.Info.V.Rate.Den = 25, 1
	if err := os.MkdirAll(b.lib.Dir(src.ID), 0o700); err != nil {
		t.Fatal(err)
	}
	original := filepath.Join(b.lib.Dir(src.ID), src.Path)
	if err := os.WriteFile(original, []byte("no clip at all"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := b.st.AddSource(ctx, src); err != nil {
		t.Fatal(err)
	}
	b.work(t)
	get := func() (store.Source, error) { return b.st.Source(ctx, src.ID) }
	failed := func(s store.Source) bool { return s.State == store.Failed }
	if s := await.That(t, "the refusal", get, failed); !strings.Contains(s.Error, "cannot be used") {
		t.Errorf("%q", s.Error)
	}
	if b, err := os.ReadFile(original); err != nil || string(b) != "no clip at all" {
		t.Errorf("the original: %q, %v", b, err)
	}
	if err := b.st.RetrySource(ctx, src.ID, false); err != nil {
		t.Fatal(err)
	}
	await.That(t, "the second refusal", get, failed)
	if err := b.st.RetrySource(ctx, store.NewID(), false); !errors.Is(err, store.ErrNone) {
		t.Errorf("a source that is not there: %v", err)
	}
}

// A job that panics ends in words and leaves its worker at work; a thing whose job was
// lost gets another.
func TestPanicsAndLostJobs(t *testing.T) {
	ctx := context.Background()
	b := open(t)
	r := b.work(t)
	err := r.guarded(ctx, task{thing: "t", id: "1", do: func(context.Context, func(int)) error { panic("no") }})
	if !errors.Is(err, errGivenUp) || !final(err) {
		t.Errorf("%v", err)
	}
	src, _ := b.bring(t, 2, "320x180")
	await.That(t, "the source", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
	if _, err := b.st.QueuePool().Exec(ctx, `UPDATE source SET state = 'viewing',
		created = now() - interval '1 hour' WHERE id = $1`, src.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := b.st.QueuePool().Exec(ctx, `DELETE FROM river_job WHERE kind = 'ingest'`); err != nil {
		t.Fatal(err)
	}
	await.That(t, "the lost job", func() (store.Source, error) { return b.st.Source(ctx, src.ID) },
		func(s store.Source) bool { return s.State == store.Ready })
}

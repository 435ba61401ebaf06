// Command benchcrash kills the server, a worker, the database server and ffmpeg at random,
// KILLS (500) times from SEED (1), while simulated editors edit, undo, follow, import,
// upload and deliver; and says what became of it. It exits with 1 where an acknowledged
// edit is lost, something does not end, a process or a half-written file is left, or the
// server is back later than in 5 s at the median.
package main

import (
	"bytes"
	"fmt"
	"log"
	"math/rand"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"celator/dev/site"
)

func number(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

// told is an edit that the server said it has.
type told struct {
	shot   string
	number int
	label  string
}

type world struct {
	*site.Site
	programme string
	shots     []site.Shot
	worker    *exec.Cmd
	gone      chan struct{} // closed when that worker has ended

	mu       sync.Mutex
	edits    []told
	started  map[string][]string // deliveries, attempts, sources by id
	counts   map[string]int
	stop     atomic.Bool
	pausing  atomic.Bool // the server is away
	returned []time.Duration
	orphans  []string
}

func main() {
	log.SetFlags(0)
	s, err := site.New("bin/celator", ".run/media")
	check(err)
	// A media folder of its own, of short clips that it makes.
	s.Media = filepath.Join(filepath.Dir(s.Data), "media")
	check(os.MkdirAll(s.Media, 0o755))
	w := &world{Site: s, started: map[string][]string{}, counts: map[string]int{}}
	for i, size := range []string{"480x270", "640x360", "320x180"} {
		check(exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
			fmt.Sprintf("testsrc2=size=%s:rate=25:duration=8", size), "-f", "lavfi", "-i", "sine=duration=8",
			"-c:v", "libx264", "-preset", "ultrafast", "-g", "25", "-pix_fmt", "yuv420p",
			filepath.Join(s.Media, fmt.Sprintf("clip%d.mp4", i))).Run())
	}
	_, err = w.Serve()
	check(err)
	w.work()
	w.fill()
	kills, rng := number("KILLS", 500), rand.New(rand.NewSource(int64(number("SEED", 1))))
	var wg sync.WaitGroup
	for i := range 6 {
		wg.Go(func() { w.edit(i) })
	}
	wg.Go(w.feed)
	begun := time.Now()
	for k := range kills {
		time.Sleep(time.Duration(100+rng.Intn(900)) * time.Millisecond)
		w.kill([]string{"server", "worker", "postmaster", "ffmpeg", "ffmpeg"}[rng.Intn(5)], rng)
		if k%50 == 49 {
			fmt.Printf("%d kills after %.0f s, %d edits acknowledged, %d lost so far\n", k+1, time.Since(begun).Seconds(),
				len(w.edits), w.lost())
		}
	}
	w.stop.Store(true)
	wg.Wait()
	os.Exit(w.report(kills))
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func (w *world) count(what string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.counts[what]++
}

func (w *world) begun(kind, id string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.started[kind] = append(w.started[kind], id)
}

// work starts the worker that is killed.
func (w *world) work() {
	for {
		cmd, err := w.Start("worker")
		check(err)
		gone := make(chan struct{})
		go func() { cmd.Wait(); close(gone) }()
		w.worker, w.gone = cmd, gone
		select {
		case <-gone: // the server's folder tells of no database yet
			time.Sleep(100 * time.Millisecond)
		case <-time.After(300 * time.Millisecond):
			return
		}
	}
}

// fill makes the programme that all work on.
func (w *world) fill() {
	var p struct{ ID string }
	_, err := w.Ask("POST", "/api/programmes", map[string]any{"name": "Crash"}, &p)
	check(err)
	w.programme = p.ID
	for i := range 3 {
		_, err := w.Ask("POST", "/api/programmes/"+p.ID+"/sources",
			map[string]any{"media": fmt.Sprintf("clip%d.mp4", i), "name": fmt.Sprint("clip ", i)}, nil)
		check(err)
	}
	w.shots, err = w.Shots(p.ID)
	check(err)
	for _, sh := range w.shots {
		_, err := w.Ask("POST", "/api/shots/"+sh.ID+"/edits",
			map[string]any{"base": 0, "commands": []any{site.Cover("c", sh)}}, nil)
		check(err)
	}
}

// edit renames the cover of a shot again and again, and undoes now and then. Two editors
// share each shot.
func (w *world) edit(n int) {
	sh := w.shots[n%len(w.shots)]
	rng := rand.New(rand.NewSource(int64(n)))
	base := -1
	for k := 0; !w.stop.Load(); k++ {
		if w.pausing.Load() {
			time.Sleep(20 * time.Millisecond)
			continue
		}
		if base < 0 {
			var d struct{ Revision struct{ Number int } }
			if status, err := w.Ask("GET", "/api/shots/"+sh.ID, nil, &d); err != nil || status != 200 {
				time.Sleep(50 * time.Millisecond)
				continue
			}
			base = d.Revision.Number
		}
		var r struct {
			Number int
			Label  string
		}
		path, body := "/edits", map[string]any{
			"base": base, "key": fmt.Sprintf("e%d-%d", n, k),
			"commands": []any{map[string]any{"do": "rename", "cover": "c", "name": fmt.Sprintf("e%d-%d", n, k)}},
		}
		if rng.Intn(12) == 0 {
			path = "/undo"
			delete(body, "commands")
		}
		status, err := w.Ask("POST", "/api/shots/"+sh.ID+path, body, &r)
		switch {
		case err == nil && status == 201:
			base = r.Number
			w.mu.Lock()
			w.edits = append(w.edits, told{sh.ID, r.Number, r.Label})
			w.mu.Unlock()
		case err == nil && status != 409 && status != 503:
			w.count(fmt.Sprintf("edit answered %d", status))
			base = -1
		default:
			base = -1
		}
		time.Sleep(10 * time.Millisecond)
	}
}

// feed keeps the queue at work: deliveries, tracker runs, imports and uploads.
func (w *world) feed() {
	rng := rand.New(rand.NewSource(7))
	clip, err := os.ReadFile(filepath.Join(w.Media, "clip2.mp4"))
	check(err)
	for k := 0; !w.stop.Load(); k++ {
		time.Sleep(600 * time.Millisecond)
		if w.pausing.Load() || w.open() > 4 {
			continue
		}
		sh := w.shots[rng.Intn(len(w.shots))]
		var a struct{ ID string }
		kind, status := "", 0
		switch rng.Intn(4) {
		case 0:
			kind = "deliveries"
			status, _ = w.Ask("POST", "/api/shots/"+sh.ID+"/deliveries",
				map[string]any{"preset": []string{"review", "archive"}[rng.Intn(2)], "name": fmt.Sprint("d", k)}, &a)
		case 1:
			kind = "attempts"
			x, y := float64(sh.Width), float64(sh.Height)
			at := func(u, v float64) any { return map[string]float64{"x": u * x, "y": v * y} }
			status, _ = w.Ask("POST", "/api/shots/"+sh.ID+"/attempts", map[string]any{"track": map[string]any{
				"id": fmt.Sprint("t", k), "name": "t", "kind": "surface", "model": "affine", "channel": "luma",
				"frame": sh.Frames / 2, "surface": []any{at(.3, .3), at(.7, .3), at(.7, .7), at(.3, .7)}, "anchors": []any{},
			}, "from": 0, "to": sh.Frames - 1, "take": rng.Intn(2) == 0}, &a)
		case 2:
			kind = "sources"
			status, _ = w.Ask("POST", "/api/programmes/"+w.programme+"/sources",
				map[string]any{"media": "clip0.mp4", "name": fmt.Sprint("again ", k)}, &a)
		case 3:
			kind = "sources"
			if id := w.upload(clip); id != "" {
				status, _ = w.Ask("POST", "/api/programmes/"+w.programme+"/sources",
					map[string]any{"upload": id, "name": fmt.Sprintf("up %d.mp4", k)}, &a)
			}
		}
		if status == 201 {
			w.begun(kind, a.ID)
		} else if status != 0 && status != 503 {
			w.count(fmt.Sprintf("%s answered %d", kind, status))
		}
	}
}

// upload sends a file, going on where the server says it is; "" where it gave up.
func (w *world) upload(b []byte) string {
	send := func(method, path string, body []byte, h map[string]string) (*http.Response, error) {
		r, err := http.NewRequest(method, "http://"+w.Addr+path, bytes.NewReader(body))
		check(err)
		r.Header.Set("Tus-Resumable", "1.0.0")
		for k, v := range h {
			r.Header.Set(k, v)
		}
		c := http.Client{Timeout: 10 * time.Second}
		a, err := c.Do(r)
		if err == nil {
			a.Body.Close()
		}
		return a, err
	}
	a, err := send("POST", "/api/uploads/", nil, map[string]string{"Upload-Length": fmt.Sprint(len(b))})
	if err != nil || a.StatusCode != 201 {
		return ""
	}
	id := filepath.Base(a.Header.Get("Location"))
	for range 100 {
		a, err := send("HEAD", "/api/uploads/"+id, nil, nil)
		if err != nil || a.StatusCode != 200 {
			time.Sleep(200 * time.Millisecond)
			continue
		}
		at, _ := strconv.Atoi(a.Header.Get("Upload-Offset"))
		if at == len(b) {
			return id
		}
		send("PATCH", "/api/uploads/"+id, b[at:min(at+100_000, len(b))],
			map[string]string{"Upload-Offset": fmt.Sprint(at), "Content-Type": "application/offset+octet-stream"})
	}
	return ""
}

// states are those of what was begun, by kind and id.
func (w *world) states() map[string]map[string]string {
	w.mu.Lock()
	ids := map[string][]string{}
	for k, v := range w.started {
		ids[k] = slices.Clone(v)
	}
	w.mu.Unlock()
	out := map[string]map[string]string{}
	for kind, all := range ids {
		out[kind] = map[string]string{}
		for _, id := range all {
			var d struct{ State, Error, Note string }
			if status, err := w.Ask("GET", "/api/"+kind+"/"+id, nil, &d); err == nil && status == 200 {
				out[kind][id] = strings.TrimSpace(d.State + " " + d.Error + d.Note)
			} else {
				out[kind][id] = fmt.Sprintf("not there: %d", status)
			}
		}
	}
	return out
}

func ended(state string) bool {
	s, _, _ := strings.Cut(state, " ")
	return slices.Contains([]string{"done", "ready", "failed", "stopped", "cancelled"}, s)
}

// open is how many of the last that were begun have not ended.
func (w *world) open() (n int) {
	w.mu.Lock()
	ids := map[string][]string{}
	for k, v := range w.started {
		ids[k] = slices.Clone(v[max(len(v)-8, 0):])
	}
	w.mu.Unlock()
	for kind, all := range ids {
		for _, id := range all {
			var d struct{ State string }
			if status, err := w.Ask("GET", "/api/"+kind+"/"+id, nil, &d); err != nil || status != 200 || !ended(d.State) {
				n++
			}
		}
	}
	return n
}

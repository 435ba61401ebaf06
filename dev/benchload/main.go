// Command benchload measures how the server answers when many work at once: EDITORS (20)
// simulated ones, each on a shot of its own, for SECONDS (60), beside what one alone gets
// in the same run. It exits with 1 where what docs/benchmarks.md promises is not kept.
package main

import (
	"errors"
	"fmt"
	"image"
	"image/png"
	"log"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"sync"
	"time"

	"celator/dev/site"
)

// promised are the 95th percentiles under load, in milliseconds, and the memory of the
// server with its children, in MB.
var promised = map[string]float64{"quick patch": 400, "exact patch": 1500, "edit": 200, "open": 800}

const promisedMemory = 1024

func number(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

// times gathers how long requests took.
type times struct {
	mu  sync.Mutex
	all map[string][]float64
	bad map[string]int
}

func (t *times) ask(s *site.Site, kind, method, path string, in, out any) int {
	begun := time.Now()
	status, err := s.Ask(method, path, in, out)
	ms := float64(time.Since(begun).Microseconds()) / 1000
	t.mu.Lock()
	defer t.mu.Unlock()
	t.all[kind] = append(t.all[kind], ms)
	if err != nil || status >= 400 && status != 409 {
		t.bad[fmt.Sprintf("%s %d %v", kind, status, err)]++
	}
	return status
}

func (t *times) at(kind string, q float64) float64 {
	v := slices.Clone(t.all[kind])
	sort.Float64s(v)
	if len(v) == 0 {
		return 0
	}
	return v[int(q*float64(len(v)-1))]
}

// work is what an editor does over and over: opens the shot, steps through some frames,
// jumps somewhere, drags, and lets go.
func work(s *site.Site, t *times, sh site.Shot, seed int64, until time.Time) {
	const think = 150 * time.Millisecond
	rng := rand.New(rand.NewSource(seed))
	f := rng.Intn(sh.Frames)
	for time.Now().Before(until) {
		var d struct{ Revision struct{ Number int } }
		if t.ask(s, "open", "GET", "/api/shots/"+sh.ID, nil, &d) != 200 {
			continue
		}
		n := d.Revision.Number
		for range 6 {
			f = (f + 1) % sh.Frames
			t.ask(s, "view", "GET", fmt.Sprintf("/api/sources/%s/views/%d.jpg", sh.Source, f), nil, nil)
			t.ask(s, "quick patch", "GET", fmt.Sprintf("/api/shots/%s/patches/%d/%d?quick=true", sh.ID, n, f), nil, nil)
			time.Sleep(think)
		}
		f = rng.Intn(sh.Frames)
		t.ask(s, "exact patch", "GET", fmt.Sprintf("/api/shots/%s/patches/%d/%d", sh.ID, n, f), nil, nil)
		t.ask(s, "check", "GET", "/api/shots/"+sh.ID+"/check", nil, nil)
		set := map[string]any{"do": "set", "cover": "c", "lane": "grow", "number": rng.Intn(20)}
		t.ask(s, "drag", "POST", "/api/shots/"+sh.ID+"/preview",
			map[string]any{"base": n, "frame": f, "commands": []any{set}}, nil)
		t.ask(s, "edit", "POST", "/api/shots/"+sh.ID+"/edits", map[string]any{"base": n, "commands": []any{set}}, nil)
		time.Sleep(think)
	}
}

func main() {
	log.SetFlags(0)
	s, err := site.New("bin/celator", ".run/media")
	check(err)
	_, err = s.Serve()
	check(err)
	defer s.Close()
	editors, seconds := number("EDITORS", 20), number("SECONDS", 60)
	var p struct{ ID string }
	_, err = s.Ask("POST", "/api/programmes", map[string]any{"name": "Load"}, &p)
	check(err)
	names := []string{"quay-trike", "chandlers-sign", "departures", "crane-crate", "rower-number"}
	for i := range editors {
		status, err := s.Ask("POST", "/api/programmes/"+p.ID+"/sources",
			map[string]any{"media": "tidewrack-week/" + names[i%len(names)] + "/clip.mp4", "name": fmt.Sprint("shot ", i)}, nil)
		if err != nil || status != 201 {
			check(fmt.Errorf("bringing in: %d %v", status, err))
		}
	}
	shots, err := s.Shots(p.ID)
	check(err)
	for _, sh := range shots {
		status, err := s.Ask("POST", "/api/shots/"+sh.ID+"/edits",
			map[string]any{"base": 0, "commands": []any{site.Cover("c", sh)}}, nil)
		if err != nil || status != 201 {
			check(fmt.Errorf("covering: %d %v", status, err))
		}
	}
	quiet(s)
	alone, together := fresh(), fresh()
	work(s, alone, shots[0], 1, time.Now().Add(time.Duration(seconds)*time.Second/4))
	quiet(s)
	memory := watch(s)
	var wg sync.WaitGroup
	for i := range editors {
		wg.Go(func() {
			work(s, together, shots[i%len(shots)], int64(100+i), time.Now().Add(time.Duration(seconds)*time.Second))
		})
	}
	wg.Wait()
	peak, children := memory()
	short := report(alone, together, editors)
	fmt.Printf("\nmemory at the most %.0f MB, of which children %.0f; promised %d\n", peak, children, promisedMemory)
	short = short || peak > promisedMemory
	if piles(s, p.ID, shots) || short {
		s.Close()
		os.Exit(1)
	}
}

// watch follows the memory of the server and its children, the database aside, until the
// function it returns is called, which tells the most that there was.
func watch(s *site.Site) func() (peak, children float64) {
	var peak, children float64
	done, over := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(over)
		for {
			server, kids := site.Memory(s.Server()), 0.
			for _, q := range site.Below(s.Server()) {
				if q.Name != "postgres" {
					kids += site.Memory(q.PID)
				}
			}
			if server+kids > peak {
				peak, children = server+kids, kids
			}
			select {
			case <-done:
				return
			case <-time.After(300 * time.Millisecond):
			}
		}
	}()
	return func() (float64, float64) {
		close(done)
		<-over
		return peak, children
	}
}

// piles asks for much at once, of kinds that take much, and says what memory each took.
func piles(s *site.Site, programme string, shots []site.Shot) (short bool) {
	large := slices.MaxFunc(shots, func(a, b site.Shot) int { return a.Width*a.Height - b.Width*b.Height })
	still := filepath.Join(s.Media, "large-still.png")
	check(flat(still))
	defer os.Remove(still)
	for _, pile := range []struct {
		name string
		n    int
		do   func(i int) int
	}{
		{"exact patches of whole frames, 1080p", 100, func(i int) int {
			status, _ := s.Ask("GET", fmt.Sprintf("/api/shots/%s/patches/1/%d?full=true", large.ID, i*7%large.Frames), nil, nil)
			return status
		}},
		{"imports of a PNG of 8192x8192", 3, func(i int) int {
			status, _ := s.Ask("POST", "/api/programmes/"+programme+"/sources",
				map[string]any{"media": "large-still.png", "name": fmt.Sprint("still ", i)}, nil)
			if status == 201 {
				s.Shots(programme) // until they are ready
			}
			return status
		}},
		{"reports as PDF", 8, func(int) int {
			status, _ := s.Ask("GET", "/api/programmes/"+programme+"/report.pdf", nil, nil)
			return status
		}},
	} {
		memory := watch(s)
		begun := time.Now()
		answers := map[int]int{}
		var mu sync.Mutex
		var wg sync.WaitGroup
		for i := range pile.n {
			wg.Go(func() {
				status := pile.do(i)
				mu.Lock()
				defer mu.Unlock()
				answers[status]++
			})
		}
		wg.Wait()
		peak, children := memory()
		fmt.Printf("%d %s at once: %.1f s, answers %v, memory at the most %.0f MB, of which children %.0f\n", pile.n,
			pile.name, time.Since(begun).Seconds(), answers, peak, children)
		short = short || peak > promisedMemory
	}
	time.Sleep(8 * time.Second)
	fmt.Printf("8 s later: %.0f MB\n", site.Memory(s.Server()))
	return short
}

// flat writes a picture that is small as a file and large as a picture.
func flat(path string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	img := image.NewNRGBA(image.Rect(0, 0, 8192, 8192))
	for i := range img.Pix {
		img.Pix[i] = 0xc0
	}
	return errors.Join(png.Encode(f, img), f.Close())
}

func fresh() *times { return &times{all: map[string][]float64{}, bad: map[string]int{}} }

// report prints both tables and says whether a promise was not kept.
func report(alone, together *times, editors int) (short bool) {
	fmt.Printf("%-12s %28s %34s\n", "ms", "one alone: n, p50, p95", fmt.Sprintf("%d at once: n, p50, p95, most", editors))
	for _, kind := range []string{"open", "view", "quick patch", "exact patch", "drag", "edit", "check"} {
		fmt.Printf("%-12s %8d %9.0f %9.0f %8d %8.0f %8.0f %8.0f", kind, len(alone.all[kind]), alone.at(kind, .5),
			alone.at(kind, .95),
			len(together.all[kind]), together.at(kind, .5), together.at(kind, .95), together.at(kind, 1))
		if most, ok := promised[kind]; ok {
			fmt.Printf("   promised %.0f", most)
			if together.at(kind, .95) > most {
				fmt.Print(", NOT KEPT")
				short = true
			}
		}
		fmt.Println()
	}
	for what, n := range together.bad {
		fmt.Printf("%d times: %s\n", n, what)
		short = true
	}
	return short
}

// quiet waits until the queue is empty, so that what follows is measured alone.
func quiet(s *site.Site) {
	for range 600 {
		busy := false
		var all []struct{ ID string }
		s.Ask("GET", "/api/programmes", nil, &all)
		for _, p := range all {
			var d struct{ Shots []struct{ ID string } }
			s.Ask("GET", "/api/programmes/"+p.ID, nil, &d)
			for _, sh := range d.Shots {
				var c struct{ State string }
				s.Ask("GET", "/api/shots/"+sh.ID+"/check", nil, &c)
				busy = busy || c.State == "queued" || c.State == "running"
			}
		}
		if !busy {
			return
		}
		time.Sleep(500 * time.Millisecond)
	}
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

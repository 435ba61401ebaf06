package main

import (
	"fmt"
	"io/fs"
	"math/rand"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"celator/dev/site"
)

// wait waits until processes whose parent was killed are gone, and notes those that stay.
func (w *world) wait(kids []site.Process) {
	kids = slices.Clone(kids)
	for range 400 {
		kids = slices.DeleteFunc(kids, func(p site.Process) bool { return syscall.Kill(p.PID, 0) != nil })
		if len(kids) == 0 {
			return
		}
		time.Sleep(25 * time.Millisecond)
	}
	for _, p := range kids {
		w.orphans = append(w.orphans, fmt.Sprintf("%s (%d)", p.Name, p.PID))
	}
}

// lost counts the acknowledged edits that are not among the shots' revisions.
func (w *world) lost() (n int) {
	w.mu.Lock()
	known := slices.Clone(w.edits)
	w.mu.Unlock()
	// Numbers are unbroken from the first, so what the newest is tells whether any is lost;
	// the labels of the newest thousand are compared as well.
	newest, labels := map[string]int{}, map[string]map[int]string{}
	for _, sh := range w.shots {
		var d struct{ Revision struct{ Number int } }
		var all []struct {
			State int
			Label string
		}
		for range 100 {
			if status, err := w.Ask("GET", "/api/shots/"+sh.ID, nil, &d); err == nil && status == 200 {
				if status, err := w.Ask("GET", "/api/shots/"+sh.ID+"/edits", nil, &all); err == nil && status == 200 {
					break
				}
			}
			time.Sleep(100 * time.Millisecond)
		}
		newest[sh.ID], labels[sh.ID] = d.Revision.Number, map[int]string{}
		for _, e := range all {
			labels[sh.ID][e.State] = e.Label
		}
	}
	seen := map[string]map[int]bool{}
	for _, e := range known {
		if seen[e.shot] == nil {
			seen[e.shot] = map[int]bool{}
		}
		label, there := labels[e.shot][e.number]
		if e.number > newest[e.shot] || there && label != e.label || seen[e.shot][e.number] {
			n++
		}
		seen[e.shot][e.number] = true
	}
	return n
}

func (w *world) report(kills int) int {
	fmt.Println("waiting for what was begun")
	bad := false
	open := 0
	for begun := time.Now(); time.Since(begun) < 10*time.Minute; time.Sleep(time.Second) {
		open = 0
		for _, all := range w.states() {
			for _, s := range all {
				if !ended(s) {
					open++
				}
			}
		}
		if open == 0 {
			break
		}
	}
	fate := map[string]int{}
	for kind, all := range w.states() {
		for _, s := range all {
			fate[kind+": "+s]++
		}
	}
	lost := w.lost()
	kids := append(site.Below(w.Server()), site.Below(w.worker.Process.Pid)...)
	w.worker.Process.Signal(syscall.SIGTERM)
	<-w.gone
	halves := w.halves()
	syscall.Kill(w.Server(), syscall.SIGTERM)
	w.wait(kids)
	fmt.Printf("%d kills: %v\n", kills, w.counts)
	fmt.Printf("acknowledged edits %d, lost %d\n", len(w.edits), lost)
	fmt.Printf("not ended %d\n", open)
	for what, n := range fate {
		fmt.Printf("  %4d %s\n", n, what)
		bad = bad || strings.Contains(what, "failed") || strings.Contains(what, "not there")
	}
	fmt.Printf("orphans %d %v\n", len(w.orphans), w.orphans)
	fmt.Printf("half-written files %d %v\n", len(halves), halves[:min(len(halves), 3)])
	slices.Sort(w.returned)
	q := func(p float64) float64 { return w.returned[int(p*float64(len(w.returned)-1))].Seconds() }
	median := 0.
	if len(w.returned) > 0 {
		median = q(.5)
		fmt.Printf("time to come back: %d times, median %.2f s, p95 %.2f s, most %.2f s\n", len(w.returned), median,
			q(.95), q(1))
	}
	if bad || lost > 0 || open > 0 || len(w.orphans) > 0 || len(halves) > 0 || median > 5 {
		fmt.Println("its log is", w.Log.Name())
		return 1
	}
	w.Close()
	return 0
}

// halves are the files of the store that nobody finished.
func (w *world) halves() (out []string) {
	filepath.WalkDir(filepath.Join(w.Data, "store"), func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && (strings.HasSuffix(p, ".part") || strings.HasSuffix(p, ".list") ||
			d.Name() == "frames.txt") {
			out = append(out, strings.TrimPrefix(p, w.Data))
		}
		return nil
	})
	return out
}

func (w *world) kill(what string, rng *rand.Rand) {
	switch what {
	case "server":
		pid := w.Server()
		kids := site.Below(pid)
		w.pausing.Store(true)
		syscall.Kill(pid, syscall.SIGKILL)
		if rng.Intn(2) == 0 { // all of them have gone before it is started again, or not
			w.wait(kids)
		}
		took, err := w.Serve()
		check(err)
		w.wait(kids)
		w.returned = append(w.returned, took)
		w.pausing.Store(false)
	case "worker":
		kids := site.Below(w.worker.Process.Pid)
		w.worker.Process.Kill()
		<-w.gone
		w.wait(kids)
		w.work()
	case "postmaster":
		pid := w.Postmaster()
		if pid == 0 {
			return
		}
		begun := time.Now()
		syscall.Kill(pid, []syscall.Signal{syscall.SIGKILL, syscall.SIGQUIT}[rng.Intn(2)])
		for w.Ready() && time.Since(begun) < time.Second { // until it is seen to be away
			time.Sleep(10 * time.Millisecond)
		}
		for !w.Ready() {
			time.Sleep(20 * time.Millisecond)
			if time.Since(begun) > time.Minute {
				w.count("database that did not come back")
				break
			}
		}
		w.returned = append(w.returned, time.Since(begun))
	case "ffmpeg":
		var all []site.Process
		for _, p := range append(site.Below(w.Server()), site.Below(w.worker.Process.Pid)...) {
			if strings.HasPrefix(p.Name, "ff") {
				all = append(all, p)
			}
		}
		if len(all) == 0 {
			w.count("kill of ffmpeg when there was none")
			return
		}
		syscall.Kill(all[rng.Intn(len(all))].PID, syscall.SIGKILL)
	}
	select {
	case <-w.gone:
		w.count("worker that ended by itself")
		w.work()
	default:
	}
	w.count("kill of " + what)
}

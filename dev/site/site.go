// Package site runs the real program for benches that put it under load or kill it: the
// server and its workers as processes of their own, asked over HTTP as the interface does.
package site

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Site is a program with its folder.
type Site struct {
	Bin, Data, Media, Addr string
	Log                    *os.File
	client                 *http.Client
	mu                     sync.Mutex
	server                 *exec.Cmd
}

// New prepares a program in a fresh folder.
func New(bin, media string) (*Site, error) {
	data, err := os.MkdirTemp("", "celator-site")
	if err != nil {
		return nil, err
	}
	os.Chmod(data, 0o755)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	defer l.Close()
	log, err := os.Create(filepath.Join(os.TempDir(), filepath.Base(data)+".log"))
	if err != nil {
		return nil, err
	}
	abs, err := filepath.Abs(bin)
	if err != nil {
		return nil, err
	}
	if media, err = filepath.Abs(media); err != nil {
		return nil, err
	}
	return &Site{
		Bin: abs, Data: filepath.Join(data, "data"), Media: media, Addr: l.Addr().String(), Log: log,
		client: &http.Client{Timeout: time.Minute, Transport: &http.Transport{MaxIdleConnsPerHost: 64}},
	}, nil
}

// Start starts a command of the program on the site.
func (s *Site) Start(args ...string) (*exec.Cmd, error) {
	cmd := exec.Command(s.Bin, append(args, "--data", s.Data, "--media", s.Media)...)
	cmd.Stdout, cmd.Stderr = s.Log, s.Log
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	return cmd, cmd.Start()
}

// Serve starts the server and returns how long it took until it was ready.
func (s *Site) Serve(args ...string) (time.Duration, error) {
	begun := time.Now()
	for {
		cmd, err := s.Start(append([]string{"serve", "--addr", s.Addr}, args...)...)
		if err != nil {
			return 0, err
		}
		ended := make(chan struct{})
		go func() { cmd.Wait(); close(ended) }()
		s.mu.Lock()
		s.server = cmd
		s.mu.Unlock()
		for again := false; !again; {
			if s.Ready() {
				return time.Since(begun), nil
			}
			select {
			case <-ended:
				again = true // its folder or its address was not free yet
			case <-time.After(20 * time.Millisecond):
			}
			if time.Since(begun) > 2*time.Minute {
				return 0, fmt.Errorf("the server does not come; its log is %s", s.Log.Name())
			}
		}
	}
}

// Ready asks whether the server can work.
func (s *Site) Ready() bool {
	c := http.Client{Timeout: 2 * time.Second}
	r, err := c.Get("http://" + s.Addr + "/readyz")
	if err != nil {
		return false
	}
	r.Body.Close()
	return r.StatusCode == 200
}

// Server is the server's process.
func (s *Site) Server() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.server.Process.Pid
}

// Postmaster is the database server's process, or 0.
func (s *Site) Postmaster() int {
	b, _ := os.ReadFile(filepath.Join(s.Data, "pg", "data", "postmaster.pid"))
	pid, _ := strconv.Atoi(strings.SplitN(string(b), "\n", 2)[0])
	return pid
}

// Close ends the server and takes the folder away.
func (s *Site) Close() {
	syscall.Kill(s.Server(), syscall.SIGTERM)
	for range 300 {
		if syscall.Kill(s.Server(), 0) != nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	os.RemoveAll(filepath.Dir(s.Data))
}

// Ask sends JSON and reads the answer into out, where it is given.
func (s *Site) Ask(method, path string, in, out any) (status int, err error) {
	var body io.Reader
	switch v := in.(type) {
	case nil:
	case []byte:
		body = bytes.NewReader(v)
	default:
		b, err := json.Marshal(in)
		if err != nil {
			return 0, err
		}
		body = bytes.NewReader(b)
	}
	r, err := http.NewRequest(method, "http://"+s.Addr+path, body)
	if err != nil {
		return 0, err
	}
	r.Header.Set("Content-Type", "application/json")
	return s.Do(r, out)
}

// Do sends a request.
func (s *Site) Do(r *http.Request, out any) (status int, err error) {
	a, err := s.client.Do(r)
	if err != nil {
		return 0, err
	}
	defer a.Body.Close()
	b, err := io.ReadAll(a.Body)
	if err != nil {
		return 0, err
	}
	if out != nil && a.StatusCode < 300 {
		err = json.Unmarshal(b, out)
	}
	return a.StatusCode, err
}

// Process is one of those below another.
type Process struct {
	PID, Parent int
	Name        string
}

// Below lists the processes that one has started, and those that they have.
func Below(pid int) (out []Process) {
	all := map[int][]Process{}
	dirs, _ := filepath.Glob("/proc/[0-9]*")
	for _, d := range dirs {
		b, err := os.ReadFile(filepath.Join(d, "stat"))
		if err != nil {
			continue
		}
		open, end := bytes.IndexByte(b, '('), bytes.LastIndexByte(b, ')')
		f := strings.Fields(string(b[end+1:]))
		p := Process{Name: string(b[open+1 : end])}
		p.PID, _ = strconv.Atoi(filepath.Base(d))
		if p.Parent, _ = strconv.Atoi(f[1]); f[0] != "Z" {
			all[p.Parent] = append(all[p.Parent], p)
		}
	}
	for todo := []int{pid}; len(todo) > 0; todo = todo[1:] {
		for _, p := range all[todo[0]] {
			out = append(out, p)
			todo = append(todo, p.PID)
		}
	}
	return out
}

// Memory is the share of the machine's memory that a process has to itself, in MB.
func Memory(pid int) float64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/smaps_rollup", pid))
	if err != nil {
		return 0
	}
	for _, line := range strings.Split(string(b), "\n") {
		if rest, ok := strings.CutPrefix(line, "Pss:"); ok {
			kb, _ := strconv.ParseFloat(strings.Fields(rest)[0], 64)
			return kb / 1024
		}
	}
	return 0
}

// Shot is what the benches need of one.
type Shot struct {
	ID, Source    string
	Frames        int
	Width, Height int
}

// Shots waits until the sources of a programme are ready and lists its shots.
func (s *Site) Shots(programme string) ([]Shot, error) {
	for {
		var p struct {
			Sources []struct {
				ID, State, Error string
				Info             struct{ Width, Height int }
			}
			Shots []Shot
		}
		status, err := s.Ask("GET", "/api/programmes/"+programme, nil, &p)
		if err != nil || status != 200 {
			return nil, fmt.Errorf("the programme: %d, %v", status, err)
		}
		ready := 0
		for _, src := range p.Sources {
			if src.State == "failed" {
				return nil, fmt.Errorf("a source failed: %s", src.Error)
			}
			if src.State == "ready" {
				ready++
			}
			for i := range p.Shots {
				if p.Shots[i].Source == src.ID {
					p.Shots[i].Width, p.Shots[i].Height = src.Info.Width, src.Info.Height
				}
			}
		}
		if ready == len(p.Sources) {
			return p.Shots, nil
		}
		time.Sleep(200 * time.Millisecond)
	}
}

// Cover is a command that adds a plain cover in the middle of a shot.
func Cover(id string, sh Shot) map[string]any {
	w, h := float64(sh.Width), float64(sh.Height)
	knot := func(x, y float64) any { return map[string]any{"p": map[string]float64{"x": x * w, "y": y * h}} }
	return map[string]any{"do": "add", "new": map[string]any{
		"id": id, "name": id, "span": map[string]int{"first": 0, "last": sh.Frames - 1}, "grow": 0,
		"soften": map[string]int{"across": 4, "down": 4},
		"outlines": []any{map[string]any{
			"id": "o", "shape": "box",
			"keys": []any{map[string]any{"frame": 0, "knots": []any{
				knot(.42, .42), knot(.58, .42), knot(.58, .56), knot(.42, .56),
			}}},
		}},
		"motion": map[string]any{"pivot": map[string]float64{"x": .5 * w, "y": .5 * h}, "keys": []any{}},
		"treatments": []any{map[string]any{
			"id": "b", "kind": "blur", "strength": 1,
			"sigma": map[string]int{"across": 14, "down": 14},
		}},
	}}
}

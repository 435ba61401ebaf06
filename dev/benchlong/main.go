// Command benchlong brings a long master into the running program and looks at it: how fast it comes in, also when
// the server is killed in the middle, what its views take, how long a step, a leap and a page take, and the memory.
// MINUTES is how long the master is, 120 where it is not given.
package main

import (
	"fmt"
	"io"
	"io/fs"
	"log"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"syscall"
	"time"

	"celator/dev/floor"
	"celator/dev/site"
)

const rate = 25

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

// master makes a 1080p H.264 of so many minutes, of a scene that comes again every two.
func master(dir string, minutes int) {
	ffmpeg := func(args ...string) {
		out, err := exec.Command("ffmpeg", append([]string{"-v", "error", "-y"}, args...)...).CombinedOutput()
		if err != nil {
			log.Fatalf("%v: %s", err, out)
		}
	}
	scene := filepath.Join(dir, "scene.mp4")
	ffmpeg("-f", "lavfi", "-i", "testsrc2=size=1920x1080:rate=25:duration=120", "-c:v", "libx264", "-preset", "ultrafast",
		"-crf", "34", "-g", "50", "-pix_fmt", "yuv420p", scene)
	ffmpeg("-stream_loop", "-1", "-i", scene, "-f", "lavfi", "-i", "sine=sample_rate=48000", "-map", "0:v", "-map", "1:a",
		"-c:v", "copy", "-c:a", "aac", "-b:a", "64k", "-t", strconv.Itoa(60*minutes), filepath.Join(dir, "long.mp4"))
	check(os.Remove(scene))
}

func main() {
	log.SetFlags(0)
	minutes, err := strconv.Atoi(os.Getenv("MINUTES"))
	if err != nil {
		minutes = 120
	}
	dir, err := os.MkdirTemp("", "celator-long")
	check(err)
	defer os.RemoveAll(dir)
	log.Printf("making a master of %d minutes", minutes)
	master(dir, minutes)
	s, err := site.New("bin/celator", dir)
	check(err)
	defer s.Close()
	_, err = s.Serve()
	check(err)
	defer floor.End()

	var programme, source struct {
		ID, State, Error string
		Views, Frames    int
	}
	ask := func(method, path string, in, out any) {
		status, err := s.Ask(method, path, in, out)
		if err != nil || status >= 300 {
			log.Fatalf("%s %s: %d, %v", method, path, status, err)
		}
	}
	ask("POST", "/api/programmes", map[string]any{"name": "Long"}, &programme)
	ask("POST", "/api/programmes/"+programme.ID+"/sources", map[string]any{"media": "long.mp4"}, &source)
	begun := time.Now()
	var most float64
	killed := false
	for source.State != "ready" {
		time.Sleep(time.Second)
		most = max(most, site.Memory(s.Server()))
		if status, err := s.Ask("GET", "/api/sources/"+source.ID, nil, &source); err != nil || status != 200 {
			continue
		}
		if source.State == "failed" {
			log.Fatal(source.Error)
		}
		if !killed && source.Views > source.Frames/2 {
			killed = true
			syscall.Kill(s.Server(), syscall.SIGKILL)
			_, err := s.Serve()
			check(err)
		}
	}
	took := time.Since(begun)
	floor.AtLeast("a long master comes in, times as fast as it plays", 60*float64(minutes)/took.Seconds(), 3)
	fmt.Printf("%d frames in %.0f s, killed once; memory of the server at most %.0f MB\n", source.Frames, took.Seconds(),
		most)

	folder := filepath.Join(s.Data, "store", "sources", source.ID, "views")
	fmt.Printf("views before anybody looks: %.1f MB a minute\n", size(folder)/1e6/float64(minutes))
	look(s, source.ID, source.Frames)
	for i := 0; size(folder) < 41e6*float64(minutes) && i < source.Frames/100; i++ { // all over it
		view(s, source.ID, i*100+50)
	}
	time.Sleep(10 * time.Second)
	floor.AtMost("views after all was looked at, MB a minute", size(folder)/1e6/float64(minutes), 40)
	for _, page := range []string{"/api/sources/" + source.ID, "/api/programmes/" + programme.ID} {
		begun := time.Now()
		ask("GET", page, nil, nil)
		floor.AtMost("a page, ms: "+page[:12], float64(time.Since(begun).Microseconds())/1000, 100)
	}
	fmt.Printf("memory of the server afterwards %.0f MB\n", site.Memory(s.Server()))
}

// look steps forwards and back at playing speed, and leaps.
func look(s *site.Site, source string, frames int) {
	r := rand.New(rand.NewPCG(7, 7))
	var leaps []float64
	for range 12 {
		leaps = append(leaps, view(s, source, r.IntN(frames)))
	}
	slices.Sort(leaps)
	fmt.Printf("a leap to where nobody looked: median %.0f ms, at most %.0f\n", leaps[6], leaps[11])
	for _, way := range []int{1, -1} {
		f := frames/3 + r.IntN(frames/3)
		var steps []float64
		for range 500 {
			steps = append(steps, view(s, source, f))
			f += way
			time.Sleep(time.Second / rate)
		}
		slices.Sort(steps)
		floor.AtMost(fmt.Sprintf("p95 of a step by %+d, ms", way), steps[475], 80)
		fmt.Printf("steps by %+d: median %.1f ms, p95 %.1f, at most %.0f\n", way, steps[250], steps[475], steps[499])
	}
}

// view asks for a view and returns how long it took, ms.
func view(s *site.Site, source string, f int) float64 {
	begun := time.Now()
	r, err := http.Get(fmt.Sprintf("http://%s/api/sources/%s/views/%d.jpg", s.Addr, source, f))
	check(err)
	defer r.Body.Close()
	if _, err := io.Copy(io.Discard, r.Body); err != nil || r.StatusCode != http.StatusOK {
		log.Fatalf("view %d: %s, %v", f, r.Status, err)
	}
	return float64(time.Since(begun).Microseconds()) / 1000
}

// size is how many bytes the files of a folder have.
func size(dir string) (n float64) {
	filepath.WalkDir(dir, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if st, err := d.Info(); err == nil {
				n += float64(st.Size())
			}
		}
		return nil
	})
	return n
}

// Command benchtrack measures the tracker against ground truth: on the demo
// shots and on trials, one hard case each, drawn when they are not there. It runs
// the program itself, as anybody would, prints what it saw and judges nothing.
//
// With PEERS set to a script that is called as "SCRIPT FOLDER NAME --out DIR" and
// writes DIR/NAME.csv in the same form, the contenders named in AGAINST
// (separated by spaces) run on the same clips, after one another. With POINTS set,
// three points of each surface are followed as well. With WORLD set to work or kept,
// COUNT trials of that part are made from photographs instead.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"celator/core/geom"
	"celator/dev/floor"
	"celator/internal/demo"
)

// tally gathers the errors of one contender.
type tally struct {
	errs    []float64 // px, of frames with at least 30 % of the surface seen
	lost    int       // of those with at least half seen, those over 20 px
	half    int
	jitter  []float64 // squared second differences
	wrong   int       // said to be good, and over 2 px
	good    int
	frames  int
	wall    time.Duration
	cpu     time.Duration
	memory  int64 // kB
	back    []int // frames from coming back into sight until under 5 px
	notBack int
	soon    int // times out of sight after which one of the first three frames is under 2 px
}

// easy are the clips on which a point is expected within 0.15 px, the others 0.5.
var easy = []string{"scale", "turn", "tilt", "part hidden", "glints", "departures", "quay-trike"}

// Long: one trial after the other, and what they came to.
func main() {
	log.SetFlags(0)
	data := os.Getenv("CELATOR_DATA")
	if data == "" {
		data = ".run"
	}
	names := append([]string{"ours"}, strings.Fields(os.Getenv("AGAINST"))...)
	if os.Getenv("PEERS") == "" {
		names = names[:1]
	}
	if part := os.Getenv("WORLD"); part != "" {
		world(part, data, names)
		return
	}
	shots, trials := filepath.Join(data, "media", "tidewrack-week"), filepath.Join(data, "trials")
	check(demo.Generate(context.Background(), shots, demo.Shots, func(s string) { log.Print(s) }))
	check(demo.Generate(context.Background(), trials, demo.Trials, func(s string) { log.Print(s) }))
	all := map[string]*tally{}
	fmt.Printf("%-16s", "")
	for _, n := range names {
		all[n] = &tally{}
		fmt.Printf("| %-43s", n)
	}
	fmt.Printf("\n%-16s", "within, % of frames")
	for range names {
		fmt.Printf("| %6s %6s %6s %7s %6s %6s", "1 px", "2 px", "5 px", "median", "lost", "fps")
	}
	fmt.Println()
	only := os.Getenv("ONLY")
	for _, set := range []struct {
		dir   string
		shots []demo.Shot
	}{{shots, demo.Shots}, {trials, demo.Trials}} {
		for _, s := range set.shots {
			if only != "" && !strings.Contains(only, s.Name) {
				continue
			}
			fmt.Printf("%-16s", s.Name)
			for _, n := range names {
				one := &tally{}
				one.run(n, filepath.Join(set.dir, s.Name), s)
				if s.Name != "cloth" { // not rigid: held against the best homography, by itself
					all[n].add(one)
				}
				fmt.Print(one)
			}
			fmt.Println()
		}
	}
	fmt.Printf("%-16s", "all but cloth")
	for _, n := range names {
		fmt.Print(all[n])
	}
	fmt.Println()
	for _, n := range names {
		t := all[n]
		fmt.Printf("%s: jitter %.2f px; %.0f ms of processor a frame; %d MB at most; back in sight %d times, under 5 "+
			"px after %v frames, never %d times, under 2 px within three frames %d times", n, math.Sqrt(mean(t.jitter)),
			t.cpu.Seconds()*1000/float64(t.frames), t.memory>>10, len(t.back)+t.notBack, t.back, t.notBack, t.soon)
		if t.good > 0 {
			fmt.Printf("; of %d frames said to be good %.1f %% are within 2 px", t.good,
				100*(1-float64(t.wrong)/float64(t.good)))
		}
		fmt.Println()
	}
	if only == "" { // what docs/benchmarks.md claims of us, who come first
		floor.AtLeast("frames within 2 px, %", all[names[0]].within(2), 97.5)
		floor.AtLeast("frames within 1 px, %", all[names[0]].within(1), 90)
		floor.AtMost("frames lost, %", 100*float64(all[names[0]].lost)/float64(max(all[names[0]].half, 1)), .1)
	}
	defer floor.End()
	if os.Getenv("POINTS") == "" {
		return
	}
	kinds := map[bool][]float64{}
	for _, set := range []struct {
		dir   string
		shots []demo.Shot
	}{{shots, demo.Shots}, {trials, demo.Trials}} {
		for _, s := range set.shots {
			if only != "" && !strings.Contains(only, s.Name) || s.Name == "cloth" {
				continue
			}
			errs := points(filepath.Join(set.dir, s.Name), s)
			tellPoints(s.Name, errs)
			k := slices.Contains(easy, s.Name)
			kinds[k] = append(kinds[k], errs...)
		}
	}
	for k, errs := range kinds {
		tellPoints(map[bool]string{true: "easy", false: "hard"}[k], errs)
	}
}

// points follows three points of each clip's surface and prints how far from the
// truth they are, in frames in which all of the surface is seen.
func points(dir string, s demo.Shot) (errs []float64) {
	truth, err := demo.ReadTruth(dir)
	check(err)
	ref := truth[s.Reference].Corners
	var pts []geom.Point
	args := []string{"track", "--clip", filepath.Join(dir, "clip.mp4"), "--frame", strconv.Itoa(s.Reference), "--out", "-"}
	for _, at := range []geom.Point{{X: .5, Y: .5}, {X: .25, Y: .4}, {X: .75, Y: .6}} {
		p := ref[0].Lerp(ref[1], at.X).Lerp(ref[3].Lerp(ref[2], at.X), at.Y)
		pts = append(pts, p)
		args = append(args, "--point", fmt.Sprintf("%f,%f", p.X, p.Y))
	}
	out, err := exec.Command("bin/celator", args...).Output()
	check(err)
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n")[1:] {
		f := strings.Split(line, ",")
		n, _ := strconv.Atoi(f[0])
		i, _ := strconv.Atoi(f[1])
		x, _ := strconv.ParseFloat(f[2], 64)
		y, _ := strconv.ParseFloat(f[3], 64)
		if n == s.Reference || truth[n].Visible < .97 {
			continue
		}
		m, err := geom.QuadToQuad(ref, truth[n].Corners)
		check(err)
		errs = append(errs, geom.Pt(x, y).Sub(m.Apply(pts[i])).Len())
	}
	return errs
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func (t *tally) run(name, dir string, s demo.Shot) {
	b, err := os.ReadFile(filepath.Join(dir, "meta.json"))
	check(err)
	var meta demo.Meta
	check(json.Unmarshal(b, &meta))
	truth, err := demo.ReadTruth(dir)
	check(err)
	out, err := os.MkdirTemp("", "celator-bench-track")
	check(err)
	defer os.RemoveAll(out)
	csv := filepath.Join(out, name+".csv")
	cmd := exec.Command(os.Getenv("PEERS"), dir, name, "--out", out)
	if name == "ours" {
		var quad []string
		for i := range 4 {
			quad = append(quad, fmt.Sprintf("%f,%f", meta.Quad[2*i], meta.Quad[2*i+1]))
		}
		cmd = exec.Command("bin/celator", "track", "--clip", filepath.Join(dir, "clip.mp4"), "--quad",
			strings.Join(quad, " "), "--frame", strconv.Itoa(s.Reference), "--out", csv)
	}
	begun := time.Now()
	if b, err := cmd.CombinedOutput(); err != nil {
		log.Fatalf("%s on %s: %v\n%s", name, dir, err, b)
	}
	t.wall, t.frames = time.Since(begun), s.Frames
	usage := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	t.cpu, t.memory = cmd.ProcessState.UserTime()+cmd.ProcessState.SystemTime(), usage.Maxrss
	t.score(csv, truth, s.Reference)
}

// score compares a result with the truth. The error of a frame is the root mean
// square distance of the four corners.
//
// Long: all figures of one run are taken in one pass.
func (t *tally) score(csv string, truth []demo.Truth, reference int) {
	b, err := os.ReadFile(csv)
	check(err)
	errs := make([]float64, len(truth))
	offs := make([][4]geom.Point, len(truth))
	for i := range errs {
		errs[i] = math.Inf(1)
	}
	for _, line := range strings.Split(strings.TrimSpace(string(b)), "\n")[1:] {
		f := strings.Split(line, ",")
		n, err := strconv.Atoi(f[0])
		if err != nil || n < 0 || n >= len(truth) || len(f) < 11 {
			continue
		}
		var sum float64
		for i := range 4 {
			x, _ := strconv.ParseFloat(f[1+2*i], 64)
			y, _ := strconv.ParseFloat(f[2+2*i], 64)
			offs[n][i] = geom.Pt(x, y).Sub(truth[n].Corners[i])
			sum += offs[n][i].Dot(offs[n][i])
		}
		errs[n] = math.Sqrt(sum / 4)
		if f[10] == "good" {
			t.good++
			if errs[n] > 2 {
				t.wrong++
			}
		}
	}
	for i, e := range errs {
		if i == reference {
			continue
		}
		if truth[i].Visible >= .3 {
			t.errs = append(t.errs, e)
		}
		if truth[i].Visible >= .5 {
			t.half++
			if e > 20 {
				t.lost++
			}
		}
		if i > 0 && i+1 < len(errs) {
			steady := true
			for k := i - 1; k <= i+1; k++ {
				steady = steady && errs[k] < 20 && truth[k].Visible >= .3
			}
			if steady {
				var sum float64
				for c := range 4 {
					d := offs[i+1][c].Sub(offs[i][c].Mul(2)).Add(offs[i-1][c])
					sum += d.Dot(d)
				}
				t.jitter = append(t.jitter, sum/4)
			}
		}
	}
	for _, way := range []int{1, -1} { // time runs outwards from the reference
		hidden := false
		for i := reference; i >= 0 && i < len(errs); i += way {
			hidden = hidden || truth[i].Visible < .1
			if !hidden || truth[i].Visible < .5 {
				continue
			}
			hidden = false
			for k := i; k >= 0 && k < len(errs) && k != i+3*way; k += way {
				if errs[k] < 2 {
					t.soon++
					break
				}
			}
			n := 0
			for k := i; k >= 0 && k < len(errs) && errs[k] >= 5; k += way {
				n++
			}
			if k := i + n*way; k < 0 || k >= len(errs) {
				t.notBack++
			} else {
				t.back = append(t.back, n)
			}
		}
	}
}

func (t *tally) add(o *tally) {
	t.errs, t.jitter, t.back = append(t.errs, o.errs...), append(t.jitter, o.jitter...), append(t.back, o.back...)
	t.lost, t.half, t.wrong, t.good, t.frames, t.notBack, t.soon = t.lost+o.lost, t.half+o.half, t.wrong+o.wrong,
		t.good+o.good, t.frames+o.frames, t.notBack+o.notBack, t.soon+o.soon
	t.wall, t.cpu, t.memory = t.wall+o.wall, t.cpu+o.cpu, max(t.memory, o.memory)
}

// within is the percentage of frames that are off by no more than so many pixels.
func (t *tally) within(px float64) float64 {
	n := 0
	for _, e := range t.errs {
		if e <= px {
			n++
		}
	}
	return 100 * float64(n) / float64(max(len(t.errs), 1))
}

func (t *tally) String() string {
	within := t.within
	slices.Sort(t.errs)
	return fmt.Sprintf("| %6.1f %6.1f %6.1f %7.2f %6.1f %6.1f", within(1), within(2), within(5), t.errs[len(t.errs)/2],
		100*float64(t.lost)/float64(max(t.half, 1)), float64(t.frames)/t.wall.Seconds())
}

func mean(v []float64) float64 {
	var s float64
	for _, x := range v {
		s += x
	}
	return s / float64(max(len(v), 1))
}

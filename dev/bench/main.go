// Command bench measures what the project promises of whole runs: rendering
// against ffmpeg alone, memory, exactness of archives, speed of bringing in. It
// prints what it saw and judges nothing. ONLY=render measures rendering
// alone, ONLY=fields that of fields against whole pictures, ONLY=master masters as the source is.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/dev/floor"
	"celator/internal/deliver"
	"celator/internal/demo"
	"celator/internal/media"
)

func main() {
	log.SetFlags(0)
	dir, err := os.MkdirTemp("", "celator-bench")
	check(err)
	defer os.RemoveAll(dir)
	data := os.Getenv("CELATOR_DATA")
	if data == "" {
		data = ".run"
	}
	clip := filepath.Join(data, "media", "tidewrack-week", "departures", "clip.mp4")
	if _, err := os.Stat(clip); err != nil {
		check(demo.Generate(context.Background(), filepath.Join(data, "media", "tidewrack-week"), demo.Shots,
			func(s string) { log.Print(s) }))
	}
	defer floor.End() // what docs/benchmarks.md claims
	if only := os.Getenv("ONLY"); only == "" || only == "master" {
		faster, change := master(dir)
		floor.AtLeast("a master as the source, times as fast as coded anew", faster, 6)
		floor.AtMost("a small change in a master, of coding it anew", change, .1)
		if only != "" {
			return
		}
	}
	floor.AtMost("render of fields, times that of whole pictures", fields(dir), 1.3)
	if os.Getenv("ONLY") == "fields" {
		return
	}
	floor.AtMost("render with three covers, times ffmpeg's", render(dir, clip, "three covers", 7, 60, document), 1.15)
	// The whole clip, since the clean plates of these are made of all of it first.
	ten := render(dir, clip, "ten covers of five treatments", 3, 180, func(i media.Info) *cover.Document {
		k := []cover.Kind{cover.Blur, cover.Mosaic, cover.Fill, cover.Dim, cover.SurfaceFill}
		return covers(i, append(k, k...)...)
	})
	floor.AtMost("render with ten covers, times ffmpeg's", ten, 1.3)
	if os.Getenv("ONLY") == "render" {
		return
	}
	memory(dir)
	exact(dir)
	ingest(dir, filepath.Join(data, "media", "tidewrack-week", "quay-trike", "clip.mp4"))
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

// document has three covers of about 300x120, one of each of the plainest treatments,
// moving.
func document(i media.Info) *cover.Document {
	d := covers(i, cover.Blur, cover.Mosaic, cover.Fill)
	d.Covers[2].Treatments[0].Around, d.Covers[2].Treatments[0].Grain = false, cover.Const(0)
	return d
}

// covers has a cover of about 300x120 for each kind, moving.
func covers(i media.Info, kinds ...cover.Kind) *cover.Document {
	d := cover.New(i.Width, i.Height, i.Frames)
	for n, kind := range kinds {
		x, y := float64(i.Width)*(.1+.25*float64(n%3)), float64(i.Height)*(.3+.13*float64(n/3))
		r := geom.Rect{Min: geom.Pt(x, y), Max: geom.Pt(x+300, y+120)}
		d.Covers = append(d.Covers, cover.Cover{
			ID: fmt.Sprint("c", n), Name: string(kind), Span: cover.Span{First: 0, Last: i.Frames - 1},
			Soften: cover.ConstPair(6, 6), Treatments: []cover.Treatment{cover.NewTreatment("t", kind)},
			Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}},
			Motion: cover.Motion{Pivot: r.Centre(), Keys: []cover.PlacementKey{
				{Placement: cover.Rest},
				{Frame: cover.Time(i.Frames - 1), Placement: cover.Placement{
					Move: geom.Pt(120, 160), Turn: 8, Size: geom.Pt(1.1, 1.1),
				}},
			}},
		})
	}
	return d
}

func write(dir string, d *cover.Document) string {
	b, err := d.Marshal()
	check(err)
	p := filepath.Join(dir, "doc.json")
	check(os.WriteFile(p, b, 0o600))
	return p
}

// timed runs a command and returns its wall time and its own peak memory in MB
// (without that of the processes it starts).
func timed(name string, args ...string) (time.Duration, float64) {
	cmd := exec.Command(name, args...)
	var said strings.Builder
	cmd.Stderr = &said
	from := time.Now()
	check(cmd.Start())
	done := make(chan error, 1)
	go func() { done <- cmd.Wait() }()
	var peak float64
	for {
		select {
		case err := <-done:
			if err != nil {
				log.Print(said.String())
			}
			check(err)
			return time.Since(from), peak
		case <-time.After(50 * time.Millisecond):
			b, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", cmd.Process.Pid))
			for l := range strings.Lines(string(b)) {
				var kb float64
				if n, _ := fmt.Sscanf(l, "VmHWM: %f kB", &kb); n == 1 {
					peak = max(peak, kb/1024)
				}
			}
		}
	}
}

func median(xs []float64) float64 { slices.Sort(xs); return xs[len(xs)/2] }

// render compares wall time with ffmpeg alone, in pairs: on a shared machine one
// pair says little.
func render(dir, clip, what string, pairs, frames int, doc func(media.Info) *cover.Document) (ratio float64) {
	info, err := media.Probe(context.Background(), clip)
	check(err)
	path, out := write(dir, doc(info)), filepath.Join(dir, "out.mp4")
	plain := append([]string{
		"-v", "error", "-y", "-i", clip, "-map", "0:v", "-map", "0:a?", "-c:a", "aac", "-frames:v",
		fmt.Sprint(frames),
	}, media.Presets["review"].EncoderArgs(info)...)
	plain = append(plain, "-movflags", "+faststart", filepath.Join(dir, "plain.mp4"))
	var ours, theirs, ratios []float64
	var mem float64
	for range pairs {
		a, m := timed("bin/celator", "render", "--clip", clip, "--document", path, "--out", out, "--to", fmt.Sprint(frames-1))
		b, _ := timed("ffmpeg", plain...)
		mem = max(mem, m)
		ours, theirs, ratios = append(ours, a.Seconds()), append(theirs, b.Seconds()), append(ratios, a.Seconds()/b.Seconds())
	}
	fmt.Printf("render, %dx%d, %d frames, %s of about 300x120, review: %.1f s, ffmpeg alone %.1f s, ratio %.2f "+
		"(pairs: %s); own memory %.0f MB\n",
		info.Width, info.Height, frames, what, median(ours), median(theirs), median(ratios), list(ratios), mem)
	return median(ratios)
}

// fields renders the same pictures as whole ones and as fields, in turn, and returns the ratio.
func fields(dir string) float64 {
	clips := map[string]string{"whole": "prog", "woven": "tff"}
	for name, set := range clips {
		clips[name] = filepath.Join(dir, name+".mxf")
		timed("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=1920x1080:rate=50:duration=3", "-vf",
			"tinterlace=interleave_top,setfield="+set, "-r", "25", "-c:v", "mpeg2video", "-b:v", "30M", "-flags", "+ildct+ilme",
			"-pix_fmt", "yuv422p", clips[name])
	}
	var ratios []float64
	for range 5 {
		var took [2]time.Duration
		for i, name := range []string{"whole", "woven"} {
			info, err := media.Probe(context.Background(), clips[name])
			check(err)
			took[i], _ = timed("bin/celator", "render", "--clip", clips[name], "--document", write(dir, document(info)), "--out",
				filepath.Join(dir, "fields.mkv"))
		}
		ratios = append(ratios, took[1].Seconds()/took[0].Seconds())
	}
	fmt.Printf("render, 1080 lines, 75 frames of fields against the same as whole pictures, archive: %.2f (pairs: %s)\n",
		median(ratios), list(ratios))
	return median(ratios)
}

func list(xs []float64) string {
	var s []string
	for _, x := range xs {
		s = append(s, fmt.Sprintf("%.2f", x))
	}
	return strings.Join(s, ", ")
}

// memory compares a short clip with one ten times as long.
func memory(dir string) {
	for _, seconds := range []int{4, 40} {
		clip := filepath.Join(dir, "long.mp4")
		timed("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
			fmt.Sprintf("testsrc2=size=1920x1080:rate=25:duration=%d", seconds), "-c:v", "libx264", "-preset", "ultrafast",
			"-pix_fmt", "yuv420p", clip)
		info, err := media.Probe(context.Background(), clip)
		check(err)
		t, m := timed("bin/celator", "render", "--clip", clip, "--document", write(dir, document(info)), "--out",
			filepath.Join(dir, "long-out.mkv"))
		fmt.Printf("memory, 1080p, %d frames, archive: %.0f MB in %.1f s\n", info.Frames, m, t.Seconds())
		floor.AtMost("the program's own memory at 1080p, MB", m, 300)
		os.Remove(filepath.Join(dir, "long-out.mkv"))
	}
}

// exact renders archives and compares every sample outside the mattes.
func exact(dir string) {
	for _, pix := range []string{"yuv420p", "yuv422p10le"} {
		clip, out := filepath.Join(dir, pix+".mkv"), filepath.Join(dir, pix+"-out.mkv")
		timed("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=25:duration=4", "-vf",
			"noise=alls=12:allf=t", "-c:v", "libx264", "-preset", "ultrafast", "-pix_fmt", pix, clip)
		info, err := media.Probe(context.Background(), clip)
		check(err)
		j := deliver.Job{
			Clip: media.Clip{Path: clip, Info: info}, Sound: clip, Parts: deliver.Whole(document(info)),
			Preset: media.Presets["archive"], Last: info.Frames - 1, Total: info.Frames, Out: out,
		}
		check(deliver.Render(context.Background(), j))
		proof, err := deliver.Verify(context.Background(), j, nil)
		b, _ := json.Marshal(proof)
		fmt.Printf("archive, 720p %s: %s, error: %v\n", pix, b, err)
	}
}

// ingest measures the making of view frames against playing.
func ingest(dir, clip string) {
	info, err := media.Probe(context.Background(), clip)
	check(err)
	var speeds []float64
	for range 3 {
		from := time.Now()
		_, err = media.MakeViews(context.Background(), media.Clip{Path: clip, Info: info}, filepath.Join(dir, "views"), nil)
		check(err)
		speeds = append(speeds, info.Duration/time.Since(from).Seconds())
	}
	fmt.Printf("view frames, %dx%d at %.5g: %.2f times the speed of playing (runs: %s)\n", info.Width, info.Height,
		info.Rate.Float(), median(speeds), list(speeds))
}

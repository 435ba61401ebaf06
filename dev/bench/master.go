package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/deliver"
	"celator/internal/media"
)

// master measures how many times as fast a master with covers on a twentieth of its frames goes out as the
// source is than coded anew altogether, and what one small change then takes, as a share of the first delivery. It
// lasts MINUTES, 24 s where that is not set; of a longer one the first 24 s are coded anew, and that is multiplied.
func master(dir string) (faster, change float64) {
	ctx := context.Background()
	const seconds = 24
	clip := filepath.Join(dir, "master.mov")
	times := 1
	if m, err := strconv.ParseFloat(os.Getenv("MINUTES"), 64); err == nil {
		times = max(int(m*60/seconds), 1)
	}
	timed("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i",
		fmt.Sprintf("testsrc2=size=1920x1080:rate=25:duration=%d,noise=alls=8:allf=t", seconds), "-f", "lavfi", "-i",
		fmt.Sprintf("sine=r=48000:duration=%d", seconds), "-c:v", "prores_ks", "-profile:v", "1", "-pix_fmt",
		"yuv422p10le", "-c:a", "pcm_s24le", clip)
	if short := clip; times > 1 {
		clip = filepath.Join(dir, "long.mov")
		timed("ffmpeg", "-v", "error", "-y", "-stream_loop", fmt.Sprint(times-1), "-i", short, "-map", "0", "-c", "copy",
			"-video_track_timescale", "25", clip)
	}
	info, err := media.Probe(ctx, clip)
	check(err)
	d := cover.New(info.Width, info.Height, info.Frames)
	r := geom.Rect{Min: geom.Pt(600, 400), Max: geom.Pt(1000, 520)}
	for n := range 5 * times { // of 6 frames each, a twentieth of 600
		first := 600*(n/5) + 40 + 110*(n%5)
		d.Covers = append(d.Covers, cover.Cover{
			ID: fmt.Sprint("c", n), Name: "c", Span: cover.Span{First: first, Last: first + 5}, Soften: cover.ConstPair(6, 6),
			Treatments: []cover.Treatment{cover.NewTreatment("t", cover.Mosaic)},
			Outlines:   []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{Knots: geom.Box(r)}}}},
			Motion:     cover.Motion{Pivot: r.Centre(), Keys: []cover.PlacementKey{}},
		})
	}
	same, err := info.Same()
	check(err)
	render := func(p media.Preset, out string, frames int) (deliver.Job, float64) {
		j := deliver.Job{
			Clip: media.Clip{Path: clip, Info: info}, Sound: clip, Original: info, Parts: deliver.Whole(d), Preset: p,
			Last: frames - 1, Total: info.Frames, Out: filepath.Join(dir, out),
		}
		from := time.Now()
		check(deliver.Render(ctx, j))
		return j, time.Since(from).Seconds()
	}
	_, anew := render(media.Presets["prores-lt"], "anew.mov", info.Frames/times)
	anew *= float64(times)
	j, copied := render(same, "same.mov", info.Frames)
	j.Clip, err = j.Clip.Summed(ctx) // as those that were brought in have them
	check(err)
	from := time.Now()
	proof, err := deliver.Verify(ctx, j, nil)
	b, _ := json.Marshal(proof)
	proved := time.Since(from).Seconds()

	// One cover changes: its stretch is rendered, the others are kept.
	from = time.Now()
	spans, err2 := j.Encoded(ctx)
	check(err2)
	var pieces []deliver.Piece
	var kept time.Duration
	for i, s := range spans {
		part := j
		part.First, part.Last, part.Segment, part.Out = s.First, s.Last, true, filepath.Join(dir, fmt.Sprint(i, ".mov"))
		before := time.Now()
		check(deliver.Render(ctx, part))
		if i > 0 {
			kept += time.Since(before)
		}
		pieces = append(pieces, deliver.Piece{File: part.Out, First: s.First, Last: s.Last})
	}
	check(deliver.Join(ctx, j, pieces, nil))
	again := (time.Since(from) - kept).Seconds()
	fmt.Printf("master of %d s, 1080p ProRes LT, covers on 5 %%: coded anew %.1f s, as the source %.1f s (%.1f times as "+
		"fast), proved in %.1f s; after a change of one cover %.1f s (%.0f %% of coding anew); %s, error: %v\n",
		seconds*times, anew, copied, anew/copied, proved, again, 100*again/anew, b, err)
	return anew / copied, again / anew
}

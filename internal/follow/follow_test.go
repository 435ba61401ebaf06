package follow

import (
	"context"
	"errors"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/media"
)

// drawn is a clip that ffmpeg makes without loss, by its arguments.
func drawn(t *testing.T, args ...string) media.Clip {
	t.Helper()
	path := filepath.Join(t.TempDir(), "clip.mkv")
	args = append(append([]string{"-v", "error"}, args...), "-c:v", "ffv1", "-level", "3", path)
	if out, err := exec.Command("ffmpeg", args...).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	info, err := media.Probe(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	return media.Clip{Path: path, Info: info}
}

// cloud is a picture of noise.
const cloud = "nullsrc=size=640x480:rate=25:duration=0.04,format=yuv420p,geq=lum='255*random(1)':cb=128:cr=128," +
	"gblur=sigma=3,eq=contrast=5"

// clip makes a moving cloud.
func clip(t *testing.T, depth string) media.Clip {
	t.Helper()
	return drawn(t, "-f", "lavfi", "-i", cloud, "-vf",
		"loop=loop=29:size=1,setpts=N/25/TB,crop=320:240:80+3*n:60+2*n:exact=1,format="+depth, "-frames:v", "30")
}

func job(c media.Clip) Job {
	return Job{
		Clip: c, Outline: []geom.Point{{X: 90, Y: 60}, {X: 230, Y: 60}, {X: 230, Y: 170}, {X: 90, Y: 170}},
		Model: track.Affine, Anchors: []Anchor{{Frame: 14, Map: geom.Identity}}, To: c.Info.Frames - 1,
	}
}

// Every frame is told once, the reference first and both ways outwards from it;
// on one core as on several, and in 10 bit, they are the same; a run that is
// stopped has told the same poses as a whole one.
func TestRun(t *testing.T) {
	poses := func(c media.Clip, stop int) map[int]track.Pose {
		got := map[int]track.Pose{}
		ctx, cancel := context.WithCancel(context.Background())
		defer cancel()
		j := job(c)
		last := [2]int{14, 14}
		j.Found = func(f int, ps []track.Pose) {
			p := ps[0]
			if _, twice := got[f]; twice {
				t.Errorf("frame %d is told twice", f)
			}
			switch {
			case len(got) == 0:
				if f != 14 || p.State != track.Anchor {
					t.Errorf("begins with frame %d, %s", f, p.State)
				}
			case f == last[0]-1:
				last[0] = f
			case f == last[1]+1:
				last[1] = f
			default:
				t.Errorf("frame %d after %v", f, last)
			}
			if got[f] = p; len(got) == stop {
				cancel()
			}
		}
		if err := Run(ctx, j); err != nil && !(stop > 0 && errors.Is(err, context.Canceled)) {
			t.Fatal(err)
		}
		return got
	}
	c := clip(t, "yuv420p")
	whole := poses(c, 0)
	if len(whole) != c.Info.Frames || c.Info.Frames != 30 {
		t.Fatalf("%d of %d frames", len(whole), c.Info.Frames)
	}
	for f, p := range whole {
		// The picture moves by 3 and 2 px a frame, to the left and up.
		d := p.Map.Apply(geom.Pt(160, 115)).Sub(geom.Pt(160-3*float64(f-14), 115-2*float64(f-14)))
		if d.Len() > .6 || p.State == track.Lost {
			t.Errorf("frame %d: %.2f px off, %s", f, d.Len(), p.State)
		}
	}
	same := func(what string, got map[int]track.Pose) {
		for f, p := range got {
			if p != whole[f] {
				t.Errorf("%s: frame %d is %+v, was %+v", what, f, p, whole[f])
			}
		}
	}
	part := poses(c, 9)
	if len(part) < 9 || len(part) >= len(whole) {
		t.Errorf("stopped after %d frames", len(part))
	}
	same("stopped", part)
	old := runtime.GOMAXPROCS(1)
	same("one core", poses(c, 0))
	runtime.GOMAXPROCS(old)
	for f, p := range poses(clip(t, "yuv420p10le"), 0) {
		if d := p.Map.Apply(geom.Pt(160, 115)).Sub(whole[f].Map.Apply(geom.Pt(160, 115))).Len(); d > .2 {
			t.Errorf("10 bit, frame %d: %.2f px from 8 bit", f, d)
		}
	}
}

func TestBadJobs(t *testing.T) {
	c := clip(t, "yuv420p")
	for words, change := range map[string]func(*Job){
		"not among the clip":  func(j *Job) { j.Anchors[0].Frame = 40 },
		"no model of motion":  func(j *Job) { j.Model = "magic" },
		"smaller than 12":     func(j *Job) { j.Outline = []geom.Point{{X: 9, Y: 9}, {X: 15, Y: 9}, {X: 15, Y: 15}} },
		"outside the picture": func(j *Job) { j.Outline = []geom.Point{{X: 900, Y: 9}, {X: 990, Y: 9}, {X: 990, Y: 99}} },
		"ends before frame 3": func(j *Job) { j.To = 50 },
		"crosses itself": func(j *Job) {
			j.Outline = []geom.Point{
				{X: 9, Y: 9}, {X: 99, Y: 99}, {X: 99, Y: 9}, {X: 9, Y: 99},
			}
		},
	} {
		j := job(c)
		told := 0
		j.Found = func(int, []track.Pose) { told++ }
		change(&j)
		if err := Run(context.Background(), j); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%q: %v", words, err)
		}
		if words == "ends before frame 3" && told < 30 {
			t.Errorf("what was found before the end is lost: %d frames", told)
		}
	}
}

// With a second anchor that says where the surface truly is, every frame between the
// two is near the truth, though one side was begun wrong; outside that stretch
// nothing changes. A stretch alone goes on from what was known.
func TestAnchors(t *testing.T) {
	c := clip(t, "yuv420p")
	truth := func(f int) geom.Map { return geom.Translate(geom.Pt(-3*float64(f-4), -2*float64(f-4))) }
	j := job(c)
	j.Outline = []geom.Point{{X: 110, Y: 80}, {X: 250, Y: 80}, {X: 250, Y: 190}, {X: 110, Y: 190}}
	j.Anchors = []Anchor{{Frame: 4, Map: geom.Identity}, {Frame: 20, Map: truth(20)}}
	var got [30][]track.Pose
	j.Found = func(f int, p []track.Pose) { got[f] = p }
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	for f, p := range got {
		if p == nil {
			t.Fatalf("frame %d is missing", f)
		}
		if d := track.Spread(p[0].Map, truth(f), j.box()); d > .7 {
			t.Errorf("frame %d: %.2f px off, %s", f, d, p[0].State)
		}
		if anchor := f == 4 || f == 20; anchor != (p[0].State == track.Anchor) {
			t.Errorf("frame %d is %s", f, p[0].State)
		}
	}
	j.From, j.To = 8, 12
	j.Known = func(f int) (geom.Warp, bool) { return got[f][0].Warp(), true }
	again := map[int]track.Pose{}
	j.Found = func(f int, p []track.Pose) { again[f] = p[0] }
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	for f := range 30 {
		p, ok := again[f]
		if ok != (f >= 8 && f <= 12) || ok && track.Spread(p.Map, truth(f), j.box()) > .7 {
			t.Errorf("the stretch alone: frame %d %v, %+v", f, ok, p)
		}
	}
}

func TestPointsAndCut(t *testing.T) {
	c := drawn(t, "-i", clip(t, "yuv420p").Path, "-f", "lavfi", "-i",
		"testsrc2=size=320x240:rate=25:duration=0.4", "-filter_complex", "[0]trim=end_frame=20[a];[a][1]concat")
	pts := []geom.Point{{X: 150, Y: 100}, {X: 200, Y: 140}}
	j := Job{Clip: c, Points: pts, Anchors: []Anchor{{Frame: 10, Map: geom.Identity}}, To: c.Info.Frames - 1}
	last := 0
	j.Found = func(f int, p []track.Pose) {
		last = max(last, f)
		for i, q := range pts {
			want := q.Sub(geom.Pt(3*float64(f-10), 2*float64(f-10)))
			if d := p[i].Map.Apply(q).Sub(want).Len(); d > .6 {
				t.Errorf("frame %d, point %d: %.2f px off, %s", f, i, d, p[i].State)
			}
		}
	}
	var cut *CutError
	if err := Run(context.Background(), j); !errors.As(err, &cut) || cut.Frame != 20 || last != 19 {
		t.Errorf("%v; told up to frame %d", err, last)
	}
}

// Points that were put right on a second frame lie there as they were put, and between the
// two near the truth, though one of them was begun elsewhere.
func TestAnchorsOfPoints(t *testing.T) {
	c := clip(t, "yuv420p")
	pts := []geom.Point{{X: 150, Y: 100}, {X: 200, Y: 140}}
	at := func(f, i int) geom.Point { return pts[i].Sub(geom.Pt(3*float64(f-10), 2*float64(f-10))) }
	j := Job{
		Clip: c, Points: pts, To: c.Info.Frames - 1,
		Anchors: []Anchor{{Frame: 10, Map: geom.Identity}, {Frame: 22, Places: []geom.Point{at(22, 0), at(22, 1)}}},
	}
	told := map[int]bool{}
	j.Found = func(f int, p []track.Pose) {
		told[f] = true
		if f == 22 && (p[0].State != track.Anchor || p[0].Map.Apply(pts[0]) != at(22, 0)) {
			t.Errorf("the anchor is %+v", p)
		}
		for i, q := range pts {
			if d := p[i].Map.Apply(q).Sub(at(f, i)).Len(); d > .6 {
				t.Errorf("frame %d, point %d: %.2f px off, %s", f, i, d, p[i].State)
			}
		}
	}
	if err := Run(context.Background(), j); err != nil || len(told) != c.Info.Frames {
		t.Errorf("%v, %d frames", err, len(told))
	}
	j.Anchors[1].Places = j.Anchors[1].Places[:1]
	if err := Run(context.Background(), j); err == nil {
		t.Error("an anchor of one point of two was taken")
	}
}

// A mark in red on green of the same luma is followed by the channel in which it
// shows, and cannot be by luma; frames that are decoded already change no pose.
func TestChannelAndFramesAtHand(t *testing.T) {
	// In full range BT.709 luma both colours are near 100.
	c := drawn(t, "-f", "lavfi", "-i",
		"nullsrc=size=320x240:rate=25:duration=1.2,format=gbrp,geq=r='if(gt(sin((X-2*N)/5)+sin((Y-N)/7),0.2),235,0)':"+
			"g='if(gt(sin((X-2*N)/5)+sin((Y-N)/7),0.2),70,140)':b='0'",
		"-vf", "scale=out_color_matrix=bt709:out_range=pc,format=yuv444p", "-colorspace", "bt709", "-color_range", "pc")
	j := Job{
		Clip: c, Outline: []geom.Point{
			{X: 100, Y: 70}, {X: 210, Y: 70}, {X: 210, Y: 160}, {X: 100, Y: 160},
		},
		Model: track.Translation, Channel: Best, Anchors: []Anchor{{Frame: 20, Map: geom.Identity}}, To: c.Info.Frames - 1,
	}
	run := func() map[int]track.Pose {
		t.Helper()
		got := map[int]track.Pose{}
		j.Found = func(f int, p []track.Pose) { got[f] = p[0] }
		if err := Run(context.Background(), j); err != nil {
			t.Fatal(err)
		}
		return got
	}
	found := run()
	for f, p := range found {
		want := geom.Translate(geom.Pt(2*float64(f-20), float64(f-20)))
		if d := track.Spread(p.Map, want, j.box()); d > .3 || p.State != track.Good && f != 20 {
			t.Errorf("frame %d: %.2f px off, %s", f, d, p.State)
		}
	}
	r, err := j.Clip.Open(context.Background(), 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	var pics []*frame.Picture
	for range c.Info.Frames {
		p := frame.New(c.Info.Format(), nil)
		if err := r.Read(p); err != nil {
			t.Fatal(err)
		}
		pics = append(pics, p)
	}
	for _, have := range []func(f int) bool{
		func(f int) bool { return f >= 18 && f < 23 },
		func(f int) bool { return false }, func(f int) bool { return f == 20 || f == 24 },
	} {
		j.AtHand = func(f int) *frame.Picture {
			if have(f) {
				return pics[f]
			}
			return nil
		}
		for f, p := range run() {
			if p != found[f] {
				t.Errorf("frame %d differs with frames at hand", f)
			}
		}
	}
	j.Channel = "infrared"
	if err := Run(context.Background(), j); err == nil || !strings.Contains(err.Error(), "no channel") {
		t.Errorf("%v", err)
	}
}

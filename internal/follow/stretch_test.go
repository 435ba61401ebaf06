package follow

import (
	"context"
	"testing"

	"celator/core/geom"
	"celator/core/track"
)

// A stretch in which a thing was lost gets the way between, with what was found once and lost again in it; its states
// stay what they were.
func TestStretchOfLostFrames(t *testing.T) {
	s := stretch{quad: [4]geom.Point{{}, {X: 10}, {X: 10, Y: 10}, {Y: 10}}, lost: true}
	at := func(f int) geom.Map { return geom.Translate(geom.Pt(3*float64(f), 0)) }
	states := []track.State{
		track.Good, track.Good, track.Lost, track.Lost, track.Weak, track.Lost, track.Good, track.Weak, track.Good,
	}
	for f, state := range states {
		m := at(f)
		if state == track.Lost {
			m = geom.Identity
		}
		ended := s.next(told{f: f, poses: []track.Pose{{Map: m, State: state}}}, 0, track.Frame{})
		if ended != (f == 7) {
			t.Fatalf("frame %d: ended %v", f, ended)
		}
		if !ended {
			continue
		}
		got := s.settled(0)
		if len(got) != 4 {
			t.Fatalf("%d frames are told again", len(got))
		}
		for k, b := range got {
			p := b.poses[0]
			if b.f != 2+k || p.State != states[b.f] || track.Spread(p.Map, at(b.f), s.quad) > 1e-6 {
				t.Errorf("frame %d: %+v", b.f, p)
			}
		}
	}
}

// A surface that something passes over is found nearer to where it was hidden when it is followed back from where it is
// seen again than it was by who waited for it.
func TestFollowedBack(t *testing.T) {
	j := job(drawn(t, "-f", "lavfi", "-i", cloud, "-f", "lavfi", "-i", "color=gray:size=200x240:rate=25",
		"-filter_complex", "[0]loop=loop=39:size=1,setpts=N/25/TB,crop=320:240:80+3*n:60+2*n:exact=1[g];"+
			"[g][1]overlay=x='-200+24*(n-14)':y=0:shortest=0", "-frames:v", "40"))
	first, last := map[int]track.Pose{}, map[int]track.Pose{}
	j.Found = func(f int, p []track.Pose) {
		if _, twice := first[f]; !twice {
			first[f] = p[0]
		}
		last[f] = p[0]
	}
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	lost, more := 0, 0
	for f, p := range last {
		truth := geom.Translate(geom.Pt(-3*float64(f-14), -2*float64(f-14)))
		d := track.Spread(p.Map, truth, j.box())
		if first[f].State == track.Lost {
			lost++
			if p.State != track.Lost {
				more++
			}
		}
		if p.State == track.Good && d > 1 || p.State == track.Weak && d > 6 {
			t.Errorf("frame %d, %s, is %.1f px off", f, p.State, d)
		}
	}
	if lost < 3 || more == 0 {
		t.Errorf("of %d frames that were lost %d were found from behind", lost, more)
	}
}

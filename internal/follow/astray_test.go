package follow

import (
	"context"
	"math"
	"testing"

	"celator/core/geom"
	"celator/core/track"
)

// A pillar stands before a faint card on the reference frame, and tells more than it. Once it has gone all frames are
// told anew, where the card is.
func TestFollowedAnew(t *testing.T) {
	c := drawn(t, "-f", "lavfi", "-i", cloud, "-filter_complex",
		"[0]loop=loop=59:size=1,setpts=N/25/TB,split=3[a][b][c];"+
			"[a]crop=320:240:0:0,eq=contrast=.15:brightness=.25[ground];"+
			"[b]crop=140:110:300:100,eq=contrast=.32:brightness=-.2[card];"+
			"[c]crop=56:240:500:100[pillar];[ground][card]overlay=x='90+n-4':y='60+floor(.6*(n-4))'[with];"+
			"[with][pillar]overlay=x='132+10*max(n-34,0)':y=0", "-frames:v", "60")
	j := Job{
		Clip: c, Model: track.Perspective, To: c.Info.Frames - 1,
		Outline: []geom.Point{{X: 90, Y: 60}, {X: 230, Y: 60}, {X: 230, Y: 170}, {X: 90, Y: 170}},
		Anchors: []Anchor{{Frame: 4, Map: geom.Identity}},
	}
	off := func(f int, p track.Pose) float64 {
		return track.Spread(p.Map, geom.Translate(geom.Pt(float64(f-4), math.Floor(.6*float64(f-4)))), j.box())
	}
	anew, last := 0, map[int]track.Pose{}
	j.Found = func(f int, p []track.Pose) {
		if before, told := last[f]; told && off(f, before) > 3 {
			anew++
		}
		last[f] = p[0]
	}
	if err := Run(context.Background(), j); err != nil {
		t.Fatal(err)
	}
	if anew == 0 {
		t.Fatal("no frame that was wrong was told anew")
	}
	for f, p := range last {
		if d := off(f, p); d > 3 {
			t.Errorf("frame %d, %s, is %.1f px off", f, p.State, d)
		}
	}
}

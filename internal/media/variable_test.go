package media

import (
	"math/rand"
	"testing"
)

// Whatever times a phone gives its pictures, each is shown, in its order, on the frame of its time
// or at most a frame and a half later, and until the next one; the clip lasts as long as they do.
func TestScheduleLosesNoPicture(t *testing.T) {
	rng := rand.New(rand.NewSource(44))
	for range 400 {
		const unit = 1. / 90000
		step := []int64{1500, 1502, 3000, 3003, 3600, 6000}[rng.Intn(6)]
		pts := []int64{rng.Int63n(1e6)}
		for range 20 + rng.Intn(300) {
			gap := step + rng.Int63n(step/5+1) - step/10
			switch rng.Intn(12) {
			case 0: // pictures are missing
				gap += step * rng.Int63n(9)
			case 1: // one comes too soon
				gap = step/2 + 1
			}
			pts = append(pts, pts[len(pts)-1]+gap)
		}
		var info Info
		if err := info.schedule(pts, unit); err != nil {
			t.Fatal(err)
		}
		if len(info.holds) != len(pts) {
			t.Fatalf("%d of %d pictures are shown", len(info.holds), len(pts))
		}
		at, rate := 0, info.Rate.Float()
		for i, n := range info.holds {
			if n < 1 {
				t.Fatalf("picture %d is never shown", i)
			}
			due := float64(pts[i]-pts[0]) * unit * rate
			if off := float64(at) - due; off < -.5 || off > late && rate < 60 {
				t.Fatalf("picture %d is shown %.2f frames from its time, at %.5g a second", i, off, rate)
			}
			at += n
		}
		if at != info.Frames || info.Duration < float64(pts[len(pts)-1]-pts[0])*unit-.5/rate {
			t.Fatalf("%d frames hold pictures, of %d, %.3f s", at, info.Frames, info.Duration)
		}
	}
}

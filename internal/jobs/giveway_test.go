package jobs

import (
	"context"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"celator/core/frame"
	"celator/internal/media"
)

// desk is a bench on which somebody works, plays, or has not done so for a while.
type desk struct{ quiet atomic.Int64 }

func (d *desk) Kept(string, media.Clip, int) *frame.Picture  { return nil }
func (d *desk) Keep(string, media.Clip, int, *frame.Picture) {}
func (d *desk) Quiet() time.Duration                         { return time.Duration(d.quiet.Load()) }

// Background work goes on at once where nobody works, by its share where somebody does so all the time, after the
// longest rest while somebody plays, and without resting once somebody waits for it.
func TestGiveWay(t *testing.T) {
	m := manners{share: 10, least: time.Second, most: 10 * time.Second, quiet: 2 * time.Second}
	for _, c := range []struct {
		what   string
		quiet  time.Duration // of the bench
		took   time.Duration // the piece before
		after  time.Duration // this the bench is quiet for long
		waited time.Duration // somebody waits for the job from then on
		want   time.Duration
	}{
		{"nobody works", time.Hour, time.Second, never, never, 0},
		{"somebody works", 0, 500 * time.Millisecond, never, never, 4500 * time.Millisecond},
		{"a short piece", 0, time.Millisecond, never, never, time.Second},
		{"a long piece", 0, time.Minute, never, never, 10 * time.Second},
		{"the hands rest", time.Second, time.Minute, 3 * time.Second, never, 3 * time.Second},
		{"somebody plays", -1, time.Millisecond, never, never, 10 * time.Second},
		{"somebody waits", 0, time.Minute, never, 5 * time.Second, 5 * time.Second},
	} {
		synctest.Test(t, func(t *testing.T) {
			d := &desk{}
			d.quiet.Store(int64(c.quiet))
			r := &Runner{Config: Config{Bench: d}}
			var wanted atomic.Bool
			rest := r.giveWay(context.Background(), m, wanted.Load)
			time.Sleep(c.took)
			time.AfterFunc(c.after, func() { d.quiet.Store(int64(time.Hour)) })
			time.AfterFunc(c.waited, func() { wanted.Store(true) })
			begun := time.Now()
			rest()
			if got := time.Since(begun); got < c.want || got > c.want+tick+20*time.Millisecond {
				t.Errorf("%s: it rested %v, not %v", c.what, got, c.want)
			}
		})
	}
}

const never = 1000 * time.Hour

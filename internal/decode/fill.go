package decode

import (
	"context"
	"time"

	"celator/internal/budget"
)

// rest waits while the processors are wanted elsewhere, somebody is at work, and nobody
// wants a frame of the stream.
func (c *Frames) rest(s *stream, longest time.Duration) {
	for until := time.Now().Add(longest); time.Now().Before(until) && !c.calm(); time.Sleep(breath) {
		c.mu.Lock()
		wanted := len(s.wants) > 0
		c.mu.Unlock()
		if wanted {
			return
		}
	}
}

// fill returns a wish for the next frame that a running decoder may as well read, or nil;
// c.mu is held.
func (c *Frames) fill(s *stream) *want {
	if c.disk == nil || len(s.clip.Sums) == 0 || s.reader == nil || c.budget.Children.Waiting() > 0 {
		return nil
	}
	missing := func(f int) bool { // what is in memory is on its way to a disk that may be slow
		return !c.disk.has(s.id, f) && !c.disk.refused(s.id, f) && c.AtHand(s.id, f) == nil
	}
	wish := func(f int, rest time.Duration) *want {
		return &want{ctx: filling, class: budget.Later, f: f, since: time.Now(), rest: rest, got: make(chan got, 1)}
	}
	for f := s.last; s.back && f >= max(s.last-back, 0); f-- {
		if !missing(f) {
			continue
		}
		if from := f - back + 1; s.next < from || s.next > f {
			f = max(from, 0)
		} else {
			f = s.next
		}
		return wish(f, pace)
	}
	for _, w := range [4][2]int{ // near ones either way first
		{s.next, s.last + 2*back}, {s.last - back, s.last}, {s.next, s.last + fillAhead}, {s.last - fillBack, s.last},
	} {
		for f := max(w[0], 0); f <= min(w[1], s.clip.Info.Frames-1); f++ {
			if missing(f) {
				return wish(f, longestRest)
			}
		}
	}
	return nil
}

// filling is the context of frames that nobody waits for.
var filling = context.WithoutCancel(context.Background())

func (w *want) filling() bool { return w.ctx == filling }

// calm reports whether a processor is to be had at once and nobody is at work.
func (c *Frames) calm() bool {
	if c.Quiet() < atWork {
		return false
	}
	free, ok := c.budget.Processor.Try(1)
	if ok {
		free()
	}
	return ok
}

// Package preview makes what the bench shows of a cover: decoded frames from a
// bounded cache, treated by the same core as a delivery, as small patches over
// the view frames.
package preview

import (
	"context"
	"fmt"
	"io"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"celator/core/frame"
	"celator/internal/media"
)

// Frames keeps decoded frames, bounded by their bytes, and reads ahead in the
// direction of the requests.
type Frames struct {
	limit int64

	mu      sync.Mutex
	bytes   int64
	frames  *lru.Cache[frameKey, *frame.Picture]
	sources map[string]*stream
	asked   time.Time // when a frame was asked for last
}

type frameKey struct {
	source string
	f      int
}

// stream is a source's running decoder.
type stream struct {
	mu     sync.Mutex
	reader *media.Reader
	next   int
	last   int // frame asked for last
	idle   *time.Timer
}

const (
	// reach is how far ahead of a running decoder a frame may lie to be read up
	// to, rather than jumped to.
	reach = 40
	// back is how many frames earlier a decoder begins when frames are asked for
	// backwards.
	back = 16
	// idleTime is how long a decoder waits for the next request.
	idleTime = 4 * time.Second
)

// NewFrames returns a cache of at most limit bytes.
func NewFrames(limit int64) *Frames {
	c := &Frames{limit: limit, sources: map[string]*stream{}}
	c.frames, _ = lru.NewWithEvict(1<<20, func(_ frameKey, p *frame.Picture) { c.bytes -= int64(len(p.Data)) })
	return c
}

func (c *Frames) cached(k frameKey) (*frame.Picture, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.frames.Get(k)
}

// AtHand returns a frame of a clip that is in the cache, which must not be changed, or nil.
func (c *Frames) AtHand(id string, f int) *frame.Picture {
	p, _ := c.cached(frameKey{id, f})
	return p
}

// Quiet is how long nobody has asked for a frame.
func (c *Frames) Quiet() time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	return time.Since(c.asked)
}

func (c *Frames) keep(k frameKey, p *frame.Picture) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.frames.Contains(k) {
		return
	}
	c.bytes += int64(len(p.Data))
	c.frames.Add(k, p)
	for c.bytes > c.limit && c.frames.Len() > 1 {
		c.frames.RemoveOldest()
	}
}

// Get returns frame f of a clip, which must not be changed. id names the clip.
func (c *Frames) Get(ctx context.Context, id string, clip media.Clip, f int) (*frame.Picture, error) {
	k := frameKey{id, f}
	c.mu.Lock()
	c.asked = time.Now()
	c.mu.Unlock()
	if p, ok := c.cached(k); ok {
		return p, nil
	}
	c.mu.Lock()
	s := c.sources[id]
	if s == nil {
		s = &stream{}
		c.sources[id] = s
	}
	c.mu.Unlock()
	s.mu.Lock()
	defer s.mu.Unlock()
	if p, ok := c.cached(k); ok { // read by whom we waited for
		return p, nil
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if s.reader == nil || f < s.next || f > s.next+reach {
		s.close()
		begin := f
		if f < s.last {
			begin = max(f-back, 0)
		}
		// The decoder outlives the request that starts it.
		r, err := clip.Open(context.WithoutCancel(ctx), begin, -1)
		if err != nil {
			return nil, err
		}
		s.reader, s.next = r, begin
	}
	s.last = f
	if s.idle != nil {
		s.idle.Stop()
	}
	s.idle = time.AfterFunc(idleTime, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.close()
	})
	for {
		p := frame.New(clip.Info.Format(), nil)
		if err := s.reader.Read(p); err != nil {
			s.close()
			if err == io.EOF {
				err = fmt.Errorf("the clip has no frame %d", f)
			}
			return nil, err
		}
		c.keep(frameKey{id, s.next}, p)
		s.next++
		if s.next > f {
			return p, nil
		}
	}
}

func (s *stream) close() {
	if s.reader != nil {
		s.reader.Close()
		s.reader = nil
	}
}

// Close ends all decoders.
func (c *Frames) Close() {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, s := range c.sources {
		s.mu.Lock()
		s.close()
		s.mu.Unlock()
	}
}

// Package decode keeps decoded frames at hand: a queue for each clip's decoder, those who
// are waited for first, and two caches bounded by bytes, in memory and on the disk.
package decode

import (
	"context"
	"fmt"
	"io"
	"slices"
	"sync"
	"time"

	"celator/core/frame"
	"celator/internal/budget"
	"celator/internal/media"
)

// Frames keeps decoded frames, bounded by their bytes: the last ones in memory, and more
// on the disk, from where one comes in a millisecond, while starting a decoder takes some
// hundred.
type Frames struct {
	budget *budget.Budget
	disk   *Disk // may be nil

	frames *budget.Cache[frameKey, *frame.Picture]

	mu      sync.Mutex
	streams map[string]*stream
	asked   time.Time // until when somebody asked for frames, or worked on the bench
}

type frameKey struct {
	source string
	f      int
}

// want is a frame that somebody waits for.
type want struct {
	ctx   context.Context
	class budget.Class
	f     int
	since time.Time
	rest  time.Duration // at most, after it, where nobody waits for it
	got   chan got      // has room for one
}

type got struct {
	pic *frame.Picture
	err error
}

// stream is a clip's decoder and who waits for it. One goroutine serves it while somebody
// does. Its fields are guarded by Frames.mu, but for the reader's use by that goroutine.
type stream struct {
	id      string
	clip    media.Clip
	wants   []*want
	serving bool
	reader  *media.Reader
	free    func() // of the memory that the reader's process takes
	next    int    // frame that the reader gives next
	last    int    // frame asked for last
	back    bool   // frames are asked for backwards
	since   time.Time
	idle    *time.Timer
}

const (
	// reach is how far ahead of a running decoder a frame may lie to be read up
	// to, rather than jumped to.
	reach = 40
	// back is how many frames earlier a decoder begins when frames are asked for
	// backwards, and near when they are asked for anywhere: it decodes from the last key
	// picture all the same, and what it passes is kept. Who goes backwards has as many read
	// before they are asked for, at a pace that keeps ahead of a key held down and leaves
	// the pictures that are shown meanwhile their share of the processors.
	back = 16
	near = 6
	pace = 12 * time.Millisecond
	// idleTime is how long a decoder waits for the next request.
	idleTime = 4 * time.Second
	// fair is how long somebody is passed by others whom the decoder reaches sooner.
	fair = time.Second
	// While nobody waits a decoder goes on over the frames around the last one that was
	// asked for, so many behind and ahead, and they are kept on the disk.
	fillBack, fillAhead = 200, 400
	// After each it rests while the processors are wanted elsewhere, or somebody works on
	// the bench: who never pauses lets it come to a few frames a second.
	breath      = 8 * time.Millisecond
	longestRest = 300 * time.Millisecond
	atWork      = 120 * time.Millisecond
)

// NewFrames returns a cache within a budget; disk, which may be nil, keeps what it lets go.
func NewFrames(b *budget.Budget, disk *Disk) *Frames {
	return &Frames{
		budget: b, disk: disk, streams: map[string]*stream{},
		frames: budget.NewCache[frameKey](b.Frames, func(p *frame.Picture) int64 { return int64(len(p.Data)) }),
	}
}

// AtHand returns a frame of a clip that is in memory, which must not be changed, or nil.
func (c *Frames) AtHand(id string, f int) *frame.Picture {
	p, _ := c.frames.Get(frameKey{id, f})
	return p
}

// Kept returns a frame of a clip that is in memory or on the disk, which must not be
// changed, or nil.
func (c *Frames) Kept(id string, clip media.Clip, f int) *frame.Picture {
	if p := c.AtHand(id, f); p != nil {
		return p
	}
	p := c.disk.read(id, clip, f)
	if p != nil {
		c.frames.Add(frameKey{id, f}, p)
	}
	return p
}

// Touch says that somebody works on the bench, now and for so long: what nobody waits for
// gives way.
func (c *Frames) Touch(lasting time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.touch(lasting)
}

// touch is Touch; c.mu is held.
func (c *Frames) touch(lasting time.Duration) {
	if until := time.Now().Add(lasting); until.After(c.asked) {
		c.asked = until
	}
}

// Quiet is how long nobody has asked for a frame, or worked on the bench otherwise; less
// than nothing while somebody is known to go on.
func (c *Frames) Quiet() time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	return time.Since(c.asked)
}

// Bytes is what the frames in memory take, and those on the disk.
func (c *Frames) Bytes() (memory, disk int64) { return c.frames.Bytes(), c.disk.Bytes() }

// Keep keeps a copy of a frame that was decoded elsewhere.
func (c *Frames) Keep(id string, clip media.Clip, f int, pic *frame.Picture) {
	if c.disk != nil && !c.disk.sure(id, f) {
		c.disk.write(id, clip, f, pic.Clone())
	}
}

// Get returns frame f of a clip, which must not be changed. id names the clip. Nothing is
// decoded for who does not wait any more.
func (c *Frames) Get(ctx context.Context, class budget.Class, id string, clip media.Clip, f int) (*frame.Picture,
	error,
) {
	c.mu.Lock()
	if class != budget.Later {
		c.touch(0)
	}
	c.mu.Unlock()
	if p := c.Kept(id, clip, f); p != nil {
		if class != budget.Later {
			c.passed(id, f)
		}
		return p, nil
	}
	w := &want{ctx: ctx, class: class, f: f, since: time.Now(), got: make(chan got, 1)}
	c.mu.Lock()
	s := c.streams[id]
	if s == nil {
		s = &stream{id: id, clip: clip}
		c.streams[id] = s
	}
	s.wants = append(s.wants, w)
	c.start(s)
	c.mu.Unlock()
	select {
	case g := <-w.got:
		return g.pic, g.err
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

// passed says that frame f of a clip was asked for and was at hand: what is read while
// nobody waits follows the editor.
func (c *Frames) passed(id string, f int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	s := c.streams[id]
	if s == nil || s.reader == nil {
		return
	}
	s.at(f)
	if !s.serving && s.back {
		c.start(s)
	}
}

// at says that frame f is asked for; Frames.mu is held. Of frames asked for one after the
// other neighbours tell which way the editor goes.
func (s *stream) at(f int) {
	switch d := f - s.last; {
	case d == -1:
		s.back = true
	case d == 1 || d > reach || d < -reach:
		s.back = false
	}
	s.last = f
}

// start has a stream served; c.mu is held.
func (c *Frames) start(s *stream) {
	if s.serving {
		return
	}
	s.serving = true
	if s.idle != nil {
		s.idle.Stop()
	}
	go c.serve(s)
}

// serve reads what is wanted of a stream until nobody waits, and then what may be wanted
// next, as long as nobody else wants the processors.
func (c *Frames) serve(s *stream) {
	for {
		c.mu.Lock()
		w := s.choose()
		if w == nil {
			if w = c.fill(s); w != nil {
				s.wants = append(s.wants, w)
			}
		}
		if w == nil {
			s.serving, s.since = false, time.Now()
			if s.reader == nil || c.budget.Children.Waiting() > 0 {
				c.drop(s)
			} else {
				s.idle = time.AfterFunc(idleTime, func() { c.tire(s) })
			}
			c.mu.Unlock()
			return
		}
		c.mu.Unlock()
		if err := c.advance(s, w); err != nil {
			w.got <- got{nil, err}
			c.mu.Lock()
			if s.reader == nil && s.free != nil { // its decoder did not come to be
				s.free()
				s.free = nil
			}
			s.wants = slices.DeleteFunc(s.wants, func(x *want) bool { return x == w })
			c.mu.Unlock()
		}
		if w.filling() {
			c.rest(s, w.rest)
		}
	}
}

// choose returns who is served next: of those whom somebody waits for, who can be reached
// from where the decoder is, the nearest first; else who came first. Who does not wait any
// more is let go.
func (s *stream) choose() *want {
	s.wants = slices.DeleteFunc(s.wants, func(w *want) bool { return w.ctx.Err() != nil })
	var best *want
	ahead := func(w *want) int {
		if d := w.f - s.next; s.reader != nil && d >= 0 && d <= reach {
			return d
		}
		return reach + 1
	}
	for _, w := range s.wants {
		if best == nil || w.class < best.class || w.class == best.class && ahead(w) < ahead(best) {
			best = w
		}
	}
	for _, w := range s.wants { // in the order in which they came
		if w.class == best.class && time.Since(w.since) > fair {
			return w
		}
	}
	return best
}

// advance reads up to a frame that is wanted; what it passes is kept, and given to whoever
// wants it. It stops when nobody wants that frame any more.
func (c *Frames) advance(s *stream, w *want) error {
	jump := s.reader == nil || w.f < s.next || w.f > s.next+reach
	if jump { // memory first: who holds a turn never waits for it
		if err := c.clear(s, w); err != nil {
			return err
		}
	}
	if jump {
		if err := c.jump(s, w); err != nil {
			return err
		}
	}
	if !w.filling() {
		c.mu.Lock()
		s.at(w.f)
		c.mu.Unlock()
	}
	for s.next <= w.f {
		// A turn for each frame: who is waited for does not wait for others' whole ways.
		turn, err := c.budget.Decoding.Hold(w.ctx, w.class, 1)
		if err != nil {
			return err
		}
		p := frame.New(s.clip.Info.Format(), nil)
		err = s.reader.Read(p)
		turn()
		if err != nil {
			c.mu.Lock()
			shut := s.take()
			c.mu.Unlock()
			shut()
			if err == io.EOF {
				err = fmt.Errorf("the clip has no frame %d", w.f)
			}
			return err
		}
		f := s.next
		c.disk.write(s.id, s.clip, f, p)
		c.frames.Add(frameKey{s.id, f}, p)
		c.mu.Lock()
		s.next++
		s.wants = slices.DeleteFunc(s.wants, func(x *want) bool {
			if x.f == f {
				x.got <- got{p, nil}
			}
			return x.f == f
		})
		still := slices.ContainsFunc(s.wants, func(x *want) bool { return x.f > f && x.f <= w.f && x.ctx.Err() == nil })
		c.mu.Unlock()
		if !still {
			return nil
		}
	}
	return nil
}

// clear ends a stream's decoder and takes memory for another: from decoders that nobody
// uses, where there is no other.
func (c *Frames) clear(s *stream, w *want) error {
	n := media.DecoderMemory(s.clip.Info)
	for last := s; last != nil; {
		c.mu.Lock()
		shut := last.take()
		c.mu.Unlock()
		shut()
		if free, ok := c.budget.Children.Try(n); ok {
			s.free = free
			return nil
		}
		last = c.resting()
	}
	free, err := c.budget.Children.Hold(w.ctx, w.class, n)
	s.free = free
	return err
}

// resting returns the stream whose decoder nobody has used for longest, or nil.
func (c *Frames) resting() (oldest *stream) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, s := range c.streams {
		if !s.serving && s.reader != nil && (oldest == nil || s.since.Before(oldest.since)) {
			oldest = s
		}
	}
	return oldest
}

// jump starts a decoder near a frame.
func (c *Frames) jump(s *stream, w *want) error {
	c.mu.Lock()
	begin := max(w.f-near, 0)
	switch {
	case w.filling():
		begin = w.f
	case w.f < s.last:
		begin = max(w.f-back, 0)
	}
	c.mu.Unlock()
	// The decoder outlives the request that starts it.
	r, err := s.clip.Open(context.WithoutCancel(w.ctx), begin, -1)
	if err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s.reader, s.next = r, begin
	return nil
}

// take takes a stream's decoder away and returns what ends it; c.mu is held for the one
// and better not for the other.
func (s *stream) take() func() {
	r, free := s.reader, s.free
	s.reader, s.free = nil, nil
	return func() {
		if r != nil {
			r.Close()
		}
		if free != nil {
			free()
		}
	}
}

// drop forgets a stream that nobody waits for; c.mu is held.
func (c *Frames) drop(s *stream) {
	delete(c.streams, s.id)
	go s.take()()
}

// tire ends a decoder that nobody has used for a while.
func (c *Frames) tire(s *stream) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if !s.serving && c.streams[s.id] == s {
		c.drop(s)
	}
}

// Close ends all decoders that rest; those at work end with what they are at.
func (c *Frames) Close() {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, s := range c.streams {
		if !s.serving {
			s.take()()
		}
	}
	c.disk.close()
}

package server

import (
	"context"
	"os"
	"strconv"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/media"
	"celator/internal/store"
)

// blocks makes the views of long sources when they are looked at (media.MakeBlock): the one that is asked for at once,
// by itself, and after it those around it, a block at a time. Of blocks that wait only the newest is wanted, for
// somebody who leaps about is not at the others any more.
type blocks struct {
	single singleflight.Group
	mu     sync.Mutex
	now    string // the block that is being made
	going  bool
	next   func() // makes the one that waits
	ahead  map[string]bool
	last   map[string]int // the frame that was looked at last, by source
}

const (
	// glance is how often it is seen whether a view that is being made is there.
	glance = 4 * time.Millisecond
	// soon is how long a view is waited for that is in the block being made, before it is made by itself.
	soon = 150 * time.Millisecond
)

// viewFile is the file of a view; of a long source it is made where it is not there, and so are those after it. near
// takes the still of the second instead. ErrNone says that there is none.
func (s *server) viewFile(ctx context.Context, id string, t cover.Time, near bool) (string, error) {
	dir := s.Library.Dir(id)
	path := media.View(dir, t)
	if _, err := os.Stat(path); err == nil {
		if !near {
			s.lookAhead(ctx, id, t)
		}
		return path, nil
	}
	src, err := s.Store.Source(ctx, id)
	if err != nil {
		return "", err
	}
	i := src.Reading()
	if near && i.Long() {
		return media.View(dir, i.StillNear(t)), nil
	}
	if !i.Long() || src.State != store.Ready || t.Frame() >= src.Frames {
		return path, nil
	}
	clip, err := s.Library.Clip(src)
	if err != nil {
		return "", err
	}
	block := t.Frame() / media.Block
	var done <-chan singleflight.Result
	if s.wantBlock(id, clip, block) {
		done = s.makeView(id, clip, t.Frame())
	}
	for begun := time.Now(); ; {
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case r := <-done:
			return media.View(dir, t), r.Err
		case <-time.After(glance):
			if path := media.View(dir, t); exists(path) {
				return path, nil
			}
			if done == nil && time.Since(begun) > soon {
				done = s.makeView(id, clip, t.Frame())
			}
		}
	}
}

// viewsOf sees to it that the views of some frames of a shot are there, as far as its source has them.
func (s *server) viewsOf(ctx context.Context, r readable, first, frames int) error {
	if !r.src.Reading().Long() {
		return nil
	}
	for f := first; f < min(first+frames, r.shot.Frames); f++ {
		if _, err := s.viewFile(ctx, r.src.ID, cover.Time(r.shot.First+f), false); err != nil {
			return err
		}
	}
	return nil
}

func exists(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

// makeView makes one view, once however many wait for it. Nobody who goes away ends it.
func (s *server) makeView(id string, clip media.Clip, f int) <-chan singleflight.Result {
	return s.blocks.single.DoChan(id+"/"+strconv.Itoa(f), func() (any, error) {
		made := make(chan error, 1)
		s.besides(func() { made <- s.makeViews(id, clip, f, f) })
		return nil, <-made
	})
}

// besides does something beside the requests.
func (s *server) besides(do func()) {
	if s.Beside == nil {
		go do()
		return
	}
	s.Beside.Go(do)
}

func (s *server) makeViews(id string, clip media.Clip, first, last int) error {
	if err := s.Library.Room(clip.Info.BlockSize()); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(s.ctx, answering)
	defer cancel()
	free, err := s.Budget.Children.Hold(ctx, budget.Soon, media.DecoderMemory(clip.Info))
	if err != nil {
		return err
	}
	defer free()
	return media.MakeBlock(ctx, clip, s.Library.Dir(id), first, last)
}

// wantBlock has a block made when the one before it is. It reports whether its turn is still to come.
func (s *server) wantBlock(id string, clip media.Clip, block int) bool {
	b := &s.blocks
	key := id + "/" + strconv.Itoa(block)
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.now == key {
		return false
	}
	work := func() {
		first := block * media.Block
		last := min(first+media.Block, len(clip.Sums)) - 1
		dir := s.Library.Dir(id)
		if exists(media.View(dir, cover.Time(last))) && exists(media.View(dir, cover.Time(min(first+1, last)))) {
			return
		}
		err := s.makeViews(id, clip, first, last)
		if err == nil {
			_, err = media.TrimBlocks(clip.Info, dir)
		}
		if err != nil && s.Log != nil && s.ctx.Err() == nil {
			s.Log.Warn("views cannot be made", "source", id, "error", err)
		}
	}
	b.next = func() {
		b.now = key
		b.mu.Unlock()
		work()
		b.mu.Lock()
		b.now = ""
	}
	if b.now == "" && !b.going {
		b.going = true
		s.besides(b.work)
	}
	return true
}

// work makes what is wanted until nothing is.
func (b *blocks) work() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for b.next != nil {
		next := b.next
		b.next = nil
		next()
	}
	b.going = false
}

// mostAhead is how many blocks are remembered that were made ahead.
const mostAhead = 10000

// after is the block that is wanted ahead by who looks at a frame, or -1 where it was asked for already.
func (b *blocks) after(id string, f int) int {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.ahead) == 0 || len(b.ahead) > mostAhead {
		b.ahead, b.last = map[string]bool{}, map[string]int{}
	}
	next := f/media.Block + 1
	if was, ok := b.last[id]; ok && f < was { // somebody goes back
		next -= 2
	}
	b.last[id] = f
	key := id + "/" + strconv.Itoa(next)
	if next < 0 || b.ahead[key] {
		return -1
	}
	b.ahead[key] = true
	return next
}

// lookAhead makes the block after the one that is looked at, or before it for who goes back, so that stepping and
// playing do not wait at its ends.
func (s *server) lookAhead(ctx context.Context, id string, t cover.Time) {
	next := s.blocks.after(id, t.Frame())
	if next < 0 {
		return
	}
	src, err := s.Store.Source(ctx, id)
	if err != nil || !src.Reading().Long() || src.State != store.Ready || next*media.Block >= src.Frames {
		return
	}
	// Its second view tells, for the first may be a still.
	if exists(media.View(s.Library.Dir(id), cover.Time(next*media.Block+1))) {
		return
	}
	clip, err := s.Library.Clip(src)
	if err == nil {
		s.wantBlock(id, clip, next)
	}
}

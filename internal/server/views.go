package server

import (
	"context"
	"os"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/media"
	"celator/internal/store"
)

// blocks makes the views of long sources when they are looked at (media.MakeBlock).
type blocks struct {
	making singleflight.Group
	mu     sync.Mutex
	ahead  map[string]bool // blocks that are being made before anybody looks
}

// glance is how often it is seen whether a view that is being made is there.
const glance = 4 * time.Millisecond

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
	done := s.makeBlock(id, clip, block)
	for {
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case r := <-done:
			return media.View(dir, t), r.Err
		case <-time.After(glance):
			if path := media.View(dir, t); exists(path) {
				return path, nil
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

// makeBlock makes a block's views, once however many wait for it. Nobody who goes away ends it.
func (s *server) makeBlock(id string, clip media.Clip, block int) <-chan singleflight.Result {
	key := id + "/" + cover.Time(block).String()
	return s.blocks.making.DoChan(key, func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(s.ctx), answering)
		defer cancel()
		free, err := s.Budget.Children.Hold(ctx, budget.Soon, media.DecoderMemory(clip.Info))
		if err != nil {
			return nil, err
		}
		defer free()
		dir := s.Library.Dir(id)
		first := block * media.Block
		last := min(first+media.Block, len(clip.Sums)) - 1
		if err := media.MakeBlock(ctx, clip, dir, first, last); err != nil {
			return nil, err
		}
		_, err = media.TrimBlocks(clip.Info, dir)
		return nil, err
	})
}

// lookAhead makes the blocks beside the one that is looked at, so that stepping and playing do not wait at its
// ends.
func (s *server) lookAhead(ctx context.Context, id string, t cover.Time) {
	block := t.Frame() / media.Block
	next := block + 1
	if t.Frame()%media.Block < media.Block/4 {
		next = block - 1
	}
	key := id + "/" + cover.Time(next).String()
	s.blocks.mu.Lock()
	if s.blocks.ahead == nil || len(s.blocks.ahead) > 10000 {
		s.blocks.ahead = map[string]bool{}
	}
	known := next < 0 || s.blocks.ahead[key]
	s.blocks.ahead[key] = true
	s.blocks.mu.Unlock()
	if known {
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
		s.makeBlock(id, clip, next)
	}
}

package follow

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"sync"

	"celator/core/frame"
	"celator/core/track"
	"celator/internal/media"
)

// frameSource decodes the frames that its legs need, once, in order. Those that some leg
// takes backward, or that several take, wait in a temporary file; the last leg
// forward takes its frames as they come.
type frameSource struct {
	job      *Job
	lo, hi   int
	kept     int // frames up to this one are in the file
	file     *os.File
	w, h     int
	channel  Channel
	coming   chan track.Frame // those after kept
	mu       sync.Mutex
	grew     *sync.Cond
	done     int // frames below this one are in the file
	err      error
	extra    map[int]*track.Gray // frames decoded apart: anchors outside, and the nearest backward
	finished chan struct{}
	cancel   context.CancelFunc
}

// near is how many frames are decoded apart, so that following begins at once.
const near = 8

// Long: what is read is planned in one place, since the ways share it.
func openSource(ctx context.Context, j *Job, legs []leg) (*frameSource, error) {
	f := &frameSource{
		job: j, channel: j.Channel, extra: map[int]*track.Gray{}, finished: make(chan struct{}),
		coming: make(chan track.Frame, 2),
	}
	f.grew = sync.NewCond(&f.mu)
	f.lo, f.hi = j.Anchors[0].Frame, j.Anchors[0].Frame
	f.kept = -1
	var last *leg
	if len(legs) > 0 {
		f.lo, f.hi = min(legs[0].first, legs[0].last), max(legs[0].first, legs[0].last)
	}
	for i, l := range legs {
		f.lo, f.hi = min(f.lo, l.first, l.last), max(f.hi, l.first, l.last)
		if l.step > 0 && (last == nil || l.last > last.last) {
			last = &legs[i]
		}
	}
	for _, a := range j.Anchors { // an anchor beside the frames comes with them
		if a.Frame == f.lo-1 {
			f.lo--
		}
		if a.Frame == f.hi+1 {
			f.hi++
		}
	}
	f.kept = f.hi
	if last != nil && last.last == f.hi {
		f.kept = last.first - 1
		for i := range legs {
			if l := &legs[i]; l != last {
				f.kept = max(f.kept, l.first, l.last)
			}
		}
	}
	for _, a := range j.Anchors {
		if a.Frame > f.kept && a.Frame <= f.hi {
			f.kept = a.Frame
		}
	}
	if err := f.settle(ctx); err != nil {
		return nil, err
	}
	if first := j.Anchors[0].Frame; j.AtHand != nil && first > f.lo+2*near && first <= f.hi {
		// The anchor and the frames around it, while those before it are decoded.
		for _, way := range [2]int{-1, 1} {
			for n := first; n >= f.lo && n <= f.hi && f.extra[n] == nil || n == first && way > 0; n += way {
				pic := j.AtHand(n)
				if pic == nil {
					break
				}
				f.extra[n] = f.channel.Of(pic)
				f.kept = max(f.kept, n)
			}
		}
		if f.extra[first] == nil {
			to := min(f.hi, first+near/2)
			f.kept = max(f.kept, to)
			if err := f.apart(ctx, max(f.lo, first-near/2), to); err != nil {
				return nil, err
			}
		}
	}
	for _, a := range j.Anchors {
		if (a.Frame < f.lo || a.Frame > f.hi) && f.extra[a.Frame] == nil {
			if err := f.apart(ctx, a.Frame, a.Frame); err != nil {
				return nil, err
			}
		}
	}
	r, err := j.Clip.Open(ctx, f.lo, f.hi)
	if err != nil {
		return nil, err
	}
	if f.file, err = os.CreateTemp("", "celator-follow"); err != nil {
		r.Close()
		return nil, err
	}
	os.Remove(f.file.Name())
	f.done = f.lo
	ctx, f.cancel = context.WithCancel(ctx)
	go f.decode(ctx, r)
	return f, nil
}

// settle chooses the channel with the most contrast on the surface, on its first anchor.
func (f *frameSource) settle(ctx context.Context) error {
	if f.channel != Best {
		return nil
	}
	a := f.job.Anchors[0]
	r, err := f.job.Clip.Open(ctx, a.Frame, a.Frame)
	if err != nil {
		return err
	}
	defer r.Close()
	pic := frame.New(f.job.Clip.Info.Format(), nil)
	if err := r.Read(pic); err != nil {
		return ended(err, a.Frame)
	}
	f.channel = best(pic, mapped(f.job.Outline, a.Map))
	return nil
}

// apart decodes a few frames by themselves.
func (f *frameSource) apart(ctx context.Context, first, last int) error {
	r, err := f.job.Clip.Open(ctx, first, last)
	if err != nil {
		return err
	}
	defer r.Close()
	pic := frame.New(f.job.Clip.Info.Format(), nil)
	for n := first; n <= last; n++ {
		if err := r.Read(pic); err != nil {
			return ended(err, n)
		}
		f.extra[n] = f.channel.Of(pic)
	}
	return nil
}

func ended(err error, n int) error {
	if err == io.EOF {
		return fmt.Errorf("the clip ends before frame %d", n)
	}
	return err
}

func (f *frameSource) decode(ctx context.Context, r *media.Reader) {
	defer close(f.finished)
	defer close(f.coming)
	defer r.Close()
	pic := frame.New(f.job.Clip.Info.Format(), nil)
	f.w, f.h = pic.Width, pic.Height
	row := make([]byte, 2*f.w*f.h)
	fail := func(err error) {
		f.mu.Lock()
		f.err = err
		f.mu.Unlock()
		f.grew.Broadcast()
	}
	for n := f.lo; n <= f.hi; n++ {
		if err := r.Read(pic); err != nil {
			fail(ended(err, n))
			return
		}
		g := f.channel.Of(pic)
		if n > f.kept {
			p, err := f.prepare(g, n)
			if err != nil {
				fail(err)
				return
			}
			select {
			case f.coming <- p:
			case <-ctx.Done():
				fail(ctx.Err())
				return
			}
			continue
		}
		for i, v := range g.Pix { // in 256ths of a code
			binary.LittleEndian.PutUint16(row[2*i:], uint16(v*256))
		}
		if _, err := f.file.WriteAt(row, int64(n-f.lo)*int64(len(row))); err != nil {
			fail(err)
			return
		}
		f.mu.Lock()
		f.done = n + 1
		f.mu.Unlock()
		f.grew.Broadcast()
		if ctx.Err() != nil {
			fail(ctx.Err())
			return
		}
	}
}

func (f *frameSource) prepare(g *track.Gray, n int) (track.Frame, error) {
	p, err := track.Prepare(g)
	if err == nil && f.job.Hidden != nil {
		p, err = p.Except(f.job.Hidden(n))
	}
	return p, err
}

// read returns a frame that was decoded apart or that is or will be in the file.
func (f *frameSource) read(ctx context.Context, n int) (track.Frame, error) {
	if err := ctx.Err(); err != nil {
		return track.Frame{}, err
	}
	if g := f.extra[n]; g != nil {
		return f.prepare(g, n)
	}
	stop := context.AfterFunc(ctx, f.grew.Broadcast)
	defer stop()
	f.mu.Lock()
	for f.done <= n && f.err == nil && ctx.Err() == nil {
		f.grew.Wait()
	}
	have, err := f.done > n, f.err
	f.mu.Unlock()
	if !have {
		if e := ctx.Err(); e != nil {
			err = e
		}
		return track.Frame{}, err
	}
	row := make([]byte, 2*f.w*f.h)
	if _, err := f.file.ReadAt(row, int64(n-f.lo)*int64(len(row))); err != nil {
		return track.Frame{}, err
	}
	g := track.NewGray(f.w, f.h)
	for i := range g.Pix {
		g.Pix[i] = float32(binary.LittleEndian.Uint16(row[2*i:])) / 256
	}
	return f.prepare(g, n)
}

// next returns a leg's next frame.
func (f *frameSource) next(ctx context.Context, l leg, n int) (track.Frame, error) {
	if n <= f.kept || l.step < 0 {
		return f.read(ctx, n)
	}
	select {
	case p, ok := <-f.coming:
		if ok {
			return p, nil
		}
		f.mu.Lock()
		defer f.mu.Unlock()
		if err := ctx.Err(); err != nil {
			return track.Frame{}, err
		}
		return track.Frame{}, f.err
	case <-ctx.Done():
		return track.Frame{}, ctx.Err()
	}
}

func (f *frameSource) close() {
	f.cancel()
	<-f.finished
	f.file.Close()
}

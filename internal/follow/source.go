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
	extra    map[int]*track.Gray    // frames decoded apart: anchors outside, and those around the first
	hand     map[int]*frame.Picture // frames that were decoded already: the first anchor and those around it
	decoding sync.WaitGroup
	cancel   context.CancelFunc
}

const (
	near  = 8  // frames that are decoded apart, so that following begins at once
	handy = 10 // frames at hand that are taken on either side: meanwhile a decoder has begun
)

// Long: what is read is planned in one place, since the ways share it.
func openSource(ctx context.Context, j *Job, legs []leg) (*frameSource, error) {
	f := &frameSource{
		job: j, channel: j.Channel, extra: map[int]*track.Gray{}, hand: map[int]*frame.Picture{},
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
	first := j.Anchors[0].Frame
	waits := j.AtHand != nil && first >= f.lo && first <= f.hi // somebody does
	if waits {
		f.take(first)
	}
	// Those before it come last: where somebody waits the nearest are decoded apart meanwhile.
	apart := waits && first > f.lo+2*near && (f.hand[first] == nil || f.hand[first-1] == nil)
	from, to := max(f.lo, first-near/2), min(f.hi, first+near/2)
	if apart {
		f.kept = max(f.kept, to)
	}
	for _, a := range j.Anchors {
		if (a.Frame < f.lo || a.Frame > f.hi) && f.extra[a.Frame] == nil {
			if err := f.apart(ctx, a.Frame, a.Frame); err != nil {
				return nil, err
			}
		}
	}
	var err error
	if f.file, err = os.CreateTemp("", "celator-follow"); err != nil {
		return nil, err
	}
	os.Remove(f.file.Name())
	f.done = f.lo
	format := j.Clip.Info.Format()
	f.w, f.h = format.Width, format.Height
	ctx, f.cancel = context.WithCancel(ctx)
	f.decoding.Go(func() {
		if apart { // what goes wrong there goes wrong after it, too
			f.apart(ctx, from, to)
		}
		f.decode(ctx)
	})
	return f, nil
}

// settle chooses the channel with the most contrast on the surface, on its first anchor.
func (f *frameSource) settle(ctx context.Context) error {
	if f.channel != Best {
		return nil
	}
	a := f.job.Anchors[0]
	if f.job.AtHand != nil {
		if pic := f.job.AtHand(a.Frame); pic != nil {
			f.channel = best(pic, mapped(f.job.Outline, a.Map))
			return nil
		}
	}
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

// take takes the frames that are at hand: the first anchor's and those next to it on either side.
func (f *frameSource) take(first int) {
	for _, way := range [2]int{-1, 1} {
		for n := first; n >= f.lo && n <= f.hi && (n-first)*way <= handy; n += way {
			pic := f.job.AtHand(n)
			if pic == nil {
				break
			}
			f.hand[n] = pic
			f.kept = max(f.kept, n)
		}
	}
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
		g := f.channel.Of(pic)
		f.mu.Lock()
		f.extra[n] = g
		f.mu.Unlock()
		f.grew.Broadcast()
	}
	return nil
}

func ended(err error, n int) error {
	if err == io.EOF {
		return fmt.Errorf("the clip ends before frame %d", n)
	}
	return err
}

// decode decodes all frames, in order. A decoder takes a while to begin: what is at hand is followed meanwhile.
func (f *frameSource) decode(ctx context.Context) {
	defer close(f.coming)
	fail := func(err error) {
		f.mu.Lock()
		f.err = err
		f.mu.Unlock()
		f.grew.Broadcast()
	}
	r, err := f.job.Clip.Open(ctx, f.lo, f.hi)
	if err != nil {
		fail(err)
		return
	}
	defer r.Close()
	pic := frame.New(f.job.Clip.Info.Format(), nil)
	row := make([]byte, 2*f.w*f.h)
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
	if pic := f.hand[n]; pic != nil {
		return f.prepare(f.channel.Of(pic), n)
	}
	stop := context.AfterFunc(ctx, f.grew.Broadcast)
	defer stop()
	f.mu.Lock()
	for f.extra[n] == nil && f.done <= n && f.err == nil && ctx.Err() == nil {
		f.grew.Wait()
	}
	early, have, err := f.extra[n], f.done > n, f.err
	f.mu.Unlock()
	if early != nil {
		return f.prepare(early, n)
	}
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
	f.decoding.Wait()
	f.file.Close()
}

// Package follow runs a tracker over the frames of a clip, from the reference
// frame forward and backward at once.
package follow

import (
	"context"
	"fmt"
	"io"
	"os"
	"sync"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/media"
)

// Job says what is followed, and over which frames.
type Job struct {
	Clip      media.Clip
	Outline   []geom.Point // of the surface on the reference frame, picture coordinates
	Model     track.Model
	Reference int
	From, To  int // both included; the reference lies between them
	// Found is told every frame's pose as it is known, the reference's first; from
	// there outwards, both ways in turn, never two calls at a time.
	Found func(f int, p track.Pose)
}

// Run follows the surface. Each frame is decoded once: those before the reference
// wait in a temporary file for the way back. What was found before an error or
// the context's end has been told.
func Run(ctx context.Context, j Job) error {
	if j.From < 0 || j.From > j.Reference || j.Reference > j.To {
		return fmt.Errorf("the reference frame %d is not among the frames %d to %d", j.Reference, j.From, j.To)
	}
	if !j.Model.Valid() {
		return fmt.Errorf("%q is no model of motion; there are translation, similarity, affine and perspective", j.Model)
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	r, err := j.Clip.Open(ctx, j.From, j.To)
	if err != nil {
		return err
	}
	defer r.Close()
	spool, err := os.CreateTemp("", "celator-follow")
	if err != nil {
		return err
	}
	defer spool.Close()
	os.Remove(spool.Name())
	pic := frame.New(j.Clip.Info.Format(), nil)
	read := func(f int) error {
		if err := r.Read(pic); err != nil {
			if err == io.EOF {
				return fmt.Errorf("the clip ends before frame %d", f)
			}
			return err
		}
		return nil
	}
	size := int64(len(pic.Planes[0]))
	for f := j.From; f < j.Reference; f++ {
		if err := read(f); err != nil {
			return err
		}
		if _, err := spool.Write(pic.Planes[0]); err != nil {
			return err
		}
	}
	if err := read(j.Reference); err != nil {
		return err
	}
	first, err := track.Prepare(gray(pic.Format, pic.Planes[0]))
	if err != nil {
		return err
	}
	forward, err := track.NewPlanar(first, j.Outline, j.Model)
	if err != nil {
		return err
	}
	var mu sync.Mutex
	found := func(f int, p track.Pose) {
		mu.Lock()
		defer mu.Unlock()
		j.Found(f, p)
	}
	found(j.Reference, track.Pose{Map: geom.Identity, Confidence: 1, State: track.Anchor})
	var wg sync.WaitGroup
	var back error
	wg.Go(func() {
		t := forward.Fork()
		row := make([]byte, size)
		for f := j.Reference - 1; f >= j.From && ctx.Err() == nil; f-- {
			if _, err := spool.ReadAt(row, int64(f-j.From)*size); err != nil {
				back = err
				return
			}
			g, err := track.Prepare(gray(pic.Format, row))
			if err != nil {
				back = err
				return
			}
			found(f, t.Step(g))
		}
	})
	// Decoding and preparing run a few frames ahead of following.
	ahead := make(chan track.Frame, 2)
	var readErr error
	go func() {
		defer close(ahead)
		for f := j.Reference + 1; f <= j.To; f++ {
			if readErr = read(f); readErr != nil {
				return
			}
			var g track.Frame
			if g, readErr = track.Prepare(gray(pic.Format, pic.Planes[0])); readErr != nil {
				return
			}
			select {
			case ahead <- g:
			case <-ctx.Done():
				return
			}
		}
	}()
	f := j.Reference + 1
	for g := range ahead {
		found(f, forward.Step(g))
		f++
	}
	wg.Wait()
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case readErr != nil:
		return readErr
	}
	return back
}

// gray returns a luma plane as code values of 8 bit.
func gray(f frame.Format, plane []byte) *track.Gray {
	g := track.NewGray(f.Width, f.Height)
	if f.Depth > 8 {
		unit := 1 / float32(int(1)<<(f.Depth-8))
		for i := range g.Pix {
			g.Pix[i] = float32(uint16(plane[2*i])|uint16(plane[2*i+1])<<8) * unit
		}
		return g
	}
	for i, v := range plane {
		g.Pix[i] = float32(v)
	}
	return g
}

package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/timecode"
)

// late is how many frames a picture may be shown after its time for the sake of those
// before it, which are all shown.
const late = 1.5

// schedule gives each picture of a variable rate its frames: the first at its time, and the
// last of them before the next picture's; never none, so that no picture is lost. The rate
// is the common one nearest above what most pictures ask for, or one above that where pictures
// come so fast that some would be late. pts are the pictures' times in units of so many seconds.
func (info *Info) schedule(pts []int64, unit float64) error {
	gaps := make([]int64, 0, len(pts))
	for i := range pts[1:] {
		gaps = append(gaps, pts[i+1]-pts[i])
	}
	slices.Sort(gaps)
	fast := gaps[len(gaps)/4] // a quarter of the pictures come at least this fast
	info.Rate = commonRate(1 / (float64(max(fast, 1)) * unit))
	for _, r := range append([]timecode.Rate{info.Rate}, common...) {
		if r.Float() < info.Rate.Float() {
			continue
		}
		starts, behind := begin(pts, unit, r.Float())
		info.Rate = r
		if behind > late && r != common[len(common)-1] {
			continue
		}
		length := max(int(math.Round(float64(gaps[len(gaps)/2])*unit*r.Float())), 1)
		end := starts[len(starts)-1] + float64(length)
		if end > cover.MaxFrames { // a few pictures may claim to last for days
			return unusable("it lasts longer than %d frames", cover.MaxFrames)
		}
		info.holds = make([]int, len(starts))
		for i, s := range starts {
			next := end
			if i+1 < len(starts) {
				next = starts[i+1]
			}
			info.holds[i] = int(next - s)
		}
		info.Frames = int(end)
		info.Duration = end / r.Float()
		return nil
	}
	return nil
}

// begin returns the frame on which each picture is first shown, and by how many frames the
// latest is late.
func begin(pts []int64, unit, rate float64) (starts []float64, behind float64) {
	for i, p := range pts {
		at := (float64(p) - float64(pts[0])) * unit * rate
		s := math.Round(at)
		if i > 0 {
			s = max(s, starts[i-1]+1)
		}
		starts = append(starts, s)
		behind = max(behind, s-at)
	}
	return starts, behind
}

// hold keeps a picture that was read for the frames on which it is still shown.
func (r *Reader) hold(p *frame.Picture) {
	if len(r.holds) == 0 {
		return
	}
	r.left, r.holds = r.holds[0]-1, r.holds[1:]
	if r.left == 0 {
		return
	}
	if r.held == nil {
		r.held = frame.New(p.Format, nil)
	}
	copy(r.held.Data, p.Data)
}

// pickHeld is Pick of a variable rate, whose frames are reached one after the other alone.
func (c Clip) pickHeld(ctx context.Context, frames []int, do func(f int, p *frame.Picture) error) error {
	r, err := c.Open(ctx, 0, frames[len(frames)-1])
	if err != nil {
		return err
	}
	defer r.Close()
	pic := frame.New(c.Info.Format(), nil)
	for f := 0; len(frames) > 0; f++ {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			return unusable("the clip ends before frame %d", f)
		} else if err != nil {
			return err
		}
		if f == frames[0] {
			frames = frames[1:]
			if err := do(f, pic); err != nil {
				return err
			}
		}
	}
	return nil
}

// conformVariable writes a copy in which each picture lies on its frames.
func conformVariable(ctx context.Context, c Clip, path string, progress func(done int)) (Clip, error) {
	info, err := Probe(ctx, c.Path) // when each picture is shown is not kept
	if err != nil {
		return Clip{}, err
	}
	return conformHeld(ctx, Clip{Path: c.Path, Info: info}, path, progress)
}

// conformHeld writes a copy of a clip whose pictures are each shown for some frames.
func conformHeld(ctx context.Context, c Clip, path string, progress func(done int)) (Clip, error) {
	info := c.Info
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		return Clip{}, err
	}
	defer r.Close()
	args := append([]string{"-nostdin", "-v", "error", "-y"}, raw(info, info.Format(), info.storedFormat())...)
	w, err := pipeTo(ctx, append(append(args, "-map", "0:v"), info.conformedAs(path)...))
	if err != nil {
		return Clip{}, err
	}
	w.pack = info.pack
	defer w.Abort()
	pic := frame.New(info.Format(), nil)
	n := 0
	for ; ; n++ {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return Clip{}, err
		}
		if err := w.Write(pic.Data); err != nil {
			return Clip{}, fmt.Errorf("media: a conformed copy: %w", err)
		}
		if progress != nil {
			progress(n + 1)
		}
	}
	if !c.asIs {
		if err := c.complete(ctx, n, r.proc); err != nil {
			return Clip{}, err
		}
	}
	if err := w.Close(); err != nil {
		return Clip{}, err
	}
	return conformed(ctx, info, path)
}

package media

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strconv"

	"celator/core/frame"
	"celator/internal/fault"
)

const (
	// mostTried is of how many pixels a trial decodes the groups at most: a thousand pictures of 1080p take some ten
	// seconds, and somebody waits for a plan.
	mostTried = 2e9
	// LeastGroups is how many groups a file must have for it to be tried.
	LeastGroups = 3
	// between is how many pictures stand between the groups in a trial: enough for all kinds of them.
	between = 12
)

// stands tries whether the preset's pictures can stand between coded pictures of a clip, which are decoded by what
// the file says elsewhere: some of the second of its first three groups are coded anew and put between the others, and
// what comes of it is decoded. False is also of what cannot be taken apart so, is too long to be tried, or too short to
// gain by it.
func (p Preset) stands(ctx context.Context, c Clip, dir string) (bool, error) {
	var at []int
	c.Info.Units(func(first, _ int) {
		if len(at) < 4 {
			at = append(at, first)
		}
	})
	if len(at) < LeastGroups || at[0] != 0 {
		return false, nil
	}
	end := c.Info.Frames
	if len(at) == 4 {
		end = at[3]
	}
	if float64(end)*float64(c.Info.Width*c.Info.Height) > mostTried {
		return false, nil
	}
	dir, err := os.MkdirTemp(dir, ".alike")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	if err = p.tryBetween(ctx, c, dir, at[1], at[2], end); err != nil && (ctx.Err() != nil || fault.IsMachine(err)) {
		return false, err
	}
	return err == nil, nil
}

// tryBetween is an error unless frames from second on, coded anew in place of a whole group, leave those of the groups
// before it and from third on as they are.
func (p Preset) tryBetween(ctx context.Context, c Clip, dir string, second, third, frames int) error {
	path := filepath.Join(dir, "short"+p.Ending)
	args := append(input(c.Path), "-map", "0:v:0", "-c", "copy", "-an", "-sn", "-dn", "-frames:v", strconv.Itoa(frames))
	pr, err := watched(ctx, append(args, "-f", p.segment, "file:"+path), nil)
	if err == nil {
		err = pr.errs.fault()
	}
	if err != nil {
		return err
	}
	short := Clip{Path: path}
	if short.Info, err = Probe(ctx, path); err != nil {
		return err
	}
	if short.Info.Frames != frames || short.Info.Format() != c.Info.Format() {
		return errSets
	}
	pieces := filepath.Join(dir, "pieces")
	if err := os.Mkdir(pieces, 0o700); err != nil {
		return err
	}
	files, err := short.Split(ctx, p, pieces, []int{second, third}, nil)
	if err != nil {
		return err
	}
	files[1] = filepath.Join(dir, "anew"+p.Ending)
	n := min(third-second, between)
	if err := p.anew(ctx, short, files[1], second, second+n-1); err != nil {
		return err
	}
	all := second + n + frames - third
	o := Output{
		Path: filepath.Join(dir, "joined"+p.Ending), Preset: p, Source: short, Sound: path, Frames: all, Total: all,
	}
	if err := Join(ctx, o, files, []int{second, n, frames - third}, nil); err != nil {
		return err
	}
	joined := Clip{Path: o.Path}
	if joined.Info, err = Probe(ctx, o.Path); err != nil {
		return err
	}
	if joined.Info.Frames != all {
		return errSets
	}
	if err := alike(ctx, short, joined, 0, 0, second); err != nil {
		return err
	}
	return alike(ctx, short, joined, third, second+n, frames-third)
}

// anew codes some of a clip's pictures as a segment.
func (p Preset) anew(ctx context.Context, c Clip, path string, first, last int) error {
	w, err := Create(ctx, Output{
		Path: path, Preset: p, Segment: true, Source: c, First: first, Frames: last - first + 1, Total: c.Info.Frames,
	})
	if err != nil {
		return err
	}
	defer w.Abort()
	r, err := c.Open(ctx, first, last)
	if err != nil {
		return err
	}
	defer r.Close()
	pic := frame.New(c.Info.Format(), nil)
	for range last - first + 1 {
		if err := r.Read(pic); err != nil {
			return err
		}
		if err := w.Write(pic.Data); err != nil {
			return err
		}
	}
	return w.Close()
}

// alike is an error unless n frames of a clip, from one on, are those of another, from its one on. Both are read from
// their beginnings.
func alike(ctx context.Context, a, b Clip, from, at, n int) error {
	p, q := frame.New(a.Info.Format(), nil), frame.New(b.Info.Format(), nil)
	if p.Format != q.Format {
		return errSets
	}
	ra, err := a.Open(ctx, from, from+n-1)
	if err != nil {
		return err
	}
	defer ra.Close()
	rb, err := b.Open(ctx, at, at+n-1)
	if err != nil {
		return err
	}
	defer rb.Close()
	for range n {
		if err := errors.Join(ra.Read(p), rb.Read(q)); err != nil {
			return err
		}
		if !bytes.Equal(p.Data, q.Data) {
			return errSets
		}
	}
	return nil
}

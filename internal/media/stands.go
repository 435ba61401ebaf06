package media

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strconv"

	"celator/core/frame"
	"celator/internal/fault"
)

// stands tries whether the preset's pictures can stand between coded pictures of a clip, which are decoded by what
// the file says elsewhere: the second of its first three groups is coded anew and put between the others, and what
// comes of it is decoded. False is also of what cannot be taken apart so, or is too short to gain by it.
func (p Preset) stands(ctx context.Context, c Clip, dir string) (bool, error) {
	var at []int
	c.Info.Units(func(first, _ int) {
		if len(at) < 4 {
			at = append(at, first)
		}
	})
	if len(at) < 3 || at[0] != 0 {
		return false, nil
	}
	end := c.Info.Frames
	if len(at) == 4 {
		end = at[3]
	}
	dir, err := os.MkdirTemp(dir, ".stands")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	if err = p.between(ctx, c, dir, at[1], at[2]-1, end); err != nil && (ctx.Err() != nil || fault.IsMachine(err)) {
		return false, err
	}
	return err == nil, nil
}

// between is an error unless frames first to last, coded anew, leave all others of a clip's first ones as they are.
func (p Preset) between(ctx context.Context, c Clip, dir string, first, last, frames int) error {
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
	files, err := short.Split(ctx, p, pieces, []int{first, last + 1}, nil)
	if err != nil {
		return err
	}
	files[1] = filepath.Join(dir, "anew"+p.Ending)
	if err := p.anew(ctx, short, files[1], first, last); err != nil {
		return err
	}
	o := Output{
		Path: filepath.Join(dir, "joined"+p.Ending), Preset: p, Source: short, Sound: path, Frames: frames, Total: frames,
	}
	if err := Join(ctx, o, files, []int{first, last - first + 1, frames - last - 1}, nil); err != nil {
		return err
	}
	joined := Clip{Path: o.Path}
	if joined.Info, err = Probe(ctx, o.Path); err != nil {
		return err
	}
	return sideBySide(ctx, short, joined, func(f int, a, b *frame.Picture) error {
		if (f < first || f > last) && !bytes.Equal(a.Data, b.Data) {
			return errSets
		}
		return nil
	})
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

// sideBySide gives the frames of two clips of one format, all of the first one's.
func sideBySide(ctx context.Context, a, b Clip, do func(f int, a, b *frame.Picture) error) error {
	p, q := frame.New(a.Info.Format(), nil), frame.New(b.Info.Format(), nil)
	if p.Format != q.Format {
		return errSets
	}
	ra, err := a.Open(ctx, 0, -1)
	if err != nil {
		return err
	}
	defer ra.Close()
	rb, err := b.Open(ctx, 0, -1)
	if err != nil {
		return err
	}
	defer rb.Close()
	for f := range a.Info.Frames {
		if err := ra.Read(p); err != nil {
			return err
		}
		if err := rb.Read(q); err != nil {
			return err
		}
		if err := do(f, p, q); err != nil {
			return err
		}
	}
	return nil
}

package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"celator/core/cadence"
	"celator/core/frame"
)

// makeFieldViews is MakeViews for pictures that are woven of fields: what is shown of a
// field is made of its own lines alone, just as what covers do to it is.
func makeFieldViews(ctx context.Context, c Clip, dir string, progress func(done int)) (s Seen, err error) {
	c.Sums = nil
	if err := os.MkdirAll(c.Info.viewDir(dir), 0o700); err != nil {
		return s, err
	}
	if err := present(c.Path); err != nil {
		return s, err
	}
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		return s, err
	}
	defer r.Close()
	info := c.ByField().Info
	every := 1
	names := viewArgs(info, info.viewDir(dir), 0, "")
	if c.Info.Long() {
		every = c.Info.StillEvery()
		names = byTime(viewArgs(info, info.viewDir(dir), 0, fmt.Sprintf("settb=%d/%d,setpts=floor(N/2)*%d+mod(N\\,2),",
			info.Rate.Den, info.Rate.Num, 2*every)))
	}
	w, err := pipeViews(ctx, info, names)
	if err != nil {
		return s, err
	}
	defer w.Abort()
	var film cadence.Finder
	pic, field := frame.New(info.Format(), nil), frame.New(info.Format(), nil)
	for {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return s, err
		}
		s.Sums = append(s.Sums, sum(info.pack(pic.Data)))
		film.Add(pic)
		for _, f := range pic.Fields() {
			if (len(s.Sums)-1)%every != 0 {
				break
			}
			field.TakeField(f, pic)
			if err := w.Write(field.Data); err != nil {
				return s, fmt.Errorf("media: views of fields: %w", err)
			}
		}
		if progress != nil {
			progress(len(s.Sums))
		}
	}
	if len(s.Sums) == 0 {
		return s, unusable("it has no frames")
	}
	if err := c.complete(ctx, len(s.Sums), r.proc); err != nil {
		return s, err
	}
	if err := w.Close(); err != nil {
		return s, err
	}
	s.Cadence = film.Found()
	return s, SaveSums(filepath.Join(dir, "frames.sum"), s.Sums)
}

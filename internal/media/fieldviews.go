package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"

	"celator/core/frame"
)

// makeFieldViews is MakeViews for pictures that are woven of fields: what is shown of a
// field is made of its own lines alone, just as what covers do to it is.
func makeFieldViews(ctx context.Context, c Clip, dir string, progress func(done int)) ([]uint32, error) {
	c.Sums = nil
	r, err := c.Open(ctx, 0, -1)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	info := c.ByField().Info
	args := append([]string{"-nostdin", "-v", "error", "-y"}, raw(info, info.Format(), info.workedOn())...)
	args = append(append(args, "-map", "0:v"), viewArgs(info, info.viewDir(dir))...)
	w, err := pipeTo(ctx, args)
	if err != nil {
		return nil, err
	}
	defer w.Abort()
	var crcs []uint32
	pic, field := frame.New(info.Format(), nil), frame.New(info.Format(), nil)
	for {
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, err
		}
		crcs = append(crcs, sum(info.pack(pic.Data)))
		for _, f := range pic.Fields() {
			field.TakeField(f, pic)
			if err := w.Write(field.Data); err != nil {
				return nil, fmt.Errorf("media: views of fields: %w", err)
			}
		}
		if progress != nil {
			progress(len(crcs))
		}
	}
	if len(crcs) == 0 {
		return nil, unusable("it has no frames")
	}
	if err := c.complete(ctx, len(crcs), r.proc); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return crcs, SaveSums(filepath.Join(dir, "frames.sum"), crcs)
}

package deliver

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/timecode"
	"celator/internal/media"
)

// Try writes half a second of made-up pictures, without sound, by a recipe, and proves the file: what cannot be
// written here is found before somebody waits for it.
func Try(ctx context.Context, r media.Recipe) error {
	p, err := r.Preset()
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "celator-try")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	const frames, width, height = 12, 720, 576 // which every codec takes
	info := media.Info{
		Width: width, Height: height, Depth: 8, SubX: 1, Range: frame.Limited, Matrix: frame.BT601, PixFmt: "yuv422p",
		Rate: timecode.Rate{Num: 25, Den: 1}, Pixel: media.Ratio{Num: 1, Den: 1}, Frames: frames, Duration: frames / 25.,
		Indexed: true,
		Field:   "progressive",
	}
	source := filepath.Join(dir, "source.mkv")
	w, err := media.Create(ctx, media.Output{
		Path: source, Preset: media.Presets["archive"], Segment: true, Source: media.Clip{Info: info}, Frames: frames,
		Total: frames,
	})
	if err != nil {
		return err
	}
	defer w.Abort()
	pic := frame.New(info.Format(), nil)
	for f := range frames {
		for i := range pic.Data {
			pic.Data[i] = byte(64 + (i+3*f)%128)
		}
		if err := w.Write(pic.Data); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	if info, err = media.Probe(ctx, source); err != nil {
		return err
	}
	j := Job{
		Clip: media.Clip{Path: source, Info: info}, Sound: source, Parts: Whole(cover.New(width, height, frames)), Preset: p,
		Last: frames - 1, Total: frames, Out: filepath.Join(dir, "out"+p.Ending),
	}
	if err := Render(ctx, j); err != nil {
		return fmt.Errorf("it cannot be written here: %w", err)
	}
	_, err = Verify(ctx, j, nil)
	return err
}

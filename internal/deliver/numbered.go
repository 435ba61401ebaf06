package deliver

import (
	"context"
	"fmt"
	"os"

	"celator/internal/media"
)

// renderNumbered writes pictures as files that are numbered and packed: as one segment, which is then
// taken apart.
func renderNumbered(ctx context.Context, j Job) error {
	part := j
	part.Segment, part.Out = true, j.Out+".pictures"
	defer os.Remove(part.Out)
	if err := Render(ctx, part); err != nil {
		return err
	}
	n := j.Last - j.First + 1
	return media.Join(ctx, media.Output{
		Path: j.Out, Preset: j.Preset, Gray: j.Matte, Source: j.Clip, Sound: j.Sound, First: j.Clip.From() + j.First,
		Frames: n, Total: j.Total,
	}, []string{part.Out}, []int{n}, nil)
}

// verifyNumbered reads packed pictures again: all must be there, whole, of the source's size, and numbered as
// its frames.
func verifyNumbered(j Job) (Proof, error) {
	i, want := j.Clip.Info, j.Last-j.First+1
	p := Proof{Touched: touched(j), Left: j.Preset.Left(i, j.whole()), Duration: float64(want) / i.Rate.Float()}
	n, err := media.CheckNumbered(j.Out, j.Clip.From()+j.First, i.Width, i.Height)
	p.Frames = n
	if err == nil && n != want {
		err = fmt.Errorf("the written file has %d pictures, not %d", n, want)
	}
	return p, err
}

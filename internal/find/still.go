package find

import (
	"context"
	"image"
	"slices"

	"golang.org/x/image/draw"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/proposal"
)

const (
	beside   = .6 // of a thing's height, that its still shows around it
	mostWide = 480
	mostHigh = 360
)

// stills gives each proposal the picture that shows it best.
func stills(ctx context.Context, j Job, all []proposal.Proposal) ([]Found, error) {
	out := make([]Found, len(all))
	var frames []int
	for i, p := range all {
		out[i].Proposal = p
		frames = append(frames, p.Best.Frame)
	}
	if len(all) == 0 {
		return out, nil
	}
	slices.Sort(frames)
	err := j.Clip.Pick(ctx, slices.Compact(frames), func(f int, pic *frame.Picture) error {
		j.Pace()
		for i := range out {
			if out[i].Best.Frame == f {
				out[i].Still = still(pic, out[i].Best.Quad)
			}
		}
		return nil
	})
	return out, err
}

// still is the part of a picture around a thing, no larger than it is kept.
func still(pic *frame.Picture, q geom.Quad) *image.RGBA {
	b := q.Bounds()
	d := beside * q.Height()
	b = b.Grow(d, d)
	r := image.Rect(int(b.Min.X), int(b.Min.Y), int(b.Max.X)+1, int(b.Max.Y)+1).Intersect(pic.Rect())
	if r.Empty() {
		return nil
	}
	part := pic.RGBA(r)
	k := min(1, mostWide/float64(r.Dx()), mostHigh/float64(r.Dy()))
	out := image.NewRGBA(image.Rect(0, 0, max(1, int(float64(r.Dx())*k)), max(1, int(float64(r.Dy())*k))))
	draw.ApproxBiLinear.Scale(out, out.Bounds(), part, part.Bounds(), draw.Src, nil)
	return out
}

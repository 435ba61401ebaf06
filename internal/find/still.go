package find

import (
	"context"
	"image"
	"slices"

	"golang.org/x/image/draw"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/follow"
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
		gray := follow.Luma.Of(pic)
		for i := range out {
			p := &out[i]
			if p.Best.Frame != f {
				continue
			}
			p.Still = still(pic, p.Best.Quad)
			if p.Kind == proposal.Face {
				continue
			}
			if board, ok := proposal.Board(gray, p.Best.Quad); ok {
				p.Best.Board = &board
				for k := range p.Sights {
					if p.Sights[k].Frame == f && p.Sights[k].Quad == p.Best.Quad {
						p.Sights[k].Board = &board
					}
				}
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

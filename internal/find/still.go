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

// stills gives each proposal the picture that shows it best; look is shown that frame, and may be nil.
func stills(ctx context.Context, j Job, all []proposal.Proposal, look func(i int, pic *frame.Picture) error) ([]Found,
	error,
) {
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
			if look != nil {
				if err := look(i, pic); err != nil {
					return err
				}
			}
			if p.Kind == proposal.Face || p.Kind == proposal.Mark {
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
	return scaled(pic.RGBA(r), mostWide, mostHigh)
}

// scaled is a picture made so small that it fits.
func scaled(pic *image.RGBA, wide, high int) *image.RGBA {
	r := pic.Bounds()
	k := min(1, float64(wide)/float64(r.Dx()), float64(high)/float64(r.Dy()))
	out := image.NewRGBA(image.Rect(0, 0, max(1, int(float64(r.Dx())*k)), max(1, int(float64(r.Dy())*k))))
	draw.CatmullRom.Scale(out, out.Bounds(), pic, r, draw.Src, nil)
	return out
}

// Draw draws a part of a picture into another, sized to fit.
func Draw(dst draw.Image, to image.Rectangle, src image.Image, part image.Rectangle) {
	draw.CatmullRom.Scale(dst, to, src, part, draw.Over, nil)
}

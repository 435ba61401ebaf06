package preview

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/internal/media"
)

// The steady strip shows a surface frame after frame as it lies on its reference.
const (
	StripFrames = 20 // in one picture
	CellW       = 88
	CellH       = 56
	around      = .12 // of the surface's size is shown beside it
)

// strips limits how many are made at once, so that following is not slowed much.
var strips = make(chan struct{}, 2)

// Strip returns the frames first to last of a followed surface, rectified, side by
// side in one JPEG. They are taken from the view frames in dir, which no seek and no
// video decoder is needed for. Frames that were not followed, or whose view frame is
// not made yet, are black. from is the source's frame that is the shot's frame 0; width
// and height are the source's.
func Strip(ctx context.Context, dir string, from, width, height int, t *cover.Track, first, last int) ([]byte, error) {
	if first > last {
		return nil, fmt.Errorf("there are no frames %d to %d", first, last)
	}
	select {
	case strips <- struct{}{}:
		defer func() { <-strips }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	out := image.NewRGBA(image.Rect(0, 0, CellW*StripFrames, CellH))
	for i := 3; i < len(out.Pix); i += 4 {
		out.Pix[i] = 255
	}
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	for f := first; f <= last && ctx.Err() == nil; f++ {
		if t.Poses.State(f) == '-' {
			continue
		}
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			pic, err := view(media.ViewPath(dir, from+f))
			if err != nil {
				return
			}
			small := geom.Map{float64(pic.Width) / float64(width), 0, 0, 0, float64(pic.Height) / float64(height), 0, 0, 0, 1}
			cell(out, (f-first)*CellW, pic, t, small.Mul(t.Map(f)))
		})
	}
	wg.Wait()
	var b bytes.Buffer
	err := jpeg.Encode(&b, out, &jpeg.Options{Quality: 80})
	return b.Bytes(), err
}

// cell draws what lies under the surface and a little around it.
func cell(out *image.RGBA, x0 int, pic *frame.Picture, t *cover.Track, m geom.Map) {
	box := t.Box()
	b := geom.Rect{Min: box[0], Max: box[2]}
	b = b.Grow(around*(b.Max.X-b.Min.X), around*(b.Max.Y-b.Min.Y))
	w, h := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	scale := max(w/(CellW-2), h/CellH) // surface pixels for one of the cell
	c := b.Centre()
	to := m.Mul(geom.Map{scale, 0, c.X - scale*CellW/2, 0, scale, c.Y - scale*CellH/2, 0, 0, 1})
	var reach geom.Rect
	for i, q := range [4]geom.Point{{}, {X: CellW}, {X: CellW, Y: CellH}, {Y: CellH}} {
		p := to.Apply(q)
		if !p.Finite() {
			return
		}
		if i == 0 {
			reach = geom.Rect{Min: p, Max: p}
		}
		reach.Min = geom.Pt(min(reach.Min.X, p.X), min(reach.Min.Y, p.Y))
		reach.Max = geom.Pt(max(reach.Max.X, p.X), max(reach.Max.Y, p.Y))
	}
	bound := func(v float64) int { return int(min(max(v, -2), frame.MaxSide)) }
	src := pic.RGBA(image.Rect(bound(reach.Min.X-1), bound(reach.Min.Y-1), bound(reach.Max.X+2),
		bound(reach.Max.Y+2)).Intersect(pic.Rect()))
	if src.Rect.Empty() {
		return
	}
	// As many samples for a pixel of the cell as it takes of the picture's.
	n := min(max(int(math.Ceil(math.Sqrt(math.Abs(geom.Area(ring(to))/(CellW*CellH))))), 1), 5)
	for y := range CellH {
		for x := range CellW - 2 {
			var sum [3]int
			for k := range n * n {
				p := to.Apply(geom.Pt(float64(x)+(float64(k%n)+.5)/float64(n), float64(y)+(float64(k/n)+.5)/float64(n)))
				px, py := int(math.Floor(p.X)), int(math.Floor(p.Y))
				if !(image.Point{X: px, Y: py}).In(src.Rect) {
					continue
				}
				o := src.PixOffset(px, py)
				for i := range sum {
					sum[i] += int(src.Pix[o+i])
				}
			}
			o := out.PixOffset(x0+x, y)
			for i := range sum {
				out.Pix[o+i] = byte(sum[i] / (n * n))
			}
		}
	}
}

func ring(m geom.Map) []geom.Point {
	return []geom.Point{
		m.Apply(geom.Point{}), m.Apply(geom.Pt(CellW, 0)), m.Apply(geom.Pt(CellW, CellH)),
		m.Apply(geom.Pt(0, CellH)),
	}
}

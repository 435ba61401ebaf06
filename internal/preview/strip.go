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

// Steady asks for frames First to Last of a followed surface.
type Steady struct {
	Dir           string // with the source's view frames
	From          int    // the source's frame that is the shot's frame 0
	Width, Height int    // of the source
	Track         *cover.Track
	First, Last   int
	Scale         int  // cells are so many times CellW by CellH; 1 to 3
	Difference    bool // from the track's first anchor, instead of the picture
}

// Strip returns the frames, rectified, side by side in one JPEG. They are taken from the
// view frames, which no seek and no video decoder is needed for. Frames that were not
// followed, or whose view frame is not made yet, are black.
func Strip(ctx context.Context, s Steady) ([]byte, error) {
	if s.First > s.Last || s.Scale < 1 || s.Scale > 3 {
		return nil, fmt.Errorf("there is no strip of frames %d to %d, %d times as large", s.First, s.Last, s.Scale)
	}
	select {
	case strips <- struct{}{}:
		defer func() { <-strips }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	w, h := CellW*s.Scale, CellH*s.Scale
	out := image.NewRGBA(image.Rect(0, 0, w*StripFrames, h))
	for i := 3; i < len(out.Pix); i += 4 {
		out.Pix[i] = 255
	}
	var reference *image.RGBA
	if s.Difference {
		reference = image.NewRGBA(image.Rect(0, 0, w, h))
		s.draw(reference, 0, s.Track.Frame)
	}
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	for f := s.First; f <= s.Last && ctx.Err() == nil; f++ {
		if s.Track.Poses.State(cover.Time(f)) == '-' {
			continue
		}
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			x0 := (f - s.First) * w
			if s.draw(out, x0, cover.Time(f)) && reference != nil {
				differ(out, x0, reference)
			}
		})
	}
	wg.Wait()
	var b bytes.Buffer
	err := jpeg.Encode(&b, out, &jpeg.Options{Quality: 80})
	return b.Bytes(), err
}

// draw draws a frame's cell, unless its view frame is not there.
func (s *Steady) draw(out *image.RGBA, x0 int, t cover.Time) bool {
	pic, err := view(media.View(s.Dir, t+cover.Time(s.From)))
	if err != nil {
		return false
	}
	small := geom.Map{
		float64(pic.Width) / float64(s.Width), 0, 0, 0, float64(pic.Height) / float64(s.Height), 0, 0, 0,
		1,
	}
	w := s.Track.Warp(t)
	w.Map = small.Mul(w.Map)
	cell(out, x0, CellW*s.Scale, CellH*s.Scale, pic, s.Track, w)
	return true
}

// amplified is how many times a difference is drawn: what can just be told apart, some
// four codes, is then seen.
const amplified = 4

// differ leaves of a cell how far it is from the reference: grey where it is the same.
func differ(out *image.RGBA, x0 int, reference *image.RGBA) {
	for y := range reference.Rect.Dy() {
		for x := range reference.Rect.Dx() {
			a, b := out.Pix[out.PixOffset(x0+x, y):], reference.Pix[reference.PixOffset(x, y):]
			for i := range 3 {
				a[i] = byte(min(max(128+amplified*(int(a[i])-int(b[i])), 0), 255))
			}
		}
	}
}

// cell draws what lies under the surface and a little around it.
func cell(out *image.RGBA, x0, cw, ch int, pic *frame.Picture, t *cover.Track, by geom.Warp) {
	box := t.Box()
	b := geom.Rect{Min: box[0], Max: box[2]}
	b = b.Grow(around*(b.Max.X-b.Min.X), around*(b.Max.Y-b.Min.Y))
	w, h := b.Max.X-b.Min.X, b.Max.Y-b.Min.Y
	scale := max(w/float64(cw-2), h/float64(ch)) // surface pixels for one of the cell
	c := b.Centre()
	on := geom.Map{scale, 0, c.X - scale*float64(cw)/2, 0, scale, c.Y - scale*float64(ch)/2, 0, 0, 1}
	to := by.Map.Mul(on)
	at := to.Apply
	if by.Bend != nil {
		at = func(q geom.Point) geom.Point { return by.Apply(on.Apply(q)) }
	}
	far := by.Bend.Most() / scale
	var reach geom.Rect
	for i, q := range geom.Box(geom.Rect{Max: geom.Pt(float64(cw), float64(ch))}.Grow(far, far)) {
		p := to.Apply(q.P)
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
	n := min(max(int(math.Ceil(math.Sqrt(math.Abs(geom.Area(ring(to, cw, ch))/float64(cw*ch))))), 1), 5)
	for y := range ch {
		for x := range cw - 2 {
			var sum [3]int
			for k := range n * n {
				p := at(geom.Pt(float64(x)+(float64(k%n)+.5)/float64(n), float64(y)+(float64(k/n)+.5)/float64(n)))
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

func ring(m geom.Map, cw, ch int) []geom.Point {
	w, h := float64(cw), float64(ch)
	return []geom.Point{m.Apply(geom.Point{}), m.Apply(geom.Pt(w, 0)), m.Apply(geom.Pt(w, h)), m.Apply(geom.Pt(0, h))}
}

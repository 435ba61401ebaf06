package preview

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"sync"

	"golang.org/x/image/draw"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/media"
)

// A contact sheet shows what lies around a cover on every frame, small.
const (
	SheetFrames = 20 // in one picture, side by side
	SheetW      = 160
	SheetH      = 90
)

// Sheet asks for frames First to Last of a shot.
type Sheet struct {
	Dir           string // with the source's view frames
	From          int    // the source's frame that is the shot's frame 0
	Width, Height int    // of the source
	Document      *cover.Document
	References    *treat.References
	Clean         bool // as they came, instead of concealed
	First, Last   int
	Place         func(f int) image.Rectangle // what is shown of a frame, px of the source
}

// Contact returns the sheet as one JPEG. Its pictures are made of the view frames, which
// no seek and no video decoder is needed for: covers lie exactly, what is drawn under them
// is as good as a view frame. Those not made yet are black.
func Contact(ctx context.Context, s Sheet) ([]byte, error) {
	if s.First < 0 || s.First > s.Last || s.Last-s.First >= SheetFrames {
		return nil, fmt.Errorf("there is no sheet of frames %d to %d", s.First, s.Last)
	}
	select {
	case strips <- struct{}{}:
		defer func() { <-strips }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	out := image.NewRGBA(image.Rect(0, 0, SheetW*SheetFrames, SheetH))
	draw.Draw(out, out.Rect, image.Black, image.Point{}, draw.Src)
	var wg sync.WaitGroup
	slots := make(chan struct{}, 2)
	for f := s.First; f <= s.Last && ctx.Err() == nil; f++ {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			if pic, err := view(media.View(s.Dir, cover.Time(s.From+f))); err == nil {
				s.cell(out, f, pic)
			}
		})
	}
	wg.Wait()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	var b bytes.Buffer
	err := jpeg.Encode(&b, out, &jpeg.Options{Quality: 82})
	return b.Bytes(), err
}

// cell draws one frame.
func (s *Sheet) cell(out *image.RGBA, f int, pic *frame.Picture) {
	sx, sy := float64(pic.Width)/float64(s.Width), float64(pic.Height)/float64(s.Height)
	if !s.Clean {
		treat.Conceal(pic, scaled(s.Document.At(cover.Time(f)), sx, sy), s.References)
	}
	part := scaleOut(s.Place(f), sx, sy).Intersect(pic.Rect())
	if part.Empty() {
		part = pic.Rect()
	}
	k := min(float64(SheetW-2)/float64(part.Dx()), float64(SheetH-2)/float64(part.Dy()))
	w, h := max(int(float64(part.Dx())*k), 1), max(int(float64(part.Dy())*k), 1)
	at := image.Pt((f-s.First)*SheetW+(SheetW-w)/2, (SheetH-h)/2)
	draw.ApproxBiLinear.Scale(out, image.Rectangle{at, at.Add(image.Pt(w, h))}, pic.RGBA(part), part, draw.Src, nil)
}

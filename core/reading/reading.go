// Package reading finds and reads text in pictures, and finds faces: all that goes before
// and after the networks, which somebody else runs (see Net).
//
// Pictures are 8-bit R'G'B'. Places are in the picture's own pixels, as in core/geom.
package reading

import (
	"context"
	"fmt"
	"image"
	"sync"

	"celator/core/geom"
)

// Model names a network.
type Model string

const (
	// Detect tells for each sample how likely text stands there: B'G'R' in planes, 1×3×H×W with
	// H and W multiples of 32, to 1×1×H×W (Liao et al., "Real-time scene text detection with
	// differentiable binarization", AAAI 2020).
	Detect Model = "detect"
	// Recognise tells the characters along a line: B'G'R' in planes, 1×3×48×W, to 1×T×(keys+2).
	Recognise Model = "recognise"
	// Faces tells where faces are: R'G'B' interleaved, 1×256×256×3, to scores and boxes of 512
	// and of 384 anchors (Bazarevsky et al., "BlazeFace", CVPR workshop 2019).
	Faces Model = "faces"
)

// Models are all there are.
var Models = []Model{Detect, Recognise, Faces}

// Tensor is an array of numbers, the last dimension running fastest.
type Tensor struct {
	Shape []int
	Data  []float32
}

// NewTensor makes one of zeros.
func NewTensor(shape ...int) Tensor {
	n := 1
	for _, d := range shape {
		n *= d
	}
	return Tensor{shape, make([]float32, n)}
}

// check that a network gave what it should; -1 stands for any dimension.
func (t Tensor) check(shape ...int) error {
	n := 1
	ok := len(shape) == len(t.Shape)
	for i := range shape {
		ok = ok && (shape[i] < 0 || shape[i] == t.Shape[i])
		if ok {
			n *= t.Shape[i]
		}
	}
	if !ok || n != len(t.Data) {
		return fmt.Errorf("a network gave %v with %d numbers; %v was expected", t.Shape, len(t.Data), shape)
	}
	return nil
}

// Net runs a network. Its errors are passed on.
type Net interface {
	Run(ctx context.Context, m Model, in Tensor) ([]Tensor, error)
}

// Reader reads with networks.
type Reader struct {
	Net  Net
	Keys []string // the characters that Recognise tells, without the blank before and the space after them
}

// Line is a line of text.
type Line struct {
	Quad geom.Quad // where it stands: its corners from the beginning of its upper edge, clockwise
	Text string    // what it reads; "" where nothing can be read
	Sure float64   // how sure the reading is, 0 to 1: the mean over its characters
	Is   float64   // how sure it is text at all, 0 to 1
}

// Looked is a picture that was read before.
type Looked struct {
	Pic   *image.RGBA
	Lines []Line
}

// Lines finds and reads all text of a picture. scale is by how much the picture is enlarged
// or reduced to look for it. A line that was there before, and looks the same, is not read
// again; before may be nil.
func (r *Reader) Lines(ctx context.Context, pic *image.RGBA, scale float64, before *Looked) ([]Line, error) {
	boxes, err := r.Boxes(ctx, pic, scale)
	if err != nil {
		return nil, err
	}
	return each(ctx, boxes, func(ctx context.Context, b Box) (l Line, err error) {
		l, ok := before.same(pic, b.Quad)
		if !ok {
			l, err = r.Read(ctx, pic, b.Quad)
		}
		l.Is = b.Sure
		return l, err
	})
}

// atOnce is how many pieces of work are given to what runs networks at once: it does a few at a time.
const atOnce = 4

// each does something with all of some, several at once, and returns what came of them in their order, or the first
// error.
func each[T, U any](ctx context.Context, all []T, do func(context.Context, T) (U, error)) ([]U, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	out, next := make([]U, len(all)), make(chan int)
	var workers sync.WaitGroup
	for range min(atOnce, len(all)) {
		workers.Go(func() {
			for i := range next {
				v, err := do(ctx, all[i])
				if err != nil {
					cancel(err)
				}
				out[i] = v
			}
		})
	}
	for i := range all {
		select {
		case next <- i:
		case <-ctx.Done():
		}
	}
	close(next)
	workers.Wait()
	return out, context.Cause(ctx)
}

const (
	sameBox   = .75 // of two boxes' union that they share
	sameShade = 3.  // codes of 8 bit by which a line that looks the same differs in the mean
)

// same is the line that stood in a box before, where the picture there did not change.
func (l *Looked) same(pic *image.RGBA, q geom.Quad) (Line, bool) {
	if l == nil || l.Pic.Rect != pic.Rect {
		return Line{}, false
	}
	b := q.Bounds()
	for _, line := range l.Lines {
		if share(line.Quad.Bounds(), b) < sameBox {
			continue
		}
		r := image.Rect(int(b.Min.X), int(b.Min.Y), int(b.Max.X)+1, int(b.Max.Y)+1).Intersect(pic.Rect)
		sum, n := 0, 0
		for y := r.Min.Y; y < r.Max.Y; y++ {
			x, z := pic.Pix[pic.PixOffset(r.Min.X, y):], l.Pic.Pix[l.Pic.PixOffset(r.Min.X, y):]
			for i := range 4 * r.Dx() {
				d := int(x[i]) - int(z[i])
				sum += max(d, -d)
			}
			n += 3 * r.Dx()
		}
		if float64(sum) <= sameShade*float64(n) {
			line.Quad = q
			return line, true
		}
	}
	return Line{}, false
}

package preview

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/raster"
	"celator/core/treat"
	"celator/internal/media"
)

// Patch is what covers change of a view frame: rectangles of the view, their
// pixels stacked in that order, from top to bottom at the left edge, in one
// PNG. Pixels that no cover changes are transparent.
type Patch struct {
	Regions []image.Rectangle
	PNG     []byte
}

// Header writes the regions as "x,y,w,h x,y,w,h …".
func (p Patch) Header() string {
	var s []string
	for _, r := range p.Regions {
		s = append(s, fmt.Sprintf("%d,%d,%d,%d", r.Min.X, r.Min.Y, r.Dx(), r.Dy()))
	}
	return strings.Join(s, " ")
}

// Patches makes patches and remembers the last ones by everything that
// determines them.
type Patches struct {
	Frames *Frames
	memo   *lru.Cache[[32]byte, Patch]
}

// NewPatches returns a maker of patches on top of a frame cache.
func NewPatches(f *Frames) *Patches {
	m, _ := lru.New[[32]byte, Patch](1500)
	return &Patches{f, m}
}

// Size is the size of the picture that a patch is laid on.
type Size struct{ W, H int }

// Make returns the patch of live covers on frame f of a clip, for a view of
// that size.
func (p *Patches) Make(ctx context.Context, id string, clip media.Clip, f int, live []cover.Live, view Size) (Patch, error) {
	if len(live) == 0 {
		return Patch{}, nil
	}
	b, err := json.Marshal(struct {
		ID   string
		F    int
		Live []cover.Live
		View Size
	}{id, f, live, view})
	if err != nil {
		return Patch{}, err
	}
	key := sha256.Sum256(b)
	if patch, ok := p.memo.Get(key); ok {
		return patch, nil
	}
	pic, err := p.Frames.Get(ctx, id, clip, f)
	if err != nil {
		return Patch{}, err
	}
	patch, err := render(pic, live, view)
	if err == nil {
		p.memo.Add(key, patch)
	}
	return patch, err
}

func render(pic *frame.Picture, live []cover.Live, view Size) (Patch, error) {
	sx, sy := float64(view.W)/float64(pic.Width), float64(view.H)/float64(pic.Height)
	var patch Patch
	for _, l := range live {
		if r := raster.Bounds(l, pic.Width, pic.Height); !r.Empty() {
			patch.Regions = append(patch.Regions, scaleOut(r, sx, sy).Intersect(image.Rect(0, 0, view.W, view.H)))
		}
	}
	patch.Regions = merge(patch.Regions)
	if len(patch.Regions) == 0 {
		return Patch{}, nil
	}
	pic = pic.Clone()
	treat.Conceal(pic, live)
	matte := treat.Combined(pic.Format, live)

	w, h := 0, 0
	for _, r := range patch.Regions {
		w, h = max(w, r.Dx()), h+r.Dy()
	}
	atlas := image.NewNRGBA(image.Rect(0, 0, w, h))
	at := 0
	for _, r := range patch.Regions {
		src := scaleOut(r, 1/sx, 1/sy).Inset(-3).Intersect(pic.Rect())
		rgba := pic.RGBA(src)
		for y := src.Min.Y; y < src.Max.Y; y++ {
			m := matte.Row(y)[src.Min.X:src.Max.X]
			row := rgba.Pix[(y-src.Min.Y)*rgba.Stride:]
			for x, v := range m {
				if v <= 0 {
					clear(row[4*x : 4*x+4])
				}
			}
		}
		dst := atlas.SubImage(image.Rect(0, at, r.Dx(), at+r.Dy())).(*image.NRGBA)
		if sx == 1 && sy == 1 {
			draw.Draw(dst, dst.Rect, rgba, r.Min, draw.Src)
		} else {
			to := f64.Aff3{sx, 0, -float64(r.Min.X), 0, sy, float64(at - r.Min.Y)}
			draw.BiLinear.Transform(dst, to, rgba, src, draw.Src, nil)
		}
		at += r.Dy()
	}
	var buf bytes.Buffer
	err := encoder.Encode(&buf, atlas)
	patch.PNG = buf.Bytes()
	return patch, err
}

var encoder = png.Encoder{CompressionLevel: png.BestSpeed, BufferPool: &buffers{}}

type buffers struct{ sync.Pool }

func (b *buffers) Get() *png.EncoderBuffer  { e, _ := b.Pool.Get().(*png.EncoderBuffer); return e }
func (b *buffers) Put(e *png.EncoderBuffer) { b.Pool.Put(e) }

// scaleOut returns the whole pixels that a scaled rectangle touches.
func scaleOut(r image.Rectangle, sx, sy float64) image.Rectangle {
	return image.Rect(int(math.Floor(float64(r.Min.X)*sx)), int(math.Floor(float64(r.Min.Y)*sy)),
		int(math.Ceil(float64(r.Max.X)*sx)), int(math.Ceil(float64(r.Max.Y)*sy)))
}

// merge unites rectangles that overlap until none do.
func merge(rs []image.Rectangle) []image.Rectangle {
	for again := true; again; {
		again = false
		for i := 0; i < len(rs) && !again; i++ {
			for j := i + 1; j < len(rs); j++ {
				if rs[i].Overlaps(rs[j]) {
					rs[i] = rs[i].Union(rs[j])
					rs = append(rs[:j], rs[j+1:]...)
					again = true
					break
				}
			}
		}
	}
	return rs
}

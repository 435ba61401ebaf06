// Package preview makes what the bench shows of a cover: frames treated by the same core
// as a delivery, as small patches over the view frames.
package preview

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"os"
	"slices"
	"strings"

	"golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/decode"
	"celator/internal/media"
	"celator/internal/reference"
)

// Patch is what covers change of a view frame: rectangles of the view, and their
// pixels, stacked in that order from top to bottom at the left edge of one
// picture as wide as the widest: R', G', B', A, a byte each, alpha not
// multiplied in. Pixels that no cover changes are transparent. (Uncompressed: at
// playing speed, packing and unpacking cost more than sending.)
type Patch struct {
	Regions []image.Rectangle
	Pix     []byte
	Quick   bool // made from the view frame, to be replaced by an exact one
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
	Frames     *decode.Frames
	References *reference.Maker

	budget *budget.Budget
	memo   *budget.Cache[[32]byte, Patch]
}

// NewPatches returns a maker of patches on top of a frame cache, within a budget.
func NewPatches(b *budget.Budget, f *decode.Frames) *Patches {
	return &Patches{
		Frames: f, References: &reference.Maker{Children: b.Children, Kept: f.Kept, Keep: f.Keep}, budget: b,
		memo: budget.NewCache[[32]byte](b.Patches, func(q Patch) int64 { return int64(len(q.Pix)) }),
	}
}

// Bytes is what the remembered patches take.
func (p *Patches) Bytes() int64 { return p.memo.Bytes() }

// Size is the size of the picture that a patch is laid on.
type Size struct{ W, H int }

// Request asks for the patch of live covers at a time of a clip: on a frame, or, where
// pictures are woven, on one of its fields, or on both.
type Request struct {
	ID    string // of the clip
	Clip  media.Clip
	Time  cover.Time
	Woven bool // both fields of the frame, each with what is live then
	// Document has the covers, as they are on all frames.
	Document *cover.Document
	Size     Size // of the view
	Matte    bool // the combined matte, as grey, instead of the concealed picture
	Class    budget.Class
	// Quick, when not empty, is the view frame's file: where the decoded frame is
	// not at hand, the same treatments are done on the view's pixels instead, so
	// that a frame far away is not shown late.
	Quick string
}

// Make returns the patch that is asked for.
func (p *Patches) Make(ctx context.Context, r Request) (Patch, error) {
	live := r.live()
	if len(live) == 0 {
		return Patch{}, nil
	}
	here := cover.Span{First: r.Time.Frame(), Last: r.Time.Frame()}
	b, err := json.Marshal([]any{r.ID, r.Time, live, r.Size, r.Matte, p.References.Keys(r.ID, r.Document, here)})
	if err != nil {
		return Patch{}, err
	}
	key := sha256.Sum256(b)
	if patch, ok := p.memo.Get(key); ok {
		return patch, nil
	}
	known, exact := p.References.Near(r.ID, r.Document, here)
	if r.Quick != "" {
		switch pic := p.Frames.Kept(r.ID, r.Clip, r.Time.Frame()); {
		case pic != nil && !exact:
			// Treated, but with what an earlier outline, or the frame alone, tells of the surface.
			patch, err := p.render(ctx, r, pic, live, known)
			patch.Quick = true
			return patch, err
		case pic == nil:
			if patch, err := p.quick(ctx, r, live); err == nil || ctx.Err() != nil || errors.Is(err, budget.ErrBusy) {
				return patch, err
			}
		}
	}
	// Before the picture is had: who waits for memory takes none.
	memory, err := p.budget.Pictures.Hold(ctx, r.Class, works*int64(r.Clip.Info.Format().Size()))
	if err != nil {
		return Patch{}, err
	}
	defer memory()
	if !exact {
		if known, err = p.References.Make(ctx, r.ID, r.Clip, r.Document, here); err != nil {
			return Patch{}, err
		}
	}
	pic, err := p.Frames.Get(ctx, r.Class, r.ID, r.Clip, r.Time.Frame())
	if err != nil {
		return Patch{}, err
	}
	patch, err := p.render(ctx, r, pic, live, known)
	if err == nil {
		p.memo.Add(key, patch)
	}
	return patch, err
}

// moment is what is live on one field, or on a whole picture.
type moment struct {
	Field frame.Field
	Live  []cover.Live
}

// live returns what decides the patch; nothing where nothing is live.
func (r *Request) live() (out []moment) {
	format := r.Clip.Info.Format()
	any := false
	treat.Moments(format, r.Time.Frame(), func(t cover.Time, field frame.Field) {
		if r.Woven || format.First == frame.Whole || t == r.Time {
			out = append(out, moment{field, r.Document.At(t)})
			any = any || len(out[len(out)-1].Live) > 0
		}
	})
	if !any {
		return nil
	}
	return out
}

// quick treats the view frame.
func (p *Patches) quick(ctx context.Context, r Request, live []moment) (Patch, error) {
	if r.Woven && len(live) > 1 {
		return Patch{}, errors.New("preview: a view frame has one field")
	}
	free, err := p.budget.Processor.Hold(ctx, r.Class, 1)
	if err != nil {
		return Patch{}, err
	}
	defer free()
	pic, err := view(r.Quick)
	if err != nil {
		return Patch{}, err
	}
	now := scaled(live[0].Live, float64(pic.Width)/float64(r.Clip.Info.Width),
		float64(pic.Height)/float64(r.Clip.Info.Height))
	patch, err := render(pic, []moment{{frame.Whole, now}}, p.References.Graphics(r.Document), r.Size, r.Matte)
	patch.Quick = true
	return patch, err
}

// works is what a picture takes while it is treated, in sizes of its own: a copy, mattes
// and samples as float32 of the parts that are treated, and what is made of them.
const works = 4

// render makes a patch when it is its turn.
func (p *Patches) render(ctx context.Context, r Request, pic *frame.Picture, live []moment,
	known *treat.References,
) (Patch, error) {
	turn, err := p.budget.Processor.Hold(ctx, r.Class, 1)
	if err != nil {
		return Patch{}, err
	}
	defer turn()
	return render(pic, live, known, r.Size, r.Matte)
}

// view reads a view frame as a picture.
func view(path string) (*frame.Picture, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	img, err := jpeg.Decode(f)
	if err != nil {
		return nil, err
	}
	y, ok := img.(*image.YCbCr)
	if !ok {
		return nil, errors.New("preview: the view frame is not Y'CbCr")
	}
	return frame.FromYCbCr(y)
}

// scaled returns covers as they are on a picture of another size.
func scaled(live []cover.Live, sx, sy float64) []cover.Live {
	if sx == 1 && sy == 1 {
		return live
	}
	out := slices.Clone(live)
	for i := range out {
		l := &out[i]
		scale := func(f cover.Form) cover.Form {
			f.Paths = slices.Clone(f.Paths)
			for j, p := range f.Paths {
				f.Paths[j] = p.Map(geom.Map{sx, 0, 0, 0, sy, 0, 0, 0, 1})
			}
			f.Grow *= math.Sqrt(sx * sy)
			f.Soften = geom.Pt(f.Soften.X*sx, f.Soften.Y*sy)
			if f.Found != nil {
				f.Found = f.Found.Scaled(sx, sy)
			}
			return f
		}
		l.Form = scale(l.Form)
		l.Map = geom.Map{sx, 0, 0, 0, sy, 0, 0, 0, 1}.Mul(l.Map)
		l.Speed = geom.Pt(l.Speed.X*sx, l.Speed.Y*sy)
		l.Holdouts = slices.Clone(l.Holdouts)
		for j, h := range l.Holdouts {
			l.Holdouts[j] = scale(h)
		}
		l.Treatments = slices.Clone(l.Treatments)
		for j := range l.Treatments {
			t := &l.Treatments[j]
			t.Sigma = geom.Pt(t.Sigma.X*sx, t.Sigma.Y*sy)
			if !t.Rides { // else its map is scaled
				t.Cell = geom.Pt(t.Cell.X*sx, t.Cell.Y*sy)
			}
		}
	}
	return out
}

func render(pic *frame.Picture, live []moment, known *treat.References, view Size, matteOnly bool) (Patch, error) {
	sx, sy := float64(view.W)/float64(pic.Width), float64(view.H)/float64(pic.Height)
	var patch Patch
	for _, m := range live {
		for _, l := range m.Live {
			if r := raster.Bounds(l.Form, pic.Width, pic.Height); !r.Empty() {
				patch.Regions = append(patch.Regions, scaleOut(r, sx, sy).Intersect(image.Rect(0, 0, view.W, view.H)))
			}
		}
	}
	patch.Regions = merge(patch.Regions)
	if len(patch.Regions) == 0 {
		return Patch{}, nil
	}
	pic, matteOf := conceal(pic, live, known)
	w, h := 0, 0
	for _, r := range patch.Regions {
		w, h = max(w, r.Dx()), h+r.Dy()
	}
	atlas := image.NewRGBA(image.Rect(0, 0, w, h))
	at := 0
	for _, r := range patch.Regions {
		src := scaleOut(r, 1/sx, 1/sy).Inset(-3).Intersect(pic.Rect())
		rgba, matte := pic.RGBA(src), matteOf(src)
		for y := src.Min.Y; y < src.Max.Y; y++ {
			row := rgba.Pix[(y-src.Min.Y)*rgba.Stride:]
			for x, v := range matte.Row(y) {
				switch px := row[4*x : 4*x+4]; {
				case matteOnly:
					g := byte(v*255 + .5)
					px[0], px[1], px[2], px[3] = g, g, g, 255
				case v <= 0:
					clear(px)
				}
			}
		}
		dst := atlas.SubImage(image.Rect(0, at, r.Dx(), at+r.Dy())).(*image.RGBA)
		if sx == 1 && sy == 1 {
			draw.Draw(dst, dst.Rect, rgba, r.Min, draw.Src)
		} else {
			to := f64.Aff3{sx, 0, -float64(r.Min.X), 0, sy, float64(at - r.Min.Y)}
			draw.ApproxBiLinear.Transform(dst, to, rgba, src, draw.Src, nil)
		}
		at += r.Dy()
	}
	patch.Pix = atlas.Pix
	for i := 0; i < len(patch.Pix); i += 4 { // scaled edges are partly transparent
		if a := int(patch.Pix[i+3]); a > 0 && a < 255 {
			for k := range 3 {
				patch.Pix[i+k] = byte(min(int(patch.Pix[i+k])*255/a, 255))
			}
		}
	}
	return patch, nil
}

// conceal returns what is shown of a picture: one of its fields, or both woven again; and
// what tells the matte of a part of it.
func conceal(pic *frame.Picture, live []moment, known *treat.References) (*frame.Picture,
	func(image.Rectangle) frame.Plane,
) {
	out := pic
	if len(live) > 1 || live[0].Field == frame.Whole { // else the field is a picture of its own
		out = pic.Clone()
	}
	mattes := make([][]frame.Plane, len(live))
	for i, m := range live {
		if m.Field == frame.Whole {
			mattes[i] = treat.Conceal(out, m.Live, known)
			continue
		}
		q := pic.Field(m.Field)
		mattes[i] = treat.Conceal(q, m.Live, known)
		if len(live) == 1 {
			out = q
		} else {
			out.Weave(m.Field, q)
		}
	}
	return out, func(part image.Rectangle) frame.Plane {
		all := treat.Union(mattes[0], part)
		for i, m := range live[1:] {
			all.Weave(m.Field, treat.Union(mattes[i+1], part))
		}
		return all
	}
}

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

package checkrun

import (
	"context"
	"image"
	"slices"
	"strings"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/reading"
)

// reads is the adversary: it reads what covers hide, before and after, on a few frames of each and in what many of them
// give together.
type reads struct {
	by     *reading.Reader
	at     map[int][]string // covers to read, by frame
	crops  []crop
	fields int // pictures of a frame
}

// crop is what a cover hides on a frame, or what so many of them gave, as codes of 8 bit.
type crop struct {
	cover     string
	of        int
	frames    cover.Span
	at        int // one of them
	where     image.Rectangle
	picture   check.Recovered
	disclosed string
}

// readsOf is how many frames of a cover are read. A word that shows on one of them alone would be
// seen by the check's own measure, which looks at all.
const readsOf = 5

// newReads plans what is read of a document's covers; pictures are counted as in it, each frame having so many.
func newReads(by *reading.Reader, d *cover.Document, each int, wanted func(string) bool) *reads {
	r := &reads{by: by, at: map[int][]string{}, fields: each}
	if by == nil {
		return r
	}
	for i := range d.Covers {
		c := &d.Covers[i]
		if len(c.HoldsOut) > 0 || c.Off || wanted != nil && !wanted(c.ID) {
			continue
		}
		n := c.Span.Last - c.Span.First + 1
		for k := range min(readsOf, n) {
			f := c.Span.First + (2*k+1)*n/(2*min(readsOf, n))
			if !slices.Contains(r.at[f], c.ID) {
				r.at[f] = append(r.at[f], c.ID)
			}
		}
	}
	return r
}

// take keeps what covers hide on a picture.
func (r *reads) take(f int, d *cover.Document, was, now *frame.Picture) {
	ids := r.at[f]
	if len(ids) == 0 {
		return
	}
	for _, l := range d.At(cover.Time(f)) {
		if !slices.Contains(ids, l.Cover) {
			continue
		}
		m := check.Hidden(l, was.Width, was.Height)
		if m.Rect.Empty() {
			continue
		}
		at := f / r.fields
		r.crops = append(r.crops, crop{
			cover: l.Cover, of: 1, frames: cover.Span{First: at, Last: at}, at: at, where: m.Rect,
			picture: check.Recovered{W: m.Rect.Dx(), H: m.Rect.Dy(), Original: hidden(was, m), Broken: hidden(now, m)},
		})
	}
}

// hidden is the luma of what a matte holds, in codes of 8 bit; beside it lies its mean.
func hidden(p *frame.Picture, m frame.Plane) []float32 {
	v := p.Read(0, m.Rect)
	unit := 255 / float32(p.Max())
	out := make([]float32, len(v.Pix))
	var sum, n float32
	for i, x := range v.Pix {
		out[i] = x * unit
		if m.Pix[i] > .5 {
			sum += out[i]
			n++
		}
	}
	for i := range out {
		if m.Pix[i] <= .5 {
			out[i] = sum / max(n, 1)
		}
	}
	return out
}

// fused keeps what frames gave that were laid over each other.
func (r *reads) fused(all []check.Fused) {
	if r.by == nil {
		return
	}
	for _, x := range all {
		r.crops = append(r.crops, crop{
			cover: x.Cover, of: x.Of, frames: x.Frames, at: x.Frame, where: x.Place, picture: *x.Recovered,
		})
	}
}

// findings reads what was kept and tells what it gives away, of covers of which nobody told that yet.
func (r *reads) findings(ctx context.Context, d *cover.Document, told []check.Finding) ([]check.Finding, error) {
	by := map[string][]*crop{}
	for i := range r.crops {
		c := &r.crops[i]
		known := slices.ContainsFunc(told, func(f check.Finding) bool {
			return f.Cover == c.cover && (f.Kind == check.Readable || f.Kind == check.ReadableOverFrames)
		})
		if known || c.of > 1 && len(by[c.cover]) > 0 {
			continue
		}
		var err error
		if c.disclosed, err = r.disclosed(ctx, c.picture); err != nil {
			return nil, err
		}
		if c.disclosed != "" {
			by[c.cover] = append(by[c.cover], c)
		}
	}
	var out []check.Finding
	for _, v := range d.Covers {
		crops := by[v.ID]
		if len(crops) == 0 {
			continue
		}
		var frames []cover.Span
		for _, c := range crops {
			frames = append(frames, c.frames)
		}
		worst := slices.MaxFunc(crops, func(a, b *crop) int {
			return len(reading.Fold(a.disclosed)) - len(reading.Fold(b.disclosed))
		})
		f := check.New(check.Readable, v.ID, frames, worst.at, 100, byMachine+" “%s” through %s.", worst.disclosed,
			v.Name)
		if worst.of > 1 {
			f = check.New(check.ReadableOverFrames, v.ID, frames, worst.at, 100,
				byMachine+" “%s” in what %d frames of %s give, laid over each other.", worst.disclosed, worst.of, v.Name)
		}
		f.Place, f.Recovered = worst.where, &worst.picture
		out = append(out, f)
	}
	return out, nil
}

// byMachine begins what findings say that this machine makes of its own.
const byMachine = "A machine reads"

// ByMachine reports whether a finding is one that the check's own measure passed, and the machine that reads did not.
func ByMachine(f check.Finding) bool { return strings.HasPrefix(f.Says, byMachine) }

// disclosed is what a concealed picture gives away of the original; empty where that is nothing.
func (r *reads) disclosed(ctx context.Context, p check.Recovered) (string, error) {
	seen, err := r.by.Attack(ctx, p.Broken, p.W, p.H)
	if err != nil || len(seen) == 0 {
		return "", err
	}
	original, err := r.by.Attack(ctx, p.Original, p.W, p.H)
	if err != nil {
		return "", err
	}
	text, _ := reading.Discloses(original, seen)
	return text, nil
}

// Evidence is what a machine reads in what was made out; empty where it reads nothing, or
// there is none.
func Evidence(ctx context.Context, by *reading.Reader, r *check.Recovered) (string, error) {
	if by == nil || r == nil {
		return "", nil
	}
	seen, err := by.Attack(ctx, r.Broken, r.W, r.H)
	if err != nil || len(seen) == 0 {
		return "", err
	}
	return seen[0].Text, nil
}

package deliver

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"

	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/media"
)

// Piece is a rendered segment of a delivery.
type Piece struct {
	File        string
	First, Last int // frames of the clip
}

// Encoded returns the stretches of the job's frames that are rendered: all of them, or, where what is untouched is
// copied as it is coded, whole groups around what is touched.
func (j *Job) Encoded(ctx context.Context) ([]cover.Span, error) {
	if j.Anew != nil {
		return j.Anew, nil
	}
	all := []cover.Span{{First: j.First, Last: j.Last}}
	if !j.Preset.Copies() || j.Matte {
		return all, nil
	}
	alike, err := j.Preset.Alike(ctx, j.coded(), filepath.Dir(j.Out))
	if err != nil || !alike {
		return all, err
	}
	from := j.Clip.From()
	spans := []cover.Span{}
	next := j.First // the first frame that is not decided yet
	encode := func(first, last int) {
		if n := len(spans); n > 0 && spans[n-1].Last+1 == first {
			spans[n-1].Last = last
		} else if first <= last {
			spans = append(spans, cover.Span{First: first, Last: last})
		}
	}
	j.coded().Info.Units(func(first, last int) {
		first, last = first-from, last-from
		if first < next || last > j.Last {
			return
		}
		for f := first; f <= last; f++ {
			if j.touches(f) {
				return
			}
		}
		encode(next, first-1)
		next = last + 1
	})
	encode(next, j.Last)
	return spans, nil
}

// whyAnew says, for people, why none of the coded pictures of the job's source is copied.
func (j *Job) whyAnew(ctx context.Context) (string, error) {
	if why := j.Preset.Apart(); why != "" {
		return why, nil
	}
	groups := 0
	j.coded().Info.Units(func(int, int) { groups++ })
	alike, err := j.Preset.Alike(ctx, j.coded(), filepath.Dir(j.Out))
	switch {
	case err == nil && !alike && groups < media.LeastGroups:
		return "it has so few groups of pictures that it is not tried whether one can be copied", nil
	case err == nil && !alike:
		return "a trial did not show that its coded pictures can stand beside others", nil
	}
	return "each stretch of it that could be copied has a cover", err
}

// coded is the file that the clip's pictures are coded in.
func (j *Job) coded() media.Clip { return media.Clip{Path: j.Sound, Info: j.Original} }

// renderSame writes a delivery of which coded pictures are copied.
func renderSame(ctx context.Context, j Job) error {
	spans, err := j.Encoded(ctx)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp(filepath.Dir(j.Out), ".pieces")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if len(spans) > 1 && j.Original.Indexed { // else each piece is reached by reading from the beginning on
		if j.Clip, err = j.Clip.Summed(ctx); err != nil {
			return err
		}
	}
	var pieces []Piece
	for i, s := range spans {
		part := j
		part.First, part.Last, part.Segment = s.First, s.Last, true
		part.Out = filepath.Join(dir, fmt.Sprintf("%07d%s", i, j.Preset.Ending))
		if err := Render(ctx, part); err != nil {
			return err
		}
		pieces = append(pieces, Piece{part.Out, s.First, s.Last})
	}
	return Join(ctx, j, pieces, nil)
}

// filled puts the source's own coded pictures, taken apart into a folder, between rendered pieces. The pieces are
// in order.
func (j *Job) filled(ctx context.Context, dir string, pieces []Piece, progress func(done int)) ([]Piece, error) {
	from, last := j.Clip.From(), j.coded().Info.Frames-1
	var at []int // where the coded pictures are taken apart
	cut := func(f int) {
		if f > 0 && f <= last && (len(at) == 0 || at[len(at)-1] < f) {
			at = append(at, f)
		}
	}
	var all []Piece
	next := j.First
	fill := func(to int) {
		if next <= to {
			cut(from + next)
			cut(from + to + 1)
			all = append(all, Piece{First: next, Last: to})
		}
	}
	for _, p := range pieces {
		fill(p.First - 1)
		all = append(all, p)
		next = p.Last + 1
	}
	fill(j.Last)
	if len(all) == len(pieces) {
		return all, nil
	}
	files, err := j.coded().Split(ctx, j.Preset, dir, at, progress)
	if err != nil {
		return nil, err
	}
	begins := append([]int{0}, at...)
	for i := range all {
		if all[i].File != "" {
			continue
		}
		for k, f := range begins {
			if f == from+all[i].First {
				all[i].File = files[k]
			}
		}
	}
	return all, nil
}

// least is how like the source pictures must be beside the covers that were coded anew with loss, dB. The
// coders of masters give 40 and more; another picture of the same scene gives less than this.
const least = 28

// verifySame compares a file of which coded pictures were copied: those with the source's, byte for byte, and what
// was coded anew sample for sample, or by how like it is.
func (j *Job) verifySame(ctx context.Context, info media.Info, p *Proof, progress func(done int)) error {
	spans, err := j.Encoded(ctx)
	if err != nil {
		return err
	}
	source, err := media.Packets(ctx, j.Sound, progress)
	if err != nil {
		return err
	}
	written, err := media.Packets(ctx, j.Out, progress)
	if err != nil {
		return err
	}
	from, want := j.Clip.From()+j.First, j.Last-j.First+1
	if len(written) != want || len(source) < from+want {
		return fmt.Errorf("the written file has %d coded pictures, not %d", len(written), want)
	}
	var anew []int
	k := 0
	for f := j.First; f <= j.Last; f++ {
		for k < len(spans) && spans[k].Last < f {
			k++
		}
		if k < len(spans) && spans[k].First <= f {
			anew = append(anew, f)
			continue
		}
		if source[from+f-j.First] != written[f-j.First] {
			return fmt.Errorf("frame %d: its coded picture is not the source's", f)
		}
		p.Copied++
	}
	p.Coded = len(anew)
	if p.Copied == 0 {
		if p.Anew, err = j.whyAnew(ctx); err != nil {
			return err
		}
	}
	if j.Preset.Linked() && p.Copied > 0 { // a copied picture may be decoded to another one
		out := media.Clip{Path: j.Out, Info: info.As(j.Clip.Info)}
		return j.compareRun(ctx, out, j.First, j.Last, anew, p, progress)
	}
	return j.compareSome(ctx, info, anew, p, progress)
}

// near is how many frames between two that are compared are read past instead of jumped over.
const near = 100

// compareSome holds some frames of the written pictures, in order, to the source's outside the mattes.
func (j *Job) compareSome(ctx context.Context, info media.Info, frames []int, p *Proof,
	progress func(done int),
) error {
	if len(frames) == 0 {
		return nil
	}
	out := media.Clip{Path: j.Out, Info: info.As(j.Clip.Info)}
	was := *p
	if len(j.Clip.Sums) > j.Last && info.Indexed {
		out.Sums = j.sumsBeside(frames)
		err := j.compareRuns(ctx, out, frames, p, progress)
		if !errors.Is(err, media.ErrLanding) {
			return err
		}
		*p, out.Sums = was, nil // an index may lead elsewhere: then all is read
	}
	return j.compareRun(ctx, out, frames[0], frames[len(frames)-1], frames, p, progress)
}

// sumsBeside are the checksums of the written frames that were copied, which decode to what the source's do; 0 of
// the others, which nobody knows.
func (j *Job) sumsBeside(anew []int) []uint32 {
	sums := append([]uint32{}, j.Clip.Sums[j.First:j.Last+1]...)
	for _, f := range anew {
		sums[f-j.First] = 0
	}
	return sums
}

// compareRuns compares frames near each other by readers that jump to them: each begins with a copied frame, by
// which it is known that it landed where it should.
func (j *Job) compareRuns(ctx context.Context, out media.Clip, frames []int, p *Proof, progress func(done int)) error {
	for len(frames) > 0 {
		n := 1
		for n < len(frames) && frames[n]-frames[n-1] <= near {
			n++
		}
		if err := j.compareRun(ctx, out, max(frames[0]-1, j.First), frames[n-1], frames[:n], p, progress); err != nil {
			return err
		}
		frames = frames[n:]
	}
	return nil
}

// compareRun compares frames by one reader of each, which go from first to last. Others between them must be the
// source's where copying does not say so.
func (j *Job) compareRun(ctx context.Context, out media.Clip, first, last int, frames []int, p *Proof,
	progress func(done int),
) error {
	next := 0
	return j.beside(ctx, out, first, last, func(f int, src, got *frame.Picture) error {
		if progress != nil {
			progress(f - j.First)
		}
		if next == len(frames) || f != frames[next] {
			if j.Preset.Linked() && !bytes.Equal(src.Data, got.Data) {
				return fmt.Errorf("frame %d was copied as it is coded, and is decoded to another picture", f)
			}
			return nil
		}
		next++
		matte := j.frameMatte(f)
		if j.touches(f) {
			p.Touched++
		}
		if j.Preset.Keeps() {
			p.Compared++
			return j.same(f, src, got, matte)
		}
		db := math.Round(10*psnr(src, got, matte)) / 10
		if db < least {
			return fmt.Errorf("frame %d: outside the covers it is not the source's picture (%.1f dB)", f, db)
		}
		if p.Alike == 0 || db < p.Alike {
			p.Alike = db
		}
		return nil
	})
}

// beside reads frames of the source and the written file beside each other.
func (j *Job) beside(ctx context.Context, out media.Clip, first, last int,
	do func(f int, src, got *frame.Picture) error,
) error {
	a, err := j.Clip.Open(ctx, first, last)
	if err != nil {
		return err
	}
	defer a.Close()
	b, err := out.Open(ctx, first-j.First, last-j.First)
	if err != nil {
		return err
	}
	defer b.Close()
	src, got := frame.New(j.Clip.Info.Format(), nil), frame.New(out.Info.Format(), nil)
	if len(src.Data) != len(got.Data) {
		return errors.New("the written file's pictures have another format than the source's")
	}
	for f := first; f <= last; f++ {
		if err := a.Read(src); err != nil {
			return err
		}
		if err := b.Read(got); err != nil && !errors.Is(err, io.EOF) {
			return err
		} else if err != nil {
			return fmt.Errorf("the written file ends before frame %d", f)
		}
		if err := do(f, src, got); err != nil {
			return err
		}
	}
	return nil
}

// psnr is the ratio of the largest code to the root mean square difference of two pictures' luma where the matte
// is 0, dB (peak signal to noise ratio).
func psnr(a, b *frame.Picture, matte frame.Plane) float64 {
	p, q := a.Read(0, a.Rect()), b.Read(0, b.Rect())
	sum, n := 0., 0
	for i, v := range p.Pix {
		if len(matte.Pix) == len(p.Pix) && matte.Pix[i] > 0 {
			continue
		}
		d := float64(v - q.Pix[i])
		sum += d * d
		n++
	}
	if n == 0 || sum == 0 {
		return 99
	}
	top := float64(int(1)<<a.Depth) - 1
	return min(10*math.Log10(top*top*float64(n)/sum), 99)
}

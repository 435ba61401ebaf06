package deliver

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"

	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/media"
)

// Proof is what verifying a written file found.
type Proof struct {
	Frames   int      `json:"frames"`
	Duration float64  `json:"duration"`          // seconds
	Sound    int      `json:"sound"`             // streams
	Samples  int64    `json:"samples,omitempty"` // of sound found equal to the source's at their times
	Lag      float64  `json:"lag,omitempty" doc:"the largest distance of a sound track from where the source has it, ms"`
	Passages int      `json:"passages,omitempty" doc:"of sound in which what was to be hidden was listened for, and not heard"`
	Left     []string `json:"left,omitempty" doc:"what the source holds and the file does not, in words"`
	Damage   []string `json:"damage,omitempty" doc:"what is wrong with the pictures of a source that was taken as it is, in words"`
	Compared int      `json:"compared"` // frames of which every sample outside the mattes was found equal to the source
	Touched  int      `json:"touched"`  // frames with a cover
	Copied   int      `json:"copied,omitempty" doc:"coded pictures that are the source's own, byte for byte"`
	Coded    int      `json:"coded,omitempty" doc:"pictures that were coded anew between them"`
	Anew     string   `json:"anew,omitempty" doc:"why no coded picture is the source's, where they could have been, in words"`
	Alike    float64  `json:"alike,omitempty" doc:"how like the source those are outside the covers at the least, dB, where coding loses"`
	Off      *int     `json:"off,omitempty" doc:"of a still encoded with loss: the largest difference from the source outside the covers, in codes of 256"`
}

// whole reports whether the job is all of its source.
func (j *Job) whole() bool {
	return j.First == 0 && j.Last-j.First+1 == j.Total && j.Clip.From() == 0
}

// scan is how pictures are made up, in words.
func scan(i media.Info) string {
	if first := i.First(); first != "" {
		return "interlaced, " + first + " field first"
	}
	return "progressive"
}

// Verify reads the written file again. It must have the job's frames, duration
// and sound; with a lossless preset also every sample outside the mattes must be
// the source's. The first thing wrong is the error.
func Verify(ctx context.Context, j Job, progress func(done int)) (Proof, error) {
	p, err := verify(ctx, j, progress)
	from := j.Clip.From()
	p.Damage = j.Clip.Info.Damage.Of(from+j.First, from+j.Last).Words()
	return p, err
}

func verify(ctx context.Context, j Job, progress func(done int)) (Proof, error) {
	if j.Preset.Packed() {
		return verifyPackage(ctx, j)
	}
	if j.Matte && !j.Preset.Still {
		return verifyMatte(ctx, j, progress)
	}
	info, err := media.Probe(ctx, j.Out)
	if err != nil {
		return Proof{}, fmt.Errorf("the written file cannot be read again: %w", err)
	}
	p := Proof{
		Frames: info.Frames, Duration: info.Duration, Sound: len(info.Sound), Left: j.Preset.Left(j.Clip.Info, j.whole()),
	}
	if err := built(info, j.Clip.Info, j.Last-j.First+1); err != nil {
		return p, err
	}
	if !j.Preset.Still {
		s, err := verifySound(ctx, j, info)
		if p.Samples, p.Lag, p.Passages = s.samples, s.lag, s.passages; err != nil {
			return p, fmt.Errorf("the written file's %w", err)
		}
	}
	if j.Preset.Copies() {
		err := j.verifySame(ctx, info, &p, progress)
		return p, err
	}
	if !j.Preset.Lossless && !j.Preset.Still {
		p.Touched = touched(j)
		return p, nil
	}
	info = info.As(j.Clip.Info)
	b, err := media.Clip{Path: j.Out, Info: info}.Open(ctx, 0, -1)
	if err != nil {
		return p, err
	}
	defer b.Close()
	err = j.compare(ctx, b, info, &p, progress)
	return p, err
}

// built returns an error unless a written file has so many frames, and is made up as its source.
func built(info, source media.Info, frames int) error {
	switch seconds := float64(frames) / source.Rate.Float(); {
	case info.Frames != frames || info.Variable:
		return fmt.Errorf("the written file has %d frames, not %d", info.Frames, frames)
	case math.Abs(info.Duration-seconds) > .5/source.Rate.Float():
		return fmt.Errorf("the written file lasts %.3f s, not %.3f s", info.Duration, seconds)
	case info.First() != source.First():
		return fmt.Errorf("the written file is %s, the source %s", scan(info), scan(source))
	case len(info.Sound) != len(source.Sound):
		return fmt.Errorf("the written file has %d sound streams, not %d", len(info.Sound), len(source.Sound))
	}
	return nil
}

// compare holds every sample of the written pictures, which b goes on with, outside the mattes to the source's.
func (j *Job) compare(ctx context.Context, b *media.Reader, info media.Info, p *Proof, progress func(done int)) error {
	a, err := j.Clip.Open(ctx, j.First, j.Last)
	if err != nil {
		return err
	}
	defer a.Close()
	src, out := frame.New(j.Clip.Info.Format(), nil), frame.New(info.Format(), nil)
	if src.Width != out.Width || src.Height != out.Height || src.Depth != out.Depth || len(src.Data) != len(out.Data) {
		return errors.New("the written file's pictures have another format than the source's")
	}
	for f := j.First; f <= j.Last; f++ {
		if err := a.Read(src); err != nil {
			return err
		}
		if err := b.Read(out); err != nil {
			return fmt.Errorf("the written file, frame %d: %w", f-j.First, err)
		}
		live := j.touches(f)
		var matte frame.Plane
		if live {
			p.Touched++
			matte = j.frameMatte(f)
		}
		if j.Preset.Still && !j.Preset.Lossless {
			off := largest(src, out, matte)
			p.Off = &off
			continue
		}
		if err := j.same(f, src, out, matte); err != nil {
			return err
		}
		if p.Compared++; progress != nil {
			progress(p.Compared)
		}
	}
	return nil
}

// same returns an error unless all samples of a frame outside its matte are the source's; a matte without samples
// covers nothing.
func (j *Job) same(f int, src, out *frame.Picture, matte frame.Plane) error {
	if format := src.Format; format.Alpha {
		format.Alpha = false
		if a, b := src.Data[format.Size():], out.Data[format.Size():]; !bytes.Equal(a, b) {
			return fmt.Errorf("frame %d: its opacity is not the source's", f)
		}
	}
	for plane := range 3 {
		var skip *frame.Plane
		if len(matte.Pix) > 0 {
			m := treat.Subsample(matte, src.Format, plane)
			if plane > 0 && j.Clip.Info.Quarter() {
				paired(m)
			}
			skip = &m
		}
		if n := frame.Differ(src, out, plane, skip, 0); n > 0 {
			return fmt.Errorf("frame %d: %d samples outside the covers differ from the source", f, n)
		}
	}
	return nil
}

// paired marks both of the two samples that one coded sample stands for.
func paired(m frame.Plane) {
	w := m.Rect.Dx()
	for i := range m.Pix {
		if x := i % w; x%2 == 0 && x+1 < w {
			v := max(m.Pix[i], m.Pix[i+1])
			m.Pix[i], m.Pix[i+1] = v, v
		}
	}
}

// touched counts the frames with a cover, on either field.
func touched(j Job) (n int) {
	for f := j.First; f <= j.Last; f++ {
		if j.touches(f) {
			n++
		}
	}
	return n
}

// verifyMatte counts a written matte's frames; with a lossless preset each must be the
// covers' own, sample for sample.
func verifyMatte(ctx context.Context, j Job, progress func(done int)) (Proof, error) {
	var p Proof
	format := j.Clip.Info.Format()
	n, err := media.ReadGray(ctx, j.Out, format.Width, format.Height, func(i int, pix []byte) error {
		f := j.First + i
		if j.touches(f) {
			p.Touched++
		}
		if !j.Preset.Lossless {
			return nil
		}
		if !bytes.Equal(pix, grey(j.frameMatte(f))) {
			return fmt.Errorf("frame %d of the written matte is not the covers'", f)
		}
		if p.Compared++; progress != nil {
			progress(p.Compared)
		}
		return nil
	})
	p.Frames, p.Duration = n, float64(n)/j.Clip.Info.Rate.Float()
	if want := j.Last - j.First + 1; err == nil && n != want {
		err = fmt.Errorf("the written matte has %d frames, not %d", n, want)
	}
	return p, err
}

// largest returns the largest difference of two pictures in R'G'B', in codes of
// 256, away from the matte: two samples, since coarser chroma spreads.
func largest(a, b *frame.Picture, matte frame.Plane) int {
	const spread = 2
	p, q := a.RGBA(a.Rect()), b.RGBA(b.Rect())
	hidden := func(x, y int) bool {
		for v := max(y-spread, 0); v <= min(y+spread, a.Height-1) && len(matte.Pix) > 0; v++ {
			for _, m := range matte.Row(v)[max(x-spread, 0) : min(x+spread, a.Width-1)+1] {
				if m > 0 {
					return true
				}
			}
		}
		return false
	}
	off := 0
	for i := range p.Pix {
		d := int(p.Pix[i]) - int(q.Pix[i])
		if d = max(d, -d); d > off && !hidden(i/4%a.Width, i/4/a.Width) {
			off = d
		}
	}
	return off
}

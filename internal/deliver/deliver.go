// Package deliver takes pictures from decode through the covers to encode, and
// afterwards proves what was written.
package deliver

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"runtime"
	"sync"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/timecode"
	"celator/core/treat"
	"celator/internal/media"
	"celator/internal/reference"
)

// Engine is the version of the rendering; segments of another are not reused.
const Engine = 2

// Job is a stretch of a clip to be written with its covers.
type Job struct {
	Source     string // names the clip's content
	Clip       media.Clip
	References *reference.Maker // nil makes its own
	Sound      string           // file with the sound; the source itself
	Original   media.Info       // of the source itself, where the clip is a copy of its pictures
	Parts      []Part
	Preset     media.Preset
	First      int // frames, both included
	Last       int
	Total      int    // frames of the whole file
	Out        string // file to write
	Matte      bool   // write the combined matte instead of the picture
	Segment    bool   // pictures only, for media.Join
	Reel       bool   // one of those of a Reel
	At         int    // in a reel, the file's frame with which the job begins
	Progress   func(done int)
}

// Fits returns an error unless the document was made for pictures of this clip.
func Fits(d *cover.Document, info media.Info, frames int) error {
	if d.Width != info.Width || d.Height != info.Height {
		return fmt.Errorf("the document is for %dx%d pictures, the clip has %dx%d", d.Width, d.Height, info.Width,
			info.Height)
	}
	if d.Frames > frames {
		return fmt.Errorf("the document is for %d frames, the clip has %d", d.Frames, frames)
	}
	if info.First() != "" && !d.Fields { // made before its fields were known, or elsewhere
		d.Fields = true
	}
	return d.Followed()
}

// Render writes the job's frames. Pictures are treated on all cores and stay in
// order; at most a few are in memory at a time, whatever the clip's length. A
// file that could not be finished is left for the caller to remove.
func Render(ctx context.Context, j Job) error {
	if j.Preset.Still {
		return renderStill(ctx, j)
	}
	if j.Preset.Copies() && !j.Segment && !j.Matte {
		return renderSame(ctx, j)
	}
	if j.Preset.Packed() && !j.Segment {
		return renderPackage(ctx, j)
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	known, err := j.known(ctx)
	if err != nil {
		return err
	}
	r, err := j.Clip.Open(ctx, j.First, j.Last)
	if err != nil {
		return err
	}
	defer r.Close()
	var sounds []string
	if !j.Segment {
		if sounds, err = Sounds(ctx, j); err != nil {
			return err
		}
		defer RemoveSounds(sounds)
	}
	w, err := media.Create(ctx, media.Output{
		Path: j.Out, Treated: sounds, Preset: j.Preset, Segment: j.Segment, Gray: j.Matte, Source: j.Clip,
		Sound: j.Sound, First: j.Clip.From() + j.First, Frames: j.Last - j.First + 1, Total: j.Total,
	})
	if err != nil {
		return err
	}
	defer w.Abort()

	work := j.conceal(ctx, r, known)
	defer work.wait()
	done := 0
	for p := range work.order {
		<-p.done
		err := p.err
		if err == nil {
			err = w.Write(p.out)
		}
		if err != nil {
			cancel()
			for range work.order { // let the reader see the end
			}
			return err
		}
		work.free <- p.pic
		if done++; j.Progress != nil {
			j.Progress(done)
		}
	}
	if work.err != nil {
		return work.err
	}
	return w.Close()
}

// piece is a picture on its way: read, treated, written.
type piece struct {
	pic  *frame.Picture
	f    int
	out  []byte
	err  error
	done chan struct{} // closed when it is treated
}

// pieces are pictures that are treated on all cores, and come in order.
type pieces struct {
	free  chan *frame.Picture // given back when they are written
	order chan *piece
	err   error // of reading; known when order is closed
	all   sync.WaitGroup
}

func (w *pieces) wait() { w.all.Wait() }

// conceal begins to read and to treat.
func (j *Job) conceal(ctx context.Context, r *media.Reader, known []*treat.References) *pieces {
	workers := runtime.GOMAXPROCS(0)
	n := workers + 2
	w := &pieces{free: make(chan *frame.Picture, n), order: make(chan *piece, n)}
	for range n {
		w.free <- frame.New(j.Clip.Info.Format(), nil)
	}
	todo := make(chan *piece, n)
	go func() {
		defer close(w.order)
		defer close(todo)
		w.err = j.read(ctx, r, w.free, func(p *piece) {
			w.order <- p // neither blocks: both hold as many as there are pictures
			todo <- p
		})
	}()
	for range workers {
		w.all.Go(func() {
			for p := range todo {
				j.treat(p, known)
				close(p.done)
			}
		})
	}
	return w
}

// read reads the job's frames into free pictures.
func (j *Job) read(ctx context.Context, r *media.Reader, free <-chan *frame.Picture, give func(*piece)) error {
	for f := j.First; f <= j.Last; f++ {
		var pic *frame.Picture
		select {
		case pic = <-free:
		case <-ctx.Done():
			return ctx.Err()
		}
		if err := r.Read(pic); errors.Is(err, io.EOF) {
			if err := r.Whole(); err != nil { // which is why
				return err
			}
			return fmt.Errorf("the clip ends at frame %d, %d frames were expected", f, j.Last+1)
		} else if err != nil {
			return err
		}
		give(&piece{pic: pic, f: f, out: pic.Data, done: make(chan struct{})})
	}
	return r.Whole()
}

// treat makes of a picture what is written.
func (j *Job) treat(p *piece, known []*treat.References) {
	if j.Matte {
		p.out = grey(j.frameMatte(p.f))
		return
	}
	doc, f := j.at(p.f)
	if i := j.find(p.f); i >= 0 {
		treat.Frame(p.pic, doc, f, known[i])
	}
	if labels := Shown(doc, j.Preset, j.Clip, f, p.f); len(labels) > 0 {
		p.err = treat.DrawLabels(p.pic, labels)
	}
}

// Shown are the labels that a delivery by a preset shows on a document's frame, which is frame at of the clip.
func Shown(d *cover.Document, p media.Preset, c media.Clip, f, at int) (labels []cover.LiveLabel) {
	if p.Labels {
		labels = d.LabelsAt(cover.Time(f))
	}
	if p.Timecode {
		tc, err := timecode.New(c.Info.Rate, c.Info.Timecode)
		if err != nil {
			tc = timecode.Timecode{Rate: c.Info.Rate}
		}
		w, h := float64(c.Info.Width), float64(c.Info.Height)
		const letters, from = 1. / 24, .94 // of the picture's height
		labels = append(labels, cover.LiveLabel{
			Text: tc.Format(int64(c.From() + at)), Size: max(h*letters, 8), Colour: "#ffffff",
			Box: geom.Rect{Min: geom.Pt(w/2, h*from), Max: geom.Pt(w/2+1, h*from+1)},
		})
	}
	return labels
}

// renderStill writes the one picture of a still.
func renderStill(ctx context.Context, j Job) error {
	r, err := j.Clip.Open(ctx, 0, 0)
	if err != nil {
		return err
	}
	defer r.Close()
	pic := frame.New(j.Clip.Info.Format(), nil)
	if err := r.Read(pic); err != nil {
		return err
	}
	live := j.Parts[0].Document.At(0)
	matte := treat.Combined(pic.Format, live)
	if j.Matte {
		return media.WriteStillMatte(matte, j.Out)
	}
	known, err := j.known(ctx)
	if err != nil {
		return err
	}
	treat.Conceal(pic, live, known[0])
	if err := media.WriteStill(ctx, j.Clip.Path, pic, matte, j.Out); err != nil {
		return err
	}
	if j.Progress != nil {
		j.Progress(1)
	}
	return nil
}

func grey(m frame.Plane) []byte {
	out := make([]byte, len(m.Pix))
	for i, v := range m.Pix {
		out[i] = byte(v*255 + .5)
	}
	return out
}

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

// Package deliver takes pictures from decode through the covers to encode, and
// afterwards proves what was written.
package deliver

import (
	"context"
	"errors"
	"fmt"
	"io"
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
	Total      int          // frames of the whole file
	Out        string       // file to write
	Matte      bool         // write the combined matte instead of the picture
	Segment    bool         // pictures only, for media.Join
	Reel       bool         // one of those of a Reel
	At         int          // in a reel, the file's frame with which the job begins
	Anew       []cover.Span // stretches that are coded anew, where that is known: Encoded, which is not asked again
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

// Package checkrun checks a clip's covers: it reads the pictures, conceals them as a
// delivery would, and lets core/check look for what is wrong.
package checkrun

import (
	"context"
	"errors"
	"fmt"
	"io"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/cut"
	"celator/core/frame"
	"celator/core/reading"
	"celator/core/treat"
	"celator/internal/media"
	"celator/internal/reference"
)

// Job is what is to be checked.
type Job struct {
	Source     string // names the clip's content
	Clip       media.Clip
	References *reference.Maker // nil makes its own
	Document   *cover.Document
	Styles     map[string]cover.Style
	Cuts       []int                   // the first frames after cuts; nil looks for them in the frames that are read
	Wanted     func(cover string) bool // nil: all
	Heard      Heard                   // nil reads the clip's own file
	Reader     *reading.Reader         // reads what covers hide; nil where there is none
	Progress   func(done, of int)
	Decoded    func(f int, pic *frame.Picture) // is told of each frame that is read; may be nil
	Pace       func()                          // lets others go first, between pieces of work; nil lets nobody
}

// ahead is how many frames are read and concealed ahead of the check.
const ahead = 2

// Run checks. Errors are those of reading, and of ctx.
func Run(ctx context.Context, j Job) ([]check.Finding, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	m := j.References
	if m == nil {
		m = &reference.Maker{}
	}
	d := j.Document
	v := j.Clip.Pictures() // so that a target bare in one field alone is found
	among := v.Document(d)
	shot := check.NewShot(among, v.Each, j.Wanted)
	shot.Pace = j.Pace
	stretches := shot.Stretches()
	var known *treat.References
	if len(stretches) > 0 {
		var err error
		if known, err = m.MakeWith(ctx, j.Source, j.Clip, d, cover.Span{First: 0, Last: d.Frames - 1},
			v.Frames(shot.Survey()), v.Split(shot.Learn)); err != nil {
			return nil, err
		}
	}
	of, done := 0, 0
	for _, s := range stretches {
		of += s.Last - s.First + 1
	}
	var cuts cut.Finder
	words := newReads(j.Reader, among, v.Each, j.Wanted)
	for _, s := range stretches {
		err := pictures(ctx, j, v.Clip, among, known, s, func(f int, was, now *frame.Picture) {
			if j.Cuts == nil && f%v.Each == 0 {
				cuts.Add(f/v.Each, cut.Of(was))
			}
			if j.Decoded != nil && v.Each == 1 {
				j.Decoded(f, was)
			}
			shot.Frame(f, was, now)
			words.take(f, among, was, now)
			if done++; j.Progress != nil {
				j.Progress(done/v.Each, of/v.Each)
			}
		})
		if err != nil {
			return nil, err
		}
	}
	at := j.Cuts
	if at == nil {
		for _, b := range cuts.Boundaries() {
			if !b.Dissolve {
				at = append(at, b.Frame)
			}
		}
	}
	var out []check.Finding
	for _, f := range append(check.Document(d, at, j.Styles), shot.Findings(known)...) {
		if j.Wanted == nil || f.Cover == "" || j.Wanted(f.Cover) {
			out = append(out, f)
		}
	}
	words.fused(shot.Fused())
	read, err := words.findings(ctx, d, out)
	if err != nil {
		return nil, err
	}
	out = append(out, read...)
	heard, err := j.sound(ctx)
	if err != nil {
		return nil, err
	}
	out = append(out, heard...)
	check.Sort(out)
	return out, nil
}

// pictures reads a stretch and conceals it, a few frames ahead of what takes them.
func pictures(ctx context.Context, j Job, clip media.Clip, d *cover.Document, known *treat.References, s cover.Span,
	take func(f int, was, now *frame.Picture),
) error {
	r, err := clip.Open(ctx, s.First, s.Last)
	if err != nil {
		return err
	}
	defer r.Close()
	type pair struct {
		f        int
		was, now *frame.Picture
		err      error
	}
	free, ready := make(chan pair, ahead+1), make(chan pair, ahead+1)
	for range cap(free) {
		free <- pair{was: frame.New(j.Clip.Info.Format(), nil), now: frame.New(j.Clip.Info.Format(), nil)}
	}
	go func() {
		defer close(ready)
		for f := s.First; f <= s.Last; f++ {
			var p pair
			select {
			case p = <-free:
			case <-ctx.Done():
				return
			}
			p.f = f
			if j.Pace != nil {
				j.Pace()
			}
			if p.err = r.Read(p.was); p.err == nil {
				copy(p.now.Data, p.was.Data)
				treat.Conceal(p.now, d.At(cover.Time(f)), known)
			}
			ready <- p // never blocks: it holds as many as there are
			if p.err != nil {
				return
			}
		}
	}()
	for p := range ready {
		if errors.Is(p.err, io.EOF) {
			return fmt.Errorf("the clip ends at frame %d, %d frames were expected", p.f, s.Last+1)
		}
		if p.err != nil {
			for range ready { // let the reader end
			}
			return p.err
		}
		take(p.f, p.was, p.now)
		free <- p
	}
	return ctx.Err()
}

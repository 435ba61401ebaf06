package deliver

import (
	"context"
	"fmt"
	"slices"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/media"
	"celator/internal/reference"
)

// Part is a document over some frames of a clip: a shot of a master.
type Part struct {
	First    int // the clip's frame that is the document's frame 0
	Last     int
	Document *cover.Document
}

// Whole is one document over a clip.
func Whole(d *cover.Document) []Part { return []Part{{0, d.Frames - 1, d}} }

// Apart returns an error unless parts come in order, do not overlap, and lie in a clip whose pictures their
// documents were made for.
func Apart(parts []Part, info media.Info, frames int) error {
	next := 0
	for _, p := range parts {
		if p.First < next || p.Last < p.First || p.Last >= frames {
			return fmt.Errorf("frames %d to %d do not follow what is before them in the clip's 0 to %d", p.First, p.Last,
				frames-1)
		}
		if err := Fits(p.Document, info, p.Last-p.First+1); err != nil {
			return err
		}
		next = p.Last + 1
	}
	return nil
}

// Bare hides nothing: what stands for frames of no part.
var Bare = cover.New(0, 0, 1)

// find returns the part of a frame, below 0 where it is of none.
func (j *Job) find(f int) int {
	i, ok := slices.BinarySearchFunc(j.Parts, f, func(p Part, f int) int {
		switch {
		case p.Last < f:
			return -1
		case p.First > f:
			return 1
		}
		return 0
	})
	if !ok {
		return -1
	}
	return i
}

// at is the document of a frame, and which of its frames that is.
func (j *Job) at(f int) (*cover.Document, int) {
	if i := j.find(f); i >= 0 {
		return j.Parts[i].Document, f - j.Parts[i].First
	}
	return Bare, 0
}

// touches reports whether anything is hidden on a frame, on either field.
func (j *Job) touches(f int) bool {
	d, k := j.at(f)
	return treat.Touches(d, j.Clip.Info.Format(), k)
}

// frameMatte is the matte of all covers on a frame.
func (j *Job) frameMatte(f int) frame.Plane {
	d, k := j.at(f)
	return treat.FrameMatte(d, j.Clip.Info.Format(), k)
}

// passages are those of all parts, by the clip's frames.
func (j *Job) passages() (out []cover.Passage) {
	for _, p := range j.Parts {
		for _, a := range p.Document.Passages {
			a.From, a.To = a.From+float64(p.First), a.To+float64(p.First)
			out = append(out, a)
		}
	}
	return out
}

// sounds reports whether a passage concerns a track.
func (j *Job) sounds(track, channels int) bool {
	return slices.ContainsFunc(j.Parts, func(p Part) bool { return p.Document.Sounds(track, channels) })
}

// known is what the treatments must know of the parts' frames, in the parts' order.
func (j *Job) known(ctx context.Context) (out []*treat.References, err error) {
	m := j.References
	if m == nil {
		m = &reference.Maker{}
	}
	for _, p := range j.Parts {
		first, last := max(j.First, p.First), min(j.Last, p.Last)
		var refs *treat.References
		if first <= last && !j.Matte {
			source := j.Source
			if p.First > 0 || p.Last < j.Clip.Info.Frames-1 {
				source += fmt.Sprintf("@%d-%d", j.Clip.From()+p.First, j.Clip.From()+p.Last)
			}
			refs, err = m.Make(ctx, source, j.Clip.Part(p.First, p.Last), p.Document,
				cover.Span{First: first - p.First, Last: last - p.First})
			if err != nil {
				return nil, err
			}
		}
		out = append(out, refs)
	}
	return out, nil
}

package jobs

import (
	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/media"
)

// view is what a tracker or a search goes through: a clip's frames, or, where its pictures are
// woven, its fields as frames of their own, and everything else counted alike.
type view struct {
	clip media.Clip
	each int // pictures of a frame
}

func fieldwise(clip media.Clip) view {
	if clip.Info.First() == "" {
		return view{clip, 1}
	}
	return view{clip.ByField(), 2}
}

// span returns the first and the last picture of some frames.
func (v view) span(first, last int) (int, int) { return v.each * first, v.each*(last+1) - 1 }

func (v view) track(t cover.Track) cover.Track {
	if v.each == 1 {
		return t
	}
	return t.ByField()
}

func (v view) document(d *cover.Document) *cover.Document {
	if v.each == 1 {
		return d
	}
	return d.ByField()
}

// of returns picture f of its frame's; nil stays nil.
func (v view) of(p *frame.Picture, f int) *frame.Picture {
	if p == nil || v.each == 1 {
		return p
	}
	return p.Field(p.Fields()[f%v.each])
}

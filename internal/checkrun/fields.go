package checkrun

import (
	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/media"
)

// view is what a check goes through: the clip as it is, or, where its pictures are woven, with
// each field as a frame of its own, so that a target bare in one field alone is found.
type view struct {
	clip     media.Clip
	document *cover.Document
	each     int // pictures of a frame
}

func fieldwise(j Job) view {
	if j.Clip.Info.First() == "" {
		return view{j.Clip, j.Document, 1}
	}
	return view{j.Clip.ByField(), j.Document.ByField(), 2}
}

// frames are those that some of its pictures are of.
func (v view) frames(pictures []int) (out []int) {
	for _, p := range pictures {
		if n := len(out); n == 0 || out[n-1] != p/v.each {
			out = append(out, p/v.each)
		}
	}
	return out
}

// split gives a frame's pictures to do, one by one.
func (v view) split(do func(f int, p *frame.Picture)) func(f int, p *frame.Picture) {
	if v.each == 1 {
		return do
	}
	return func(f int, p *frame.Picture) {
		for i, field := range p.Fields() {
			do(f*v.each+i, p.Field(field))
		}
	}
}

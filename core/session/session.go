// Package session is one shot's document in an editor's hands: the document as it is
// saved, the draft that a drag is changing, and everything that the bench asks of them.
// It is compiled for the browser, so that covers are evaluated and edited there by the
// very rules that the server and a delivery follow.
//
// Every question is a Go function from a request to an answer; Calls lists them, and the
// client's types are made from that list. Frames are counted from 0 at the shot's first
// frame, and coordinates are the picture's, in pixels.
package session

import (
	"encoding/json"
	"fmt"
	"reflect"

	"celator/core/cover"
	"celator/core/timecode"
)

// Session is one shot's document in an editor's hands.
type Session struct {
	saved, draft *cover.Document
	clock        timecode.Timecode
	poses        map[string]*cover.Poses  // by attempt
	mattes       map[string]*cover.Mattes // by run, without pictures
}

// New returns a session without a document: until one is loaded, only what asks for none
// is answered. Until a clock is set, frames are counted 25 to the second.
func New() *Session {
	return &Session{
		clock: timecode.Timecode{Rate: timecode.Rate{Num: 25, Den: 1}},
		poses: map[string]*cover.Poses{}, mattes: map[string]*cover.Mattes{},
	}
}

// Call is one thing that can be asked of a session.
type Call struct {
	Name string
	Doc  string
	// Request and Answer are the types that are written as JSON on either side.
	Request, Answer reflect.Type

	free bool // answered without a document
	run  func(s *Session, request []byte) (any, error)
}

// None is the request or the answer of a call that has none.
type None struct{}

func call[In, Out any](name, doc string, f func(*Session, In) (Out, error)) Call {
	return Call{
		Name: name, Doc: doc, Request: reflect.TypeFor[In](), Answer: reflect.TypeFor[Out](),
		run: func(s *Session, request []byte) (any, error) {
			var in In
			if err := json.Unmarshal(request, &in); err != nil {
				return nil, fmt.Errorf("%s: %w", name, err)
			}
			return f(s, in)
		},
	}
}

// free marks calls that are answered without a document.
func free(calls ...Call) []Call {
	for i := range calls {
		calls[i].free = true
	}
	return calls
}

// Reply is what a call comes to: a value, or an error in words.
type Reply struct {
	Value any    `json:"value,omitempty"`
	Error string `json:"error,omitempty"`
}

// Answer runs a call by its name on a request in JSON. What fails, and what panics, ends
// in a reply with an error; after a panic the draft is the saved document again.
func (s *Session) Answer(name string, request []byte) (r Reply) {
	c, ok := byName[name]
	switch {
	case !ok:
		return Reply{Error: fmt.Sprintf("the core knows no call %q", name)}
	case !c.free && s.saved == nil:
		return Reply{Error: "no shot is open"}
	}
	defer func() {
		if p := recover(); p != nil {
			s.draft = s.saved
			r = Reply{Error: fmt.Sprintf("the core failed at %q (%v); the change was dropped, the shot is as it was", name, p)}
		}
	}()
	v, err := c.run(s, request)
	if err != nil {
		return Reply{Error: err.Error()}
	}
	return Reply{Value: v}
}

var byName = func() map[string]Call {
	m := map[string]Call{}
	for _, c := range Calls {
		m[c.Name] = c
	}
	return m
}()

// Calls is everything that can be asked, by subject.
var Calls = join(
	free(
		call("load", "makes a document the saved one; a draft is dropped", (*Session).load),
		call("untouched", "whether nothing that the commands name differs between two documents", (*Session).untouched),
		call("poses", "makes an attempt's poses known", (*Session).learnPoses),
		call("mattes", "makes a run's mattes known, without their pictures", (*Session).learnMattes),
		call("clock", "says how the shot's frames are counted", (*Session).setClock),
		call("timecode", "of a frame", (*Session).timecode),
		call("frameOf", "the frame that a person means who types a text", (*Session).frameOf),
		call("kinds", "the treatments there are", (*Session).kinds),
		call("treatment", "a new treatment of a kind", (*Session).treatment),
		call("sameStyle", "whether two styles look alike", (*Session).sameStyle),
		call("path", "a path as SVG path data, with its bounds, and as a polygon within half a pixel", (*Session).path),
		call("outline", "a new outline of a shape around a box", (*Session).outline),
		call("mapped", "where the map that takes four corners to others takes four more", (*Session).mapped),
		call("aligned", "four corners in the order in which each stays nearest to what it was", (*Session).aligned),
		call("stretch", "the frames that an anchor of a track decides", (*Session).stretch),
		call("followed", "how well a run found its surface, frame by frame", (*Session).followed),
		call("surface", "a track's surface on a frame, as an attempt has it", (*Session).surface),
		call("importOutline", "the paths of an SVG file", (*Session).importOutline),
		call("importCover", "a cover of a JSON file", (*Session).importCover),
	),
	[]Call{
		call("apply", "makes the saved document with commands the draft, and names the change", (*Session).apply),
		call("keep", "makes the draft the saved document, for the next commands to build on", (*Session).keep),
		call("document", "the draft, or the saved document where there is none", (*Session).document),
		call("cover", "one cover of the draft", (*Session).cover),
		call("covers", "all covers as they are drawn on a frame", (*Session).covers),
		call("selected", "a cover on a frame, with everything that can be changed", (*Session).selected),
		call("rows", "what the timeline shows of each cover", (*Session).rows),
		call("tracks", "what the timeline shows of each track", (*Session).tracks),
		call("course", "a cover's centre on every frame of its span", (*Session).course),
		call("copy", "a cover's keys, to be pasted", (*Session).copy),
		call("nearest", "the place of a cover's outlines nearest to a point", (*Session).nearest),
		call("posed", "the placement with another turn or size, its middle where it is", (*Session).posed),
		call("warp", "a cover's outlines on a frame, moved as the corners of its surface are", (*Session).warp),
		call("ghost", "a cover's outline on a frame if it rode on a track", (*Session).ghost),
		call("digest", "names everything that decides a cover's pixels on a frame", (*Session).digest),
		call("looked", "of what was looked at, the frames unchanged since, by cover", (*Session).looked),
		call("labels", "the labels of review copies on a frame", (*Session).labels),
		call("style", "what of a cover a house style holds", (*Session).style),
		call("exportTrack", "a track as a CSV or JSON file", (*Session).exportTrack),
		call("importTrack", "a track of a CSV or JSON file", (*Session).importTrack),
		call("exportOutline", "a cover's outlines on a frame as an SVG file", (*Session).exportOutline),
		call("exportKeys", "a cover's placement keys as a CSV file", (*Session).exportKeys),
		call("importKeys", "the placement keys of a CSV file", (*Session).importKeys),
		call("exportCover", "a cover as a JSON file", (*Session).exportCover),
	},
)

func join(lists ...[]Call) (all []Call) {
	for _, l := range lists {
		all = append(all, l...)
	}
	return all
}

// Of names a cover.
type Of struct {
	Cover string `json:"cover"`
}

// OnFrame names a frame.
type OnFrame struct {
	Frame cover.Time `json:"frame"`
}

// CoverOnFrame names a cover and a frame.
type CoverOnFrame struct {
	Cover string     `json:"cover"`
	Frame cover.Time `json:"frame"`
}

// find returns a cover of the draft.
func (s *Session) find(id string) (*cover.Cover, error) {
	if c := s.draft.Find(id); c != nil {
		return c, nil
	}
	return nil, cover.ErrNoCover
}

func notNil[T any](s []T) []T {
	if s == nil {
		return []T{}
	}
	return s
}

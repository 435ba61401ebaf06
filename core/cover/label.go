package cover

import (
	"errors"
	"strings"

	"celator/core/frame"
	"celator/core/geom"
)

// Label is a text, a ring or both that follow a cover, for review copies only: a
// master never shows them.
type Label struct {
	ID     string  `json:"id"`
	Cover  string  `json:"cover,omitempty" doc:"whose centre it follows; or"`
	Track  string  `json:"track,omitempty" doc:"the track it follows instead, as far as that is known"`
	Text   string  `json:"text"`
	Ring   bool    `json:"ring"`
	Size   float64 `json:"size" doc:"of the letters, px"`
	Colour string  `json:"colour"`
}

// LiveLabel is a label at a frame.
type LiveLabel struct {
	Text   string    `json:"text"`
	Size   float64   `json:"size"`
	Colour string    `json:"colour"`
	Box    geom.Rect `json:"box"` // around what it follows
	Ring   bool      `json:"ring"`
}

const maxLabels = 500

func (l *Label) validate() error {
	_, _, _, err := frame.ParseHex(l.Colour)
	switch {
	case !identifier.MatchString(l.ID):
		return errors.New("id is missing or not plain")
	case len(l.Text) > 200 || strings.ContainsAny(l.Text, "\n\r"):
		return errors.New("the text is too long, or has lines")
	case (l.Cover == "") == (l.Track == ""):
		return errors.New("it follows one cover or one track")
	case l.Text == "" && !l.Ring:
		return errors.New("it needs a text or a ring")
	case !(l.Size >= 6 && l.Size <= 400):
		return errors.New("its letters are not 6 to 400 px")
	}
	return err
}

// LabelsAt returns the labels at frame f: those of covers that are live there, and of
// tracks that were found there.
func (d *Document) LabelsAt(f Time) []LiveLabel {
	var out []LiveLabel
	for _, l := range d.Labels {
		var b geom.Rect
		if c := d.Find(l.Cover); c != nil && c.Span.Holds(f) {
			for _, p := range c.Contours(f) {
				b = b.Union(p.Bounds())
			}
		}
		if t := d.Track(l.Track); t != nil && strings.IndexByte("agw", t.Poses.State(f)) >= 0 {
			q, _ := t.Corners(f)
			b = geom.Bounds(q[:])
		}
		if !b.Empty() {
			out = append(out, LiveLabel{Text: l.Text, Size: l.Size, Colour: l.Colour, Box: b, Ring: l.Ring})
		}
	}
	return out
}

// Label returns the label with that id, or nil.
func (d *Document) Label(id string) *Label {
	for i := range d.Labels {
		if d.Labels[i].ID == id {
			return &d.Labels[i]
		}
	}
	return nil
}

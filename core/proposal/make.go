package proposal

import (
	"celator/core/cover"
	"celator/core/geom"
	"celator/core/track"
)

// Making is what a cover is made of.
type Making struct {
	Cover, Track string // ids
	Item         string // that it hides
	Name         string
	Kind         Kind
	Outline      geom.Quad  // on frame At
	At           int        // frames are the shot's
	Span         cover.Span // in which it was seen
	Frames       int        // of the shot
	StyleID      string     // a house style, or ""
	Style        *cover.Style
}

const (
	// beside is by how much of its height a line's box is enlarged where no board's edge is known: what letters reach
	// beyond it shows what they are.
	beside = .2
	// longer is by how many frames a cover's span is longer than what was seen, either way: frames
	// between two that were looked at or followed.
	longer = 6
	soft   = 4 // px, as a cover that is drawn gets
	beyond = 1 // px beyond a board's edge, which is found to about as much
)

// Commands make the cover, a draft, and the track that it will ride on, once that was followed.
func (m Making) Commands() ([]cover.Command, cover.Track) {
	o := cover.Outline{ID: "o1", Shape: cover.ShapeCorners}
	path := make(geom.Path, 4)
	for i, p := range m.Outline {
		path[i] = geom.Knot{P: p}
	}
	if m.Kind == Face {
		o.Shape, path = cover.ShapeEllipse, geom.Ellipse(m.Outline.Bounds())
	}
	o.Keys = []cover.PathKey{{Frame: cover.Time(m.At), Knots: path}}
	b := m.Outline.Bounds()
	c := cover.Cover{
		ID: m.Cover, Item: m.Item, Name: m.Name, Draft: true,
		Span:     cover.Span{First: max(m.Span.First-longer, 0), Last: min(m.Span.Last+longer, m.Frames-1)},
		Outlines: []cover.Outline{o},
		Motion: cover.Motion{
			Pivot: b.Centre(), Keys: []cover.PlacementKey{{Frame: cover.Time(m.At), Placement: cover.Rest}},
		},
		Soften: cover.ConstPair(soft, soft), Style: m.StyleID,
	}
	if m.Style != nil {
		c.Take(*m.Style)
	} else {
		side := min(m.Outline.Width(), m.Outline.Height())
		c.Treatments = []cover.Treatment{cover.Suited("t1", cover.Blur, cover.Under{Side: side, Followed: true})}
	}
	t := cover.Track{
		ID: m.Track, Name: m.Name, Kind: cover.Surface, Model: string(track.Perspective), Channel: "luma",
		Frame: cover.Time(m.At), Surface: m.Outline[:], Anchors: []cover.TrackAnchor{},
	}
	if m.Kind == Face { // no plane, and small
		t.Model = string(track.Similarity)
	}
	return []cover.Command{cover.AddCover{New: c}}, t
}

// Outline is what hides a sight: a plate's board to its edges; else its box, and a little beside it.
func (s Sight) Outline() geom.Quad {
	if s.Board != nil && s.Kind == Plate {
		return s.Board.Grown(beyond)
	}
	return s.Quad.Grown(beside * s.Quad.Height())
}

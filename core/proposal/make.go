package proposal

import (
	"fmt"

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
	Take         cover.Span // of the shot, from cut to cut, that it was seen in
	StyleID      string     // a house style, or ""
	Style        *cover.Style
	// Paths are what is outlined on frame At, where that is known better than by its corners.
	Paths []Path
}

// Path is an outline with the shape that it was drawn as.
type Path struct {
	Shape cover.Shape
	Knots geom.Path
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
	b := m.Outline.Bounds()
	c := cover.Cover{
		ID: m.Cover, Item: m.Item, Name: m.Name, Draft: true,
		Span:     cover.Span{First: max(m.Span.First-longer, m.Take.First), Last: min(m.Span.Last+longer, m.Take.Last)},
		Outlines: m.outlines(),
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

// outlines are the paths that are known, or one around the corners.
func (m Making) outlines() (out []cover.Outline) {
	paths := m.Paths
	if len(paths) == 0 {
		p := Path{cover.ShapeCorners, make(geom.Path, 4)}
		for i, c := range m.Outline {
			p.Knots[i] = geom.Knot{P: c}
		}
		if m.Kind == Face {
			p = Path{cover.ShapeEllipse, geom.Ellipse(m.Outline.Bounds())}
		}
		paths = []Path{p}
	}
	for i, p := range paths {
		out = append(out, cover.Outline{
			ID: fmt.Sprint("o", i+1), Shape: p.Shape, Keys: []cover.PathKey{{Frame: cover.Time(m.At), Knots: p.Knots}},
		})
	}
	return out
}

// Like makes it as a cover is that hides the same elsewhere: its outlines, as a map takes them there, and how it hides.
// Where that has a house style, so has this. Of a cover whose numbers change over its frames nothing but the outlines
// is taken.
func (m *Making) Like(c *cover.Cover, at cover.Time, to geom.Map) {
	for i, p := range c.Paths(at) {
		shape := c.Outlines[i].Shape
		if shape == cover.ShapeBox {
			shape = cover.ShapeCorners // slanted it is none any more
		}
		if shape == cover.ShapeEllipse {
			shape = cover.ShapePath
		}
		m.Paths = append(m.Paths, Path{shape, p.Map(to)})
	}
	style := c.StyleOf()
	if style.Validate() == nil {
		m.StyleID, m.Style = c.Style, &style
	}
}

// Outline is what hides a sight: a plate's board, or a surface that was looked for, to its edges; else its box, and a
// little beside it.
func (s Sight) Outline() geom.Quad {
	if s.Board != nil && s.Kind == Plate {
		return s.Board.Grown(beyond)
	}
	if s.Kind == Mark {
		return s.Quad.Grown(beyond)
	}
	return s.Quad.Grown(beside * s.Quad.Height())
}

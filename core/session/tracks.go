package session

import (
	"celator/core/cover"
	"celator/core/geom"
)

// TrackOnFrame names a track, an attempt whose poses it has, and a frame.
type TrackOnFrame struct {
	Track   cover.Track `json:"track"`
	Attempt string      `json:"attempt"`
	Frame   cover.Time  `json:"frame"`
}

// SurfaceOnFrame is a followed surface on a frame.
type SurfaceOnFrame struct {
	Path       string        `json:"path" doc:"SVG path data"`
	Corners    [4]geom.Point `json:"corners" doc:"of the box around it"`
	Outline    []geom.Point  `json:"outline" doc:"its own, or the points"`
	State      string        `json:"state" doc:"a letter, as in Poses"`
	Confidence float64       `json:"confidence"`
}

func (s *Session) surface(in TrackOnFrame) (*SurfaceOnFrame, error) {
	t, f := &in.Track, in.Frame
	t.Poses = t.Trimmed(s.poses[in.Attempt])
	q, _ := t.Corners(f)
	v := &SurfaceOnFrame{Corners: q, State: string(t.Poses.State(f)), Outline: []geom.Point{}}
	if v.State == "-" {
		return v, nil
	}
	i := t.Poses.Index(f)
	v.Confidence = t.Poses.Confidence[i]
	if t.Kind == cover.Points {
		for k := 0; k+1 < len(t.Poses.Places[i]); k += 2 {
			v.Outline = append(v.Outline, geom.Pt(t.Poses.Places[i][k], t.Poses.Places[i][k+1]))
		}
		return v, nil
	}
	w := t.Warp(f)
	var path geom.Path
	for _, p := range t.Surface {
		v.Outline = append(v.Outline, w.Apply(p))
		path = append(path, geom.Knot{P: p})
	}
	if t.Bends() {
		v.Path = svg(path.Through(w.Apply, cover.BentParts))
	} else {
		v.Path = svg(path.Map(w.Map))
	}
	return v, nil
}

// Followed is how well a run found its surface, frame by frame.
type Followed struct {
	First  int       `json:"first" doc:"frame of the first letter"`
	States string    `json:"states" doc:"a letter for each frame, as in Poses"`
	Sure   []float64 `json:"sure" doc:"confidence, 0 to 1, likewise"`
}

// RunRequest names a run whose poses are known.
type RunRequest struct {
	Attempt string `json:"attempt"`
}

func (s *Session) followed(in RunRequest) (Followed, error) {
	p := s.poses[in.Attempt].ByFrame()
	if p == nil {
		return Followed{Sure: []float64{}}, nil
	}
	return Followed{p.First, p.States, notNil(p.Confidence)}, nil
}

// StretchRequest names an anchor of a track by its frame, and the span it is used over.
type StretchRequest struct {
	Track cover.Track `json:"track"`
	Frame cover.Time  `json:"frame"`
	Span  cover.Span  `json:"span"`
}

func (s *Session) stretch(in StretchRequest) (cover.Span, error) {
	return in.Track.Stretch(in.Frame, in.Span), nil
}

// GhostRequest names a cover that would ride on a track as it lies on frame From.
type GhostRequest struct {
	TrackOnFrame
	Cover string     `json:"cover"`
	From  cover.Time `json:"from"`
}

func (s *Session) ghost(in GhostRequest) (string, error) {
	t := in.Track
	t.Poses = t.Trimmed(s.poses[in.Attempt])
	d, _, err := s.draft.Apply(cover.SetTrack{Track: t}, cover.RideTrack{Cover: in.Cover, ID: t.ID, Frame: in.From})
	if err != nil {
		return "", nil // there is nothing to show of what cannot be
	}
	path := ""
	for _, p := range d.Find(in.Cover).Contours(in.Frame) {
		path += svg(p)
	}
	return path, nil
}

// WarpRequest has the corners of a cover's surface on a frame, and where they went.
type WarpRequest struct {
	Cover string        `json:"cover"`
	Frame cover.Time    `json:"frame"`
	From  [4]geom.Point `json:"from"`
	To    [4]geom.Point `json:"to"`
}

func (s *Session) warp(in WarpRequest) ([]DrawnOutline, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return nil, err
	}
	m, err := geom.QuadToQuad(in.From, in.To)
	if err != nil {
		return nil, err
	}
	out := []DrawnOutline{}
	paths, contours := c.Paths(in.Frame), c.Contours(in.Frame)
	for i, o := range c.Outlines {
		out = append(out, DrawnOutline{
			ID: o.ID, Shape: o.Shape, Path: svg(contours[i].Map(m)), Knots: paths[i].Map(m),
		})
	}
	return out, nil
}

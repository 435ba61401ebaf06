package session

import (
	"errors"
	"strconv"

	"celator/core/cover"
	"celator/core/geom"
)

// CoverShape is a cover on a frame, as it is drawn when it is not selected.
type CoverShape struct {
	ID     string `json:"id"`
	Inside bool   `json:"inside" doc:"the frame lies in its span"`
	Path   string `json:"path" doc:"SVG path data of all outlines"`
}

func (s *Session) covers(in OnFrame) ([]CoverShape, error) {
	out := []CoverShape{}
	for i := range s.draft.Covers {
		c := &s.draft.Covers[i]
		v := CoverShape{ID: c.ID, Inside: c.Span.Holds(in.Frame)}
		if v.Inside {
			for _, path := range c.Contours(in.Frame) {
				v.Path += svg(path)
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// SelectedCover is a cover on a frame, with everything that can be changed.
type SelectedCover struct {
	ID        string             `json:"id"`
	Inside    bool               `json:"inside" doc:"the frame lies in its span"`
	Carry     geom.Map           `json:"carry" doc:"from where it was drawn to the frame, by its track: row by row"`
	Back      geom.Map           `json:"back" doc:"and the other way"`
	Home      geom.Point         `json:"home" doc:"its centre before it is carried"`
	Placement cover.Placement    `json:"placement"`
	Centre    geom.Point         `json:"centre"`
	Size      geom.Point         `json:"size" doc:"of the box around the outlines before turning"`
	Outlines  []DrawnOutline     `json:"outlines"`
	Lanes     []cover.Lane       `json:"lanes"`
	Keyed     []string           `json:"keyed" doc:"the lanes with a key on the frame"`
	Values    map[string]float64 `json:"values" doc:"by lane"`
}

// DrawnOutline is an outline on a frame.
type DrawnOutline struct {
	ID    string      `json:"id"`
	Shape cover.Shape `json:"shape" enum:"box,ellipse,corners,path"`
	Path  string      `json:"path" doc:"SVG path data"`
	Knots geom.Path   `json:"knots"`
}

func (s *Session) selected(in CoverOnFrame) (*SelectedCover, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return nil, err
	}
	f := in.Frame
	p, rest := c.Motion.At(f), c.RestBounds(f)
	carry := c.CornersCarried(f)
	back, err := carry.Inverse()
	if err != nil {
		carry, back = geom.Identity, geom.Identity
	}
	v := &SelectedCover{
		ID: c.ID, Inside: c.Span.Holds(f), Carry: carry, Back: back,
		Home:      c.Motion.Map(f).Apply(rest.Centre()),
		Placement: p, Centre: c.Centre(f),
		Size:     geom.Pt((rest.Max.X-rest.Min.X)*p.Size.X, (rest.Max.Y-rest.Min.Y)*p.Size.Y),
		Outlines: []DrawnOutline{}, Lanes: notNil(c.Lanes()), Keyed: []string{}, Values: c.Values(f),
	}
	for _, l := range v.Lanes {
		for _, k := range l.Frames {
			if k == f {
				v.Keyed = append(v.Keyed, l.Name)
			}
		}
	}
	paths, contours := c.Paths(f), c.Contours(f)
	for i, o := range c.Outlines {
		v.Outlines = append(v.Outlines, DrawnOutline{ID: o.ID, Shape: o.Shape, Path: svg(contours[i]), Knots: paths[i]})
	}
	return v, nil
}

// TimelineRow is what the timeline shows of a cover.
type TimelineRow struct {
	ID      string       `json:"id"`
	Keys    []cover.Time `json:"keys" doc:"frames"`
	Lanes   []cover.Lane `json:"lanes"`
	Outside int          `json:"outside" doc:"keys outside the span"`
	First   int          `json:"first" doc:"frame of the first letter"`
	States  string       `json:"states" doc:"of its track, a letter for each frame, as in Poses"`
	Anchors []cover.Time `json:"anchors" doc:"frames"`
	Sure    []float64    `json:"sure" doc:"confidence, 0 to 1, likewise"`
	// Corrected are stretches on which it was moved on its track by hand.
	Corrected []cover.Span `json:"corrected"`
	// Of a holdout that was found in the picture: how much of the surface it holds out.
	Begin    int       `json:"begin" doc:"frame of the first share"`
	Shares   []float64 `json:"shares"`
	Holdouts []string  `json:"holdouts" doc:"ids of the holdouts that pass before it"`
}

func (s *Session) rows(None) ([]TimelineRow, error) {
	out := []TimelineRow{}
	for i := range s.draft.Covers {
		c := &s.draft.Covers[i]
		v := TimelineRow{
			ID: c.ID, Keys: notNil(c.KeyFrames()), Lanes: notNil(c.Lanes()), Outside: c.Outside(),
			Anchors: []cover.Time{}, Sure: []float64{}, Shares: []float64{}, Holdouts: notNil(s.draft.HoldoutsOf(c.ID)),
			Corrected: notNil(c.Corrected()),
		}
		if p := c.Proposed; p != nil && p.Mattes != nil {
			v.Begin = p.Mattes.First
			for i, f := range p.Mattes.Frames {
				if !p.Mattes.Fields || i%2 == 0 {
					v.Shares = append(v.Shares, f.Share)
				}
			}
		}
		if t := s.draft.Track(c.Track); t != nil {
			v.Anchors = append(v.Anchors, t.Frame)
			for _, a := range t.Anchors {
				v.Anchors = append(v.Anchors, a.Frame)
			}
			if p := t.Poses.ByFrame(); p != nil {
				v.First, v.States, v.Sure = p.First, p.States, p.Confidence
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// TrackRow is what the timeline shows of a track.
type TrackRow struct {
	Track  cover.Track `json:"track"`
	Riders []string    `json:"riders" doc:"ids of the covers on it"`
	Labels []string    `json:"labels" doc:"ids of the labels on it"`
	First  int         `json:"first" doc:"frame of the first letter"`
	States string      `json:"states" doc:"a letter for each frame, as in Poses"`
}

func (s *Session) tracks(None) ([]TrackRow, error) {
	out := []TrackRow{}
	for _, t := range s.draft.Tracks {
		v := TrackRow{Track: t, Riders: []string{}, Labels: []string{}}
		if p := t.Poses.ByFrame(); p != nil {
			v.First, v.States = p.First, p.States
		}
		v.Track.Poses = nil
		for _, c := range s.draft.Covers {
			if c.Track == t.ID {
				v.Riders = append(v.Riders, c.ID)
			}
		}
		for _, l := range s.draft.Labels {
			if l.Track == t.ID {
				v.Labels = append(v.Labels, l.ID)
			}
		}
		out = append(out, v)
	}
	return out, nil
}

func (s *Session) course(in Of) ([]geom.Point, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return nil, err
	}
	out := []geom.Point{}
	for f := c.Span.First; f <= c.Span.Last; f++ {
		out = append(out, c.Centre(cover.Time(f)))
	}
	return out, nil
}

// NearestRequest names a point of the picture.
type NearestRequest struct {
	Cover string     `json:"cover"`
	Frame cover.Time `json:"frame"`
	Point geom.Point `json:"point"`
}

// NearestAnswer is a place on an outline.
type NearestAnswer struct {
	ID       string  `json:"id" doc:"of the outline"`
	Segment  int     `json:"segment" doc:"index of the knot that it begins at"`
	At       float64 `json:"at" doc:"share of the way to the next knot, 0 to 1"`
	Distance float64 `json:"distance" doc:"px"`
}

func (s *Session) nearest(in NearestRequest) (best NearestAnswer, err error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return best, err
	}
	for i, p := range c.Paths(in.Frame) {
		if seg, at, d := p.Nearest(in.Point); best.ID == "" || d < best.Distance {
			best = NearestAnswer{c.Outlines[i].ID, seg, at, d}
		}
	}
	if best.ID == "" {
		err = errors.New("the cover has no outline")
	}
	return best, err
}

// PosedRequest wants another turn, degrees, and size, ratio to what was drawn.
type PosedRequest struct {
	Cover string     `json:"cover"`
	Frame cover.Time `json:"frame"`
	Turn  float64    `json:"turn"`
	Size  geom.Point `json:"size"`
}

func (s *Session) posed(in PosedRequest) (p cover.Placement, err error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return p, err
	}
	return c.Posed(in.Frame, in.Turn, in.Size), nil
}

// OutlineRequest wants an outline of a shape around a box.
type OutlineRequest struct {
	ID    string      `json:"id"`
	Shape cover.Shape `json:"shape" enum:"box,ellipse,corners,path"`
	Frame cover.Time  `json:"frame"`
	Box   geom.Rect   `json:"box"`
}

func (s *Session) outline(in OutlineRequest) (cover.Outline, error) {
	k := cover.PathKey{Frame: in.Frame, Knots: geom.Box(in.Box)}
	if in.Shape == cover.ShapeEllipse {
		k.Knots = geom.Ellipse(in.Box)
	}
	return cover.Outline{ID: in.ID, Shape: in.Shape, Keys: []cover.PathKey{k}}, nil
}

// PathRequest has the knots of a closed path.
type PathRequest struct {
	Knots geom.Path `json:"knots"`
}

// PathAnswer is a path in other forms.
type PathAnswer struct {
	Path    string       `json:"path" doc:"SVG path data"`
	Bounds  geom.Rect    `json:"bounds"`
	Polygon []geom.Point `json:"polygon" doc:"within half a pixel of it"`
}

func (s *Session) path(in PathRequest) (PathAnswer, error) {
	return PathAnswer{svg(in.Knots), in.Knots.Bounds(), notNil(in.Knots.Flatten(.5))}, nil
}

// MappedRequest has four corners, where they went, and four points.
type MappedRequest struct {
	From   [4]geom.Point `json:"from"`
	To     [4]geom.Point `json:"to"`
	Points [4]geom.Point `json:"points"`
}

func (s *Session) mapped(in MappedRequest) ([4]geom.Point, error) {
	m, err := geom.QuadToQuad(in.From, in.To)
	for i, p := range in.Points {
		in.Points[i] = m.Apply(p)
	}
	return in.Points, err
}

// AlignedRequest has four corners as they were drawn, and as they were before.
type AlignedRequest struct {
	Knots geom.Path `json:"knots"`
	Was   geom.Path `json:"was"`
}

func (s *Session) aligned(in AlignedRequest) (geom.Path, error) {
	if len(in.Knots) != 4 || len(in.Was) != 4 {
		return nil, errors.New("only four corners are put in order")
	}
	return in.Knots.Aligned(in.Was), nil
}

// svg writes a path as SVG path data.
func svg(p geom.Path) string {
	if len(p) == 0 {
		return ""
	}
	b := []byte("M")
	at := func(q geom.Point) {
		b = append(strconv.AppendFloat(b, q.X, 'f', 2, 64), ' ')
		b = append(strconv.AppendFloat(b, q.Y, 'f', 2, 64), ' ')
	}
	at(p[0].P)
	for i, k := range p {
		l := p[(i+1)%len(p)]
		b = append(b, 'C')
		at(k.P.Add(k.Out))
		at(l.P.Add(l.In))
		at(l.P)
	}
	return string(append(b, 'Z'))
}

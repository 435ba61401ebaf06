// Package interchange reads and writes open formats: tracks as CSV and JSON,
// outlines as SVG. docs/formats.md says what every field means.
package interchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"celator/core/cover"
	"celator/core/geom"
)

var header = []string{"frame", "x1", "y1", "x2", "y2", "x3", "y3", "x4", "y4", "confidence", "state"}

var names = map[byte]string{'a': "anchor", 'g': "good", 'w': "weak", 'l': "lost", 'o': "outside"}

// TrackCSV writes a track: a row for each frame that was followed, with the corners
// of the box around the surface in picture coordinates, in order around it.
func TrackCSV(t *cover.Track) []byte {
	var b bytes.Buffer
	b.WriteString(strings.Join(header, ",") + "\n")
	for i, p := 0, t.Poses; p != nil && i < len(p.States); i++ {
		if p.States[i] == '-' {
			continue
		}
		fmt.Fprintf(&b, "%v", p.Time(i))
		for _, v := range p.Corners[i] {
			fmt.Fprintf(&b, ",%.4f", v)
		}
		fmt.Fprintf(&b, ",%.4f,%s\n", p.Confidence[i], names[p.States[i]])
	}
	return b.Bytes()
}

// ParseTrackCSV reads what TrackCSV or the command line wrote, for a shot of so many
// frames: the track's first anchor is the row of that state, or the first that is
// not lost. The state and the confidence may be missing; then frames are good.
func ParseTrackCSV(b []byte, frames int) (*cover.Track, error) {
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	head, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("the file has no first line: %w", err)
	}
	if len(head) < 9 || strings.ToLower(strings.Join(head[:9], ",")) != strings.Join(header[:9], ",") {
		return nil, fmt.Errorf("the first line must be %s", strings.Join(header, ","))
	}
	// Fields lie on halves of frames.
	n := 2 * frames
	p := &cover.Poses{Fields: true, Corners: make([][8]float64, n), Confidence: make([]float64, n)}
	states := bytes.Repeat([]byte{'-'}, n)
	first := -1
	for line := 2; ; line++ {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		if len(row) < 9 {
			return nil, fmt.Errorf("line %d has %d fields, not at least 9", line, len(row))
		}
		at, err := cover.ParseTime(row[0], frames)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", line, err)
		}
		f := (2 * at).Frame() // among fields
		if states[f] != '-' {
			return nil, fmt.Errorf("line %d: frame %s is there twice", line, row[0])
		}
		for i := range 8 {
			v, err := strconv.ParseFloat(row[1+i], 64)
			if err != nil || !(math.Abs(v) <= 1e6) {
				return nil, fmt.Errorf("line %d: %q is no coordinate", line, row[1+i])
			}
			p.Corners[f][i] = v
		}
		p.Confidence[f], states[f] = 1, 'g'
		if len(row) > 9 && row[9] != "" {
			if p.Confidence[f], err = strconv.ParseFloat(row[9], 64); err != nil ||
				!(p.Confidence[f] >= 0 && p.Confidence[f] <= 1) {
				return nil, fmt.Errorf("line %d: the confidence %q is not between 0 and 1", line, row[9])
			}
		}
		if len(row) > 10 && row[10] != "" {
			known := false
			for c, n := range names {
				if n == row[10] {
					states[f], known = c, true
				}
			}
			if !known {
				return nil, fmt.Errorf("line %d: %q is no state; there are anchor, good, weak, lost and outside", line, row[10])
			}
		}
		if first < 0 || states[f] == 'a' && states[first] != 'a' || states[first] == 'l' && states[f] != 'l' {
			first = f
		}
	}
	if first < 0 {
		return nil, errors.New("the file has no frame")
	}
	p.States = string(states)
	if q := whole(p); !q.Fields {
		return given(q, first/2)
	}
	return given(p, first)
}

// whole returns poses of which only first fields are given as those of frames.
func whole(p *cover.Poses) *cover.Poses {
	q := &cover.Poses{}
	for i, s := range []byte(p.States) {
		switch {
		case i%2 == 0:
			q.Corners, q.Confidence = append(q.Corners, p.Corners[i]), append(q.Confidence, p.Confidence[i])
			q.States += string(rune(s))
		case s != '-':
			return p
		}
	}
	return q
}

// given makes a track of poses from elsewhere. Its surface is the corners on its
// first frame; the poses are then those of the box around them.
func given(p *cover.Poses, first int) (*cover.Track, error) {
	corners := func(f int) (q [4]geom.Point) {
		for i := range q {
			q[i] = geom.Pt(p.Corners[f][2*i], p.Corners[f][2*i+1])
		}
		return q
	}
	q := corners(first)
	t := &cover.Track{
		ID: "given", Name: "Track", Kind: cover.Surface, Model: "perspective", Channel: "luma",
		Frame: p.Time(first), Surface: q[:], Anchors: []cover.TrackAnchor{},
	}
	box := t.Box()
	for f := range p.Corners {
		if p.States[f] == '-' {
			for i, c := range box {
				p.Corners[f][2*i], p.Corners[f][2*i+1] = c.X, c.Y
			}
			continue
		}
		m, err := geom.QuadToQuad(q, corners(f))
		if err != nil {
			return nil, fmt.Errorf("frame %v: the four corners have no area", p.Time(f))
		}
		for i, c := range box {
			c = m.Apply(c)
			if !c.Finite() || math.Abs(c.X) > 1e6 || math.Abs(c.Y) > 1e6 {
				return nil, fmt.Errorf("frame %v: the four corners are no view of a flat surface", p.Time(f))
			}
			p.Corners[f][2*i], p.Corners[f][2*i+1] = c.X, c.Y
		}
	}
	t.Poses = p
	return t, nil
}

// TrackJSON writes a track with its surface, anchors and poses.
func TrackJSON(t *cover.Track) ([]byte, error) {
	n := *t
	n.Attempt = ""
	return json.MarshalIndent(&n, "", "  ")
}

// ParseTrackJSON reads a track with its poses, for a shot of so many frames.
func ParseTrackJSON(b []byte, frames int) (*cover.Track, error) {
	if len(b) > cover.MaxBytes {
		return nil, fmt.Errorf("larger than %d MB", cover.MaxBytes>>20)
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	var t cover.Track
	if err := dec.Decode(&t); err != nil {
		return nil, err
	}
	if t.Poses == nil {
		return nil, errors.New("the track has no poses")
	}
	d := cover.New(16, 16, frames)
	d.Tracks = []cover.Track{t}
	if err := d.Validate(); err != nil {
		return nil, errors.New(strings.TrimPrefix(err.Error(), "document: tracks[0] "))
	}
	return &d.Tracks[0], nil
}

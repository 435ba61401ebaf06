package cover

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Marker is a note on a frame, for people: it hides nothing and is in no picture.
type Marker struct {
	ID    string `json:"id"`
	Frame int    `json:"frame"`
	Note  string `json:"note"`
}

const maxMarkers = 2000

func (m *Marker) validate(frames int) error {
	switch {
	case !identifier.MatchString(m.ID):
		return errors.New("id is missing or not plain")
	case m.Frame < 0 || m.Frame >= frames:
		return fmt.Errorf("frame %d lies outside the shot", m.Frame)
	case len(m.Note) > 500 || strings.ContainsAny(m.Note, "\n\r"):
		return errors.New("the note is too long, or has lines")
	}
	return nil
}

// SetMarker enters a marker, or changes it.
type SetMarker struct {
	Marker Marker `json:"marker"`
}

func (e SetMarker) about() subject { return subject{marker: e.Marker.ID} }

func (e SetMarker) apply(d *draft) (string, error) {
	d.Markers = slices.Clone(d.Markers)
	label := fmt.Sprintf("marked f %d", e.Marker.Frame)
	if i := d.marker(e.Marker.ID); i >= 0 {
		d.Markers[i], label = e.Marker, fmt.Sprintf("changed the marker at f %d", e.Marker.Frame)
	} else {
		d.Markers = append(d.Markers, e.Marker)
	}
	slices.SortStableFunc(d.Markers, func(a, b Marker) int { return a.Frame - b.Frame })
	return label, nil
}

// RemoveMarker removes a marker.
type RemoveMarker struct {
	ID string `json:"id" doc:"of the marker"`
}

func (e RemoveMarker) about() subject { return subject{marker: e.ID} }

func (e RemoveMarker) apply(d *draft) (string, error) {
	i := d.marker(e.ID)
	if i < 0 {
		return "", errors.New("edit: the marker is not there any more")
	}
	f := d.Markers[i].Frame
	d.Markers = slices.Delete(slices.Clone(d.Markers), i, i+1)
	return fmt.Sprintf("removed the marker at f %d", f), nil
}

func (d *Document) marker(id string) int {
	return slices.IndexFunc(d.Markers, func(m Marker) bool { return m.ID == id })
}

// Marker returns the marker with that id, or nil.
func (d *Document) Marker(id string) *Marker {
	if i := d.marker(id); i >= 0 {
		return &d.Markers[i]
	}
	return nil
}

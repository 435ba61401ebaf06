package cover

import (
	"errors"
	"slices"
)

// SetLabel enters a label, or changes it.
type SetLabel struct {
	Label Label `json:"label"`
}

func (e SetLabel) about() subject { return subject{label: e.Label.ID} }

func (e SetLabel) apply(d *draft) (string, error) {
	d.Labels = slices.Clone(d.Labels)
	if old := d.Label(e.Label.ID); old != nil {
		*old = e.Label
		return "changed the label " + e.Label.Text, nil
	}
	d.Labels = append(d.Labels, e.Label)
	return "labelled " + e.Label.Text, nil
}

// RemoveLabel removes a label.
type RemoveLabel struct {
	ID string `json:"id" doc:"of the label"`
}

func (e RemoveLabel) about() subject { return subject{label: e.ID} }

func (e RemoveLabel) apply(d *draft) (string, error) {
	l := d.Label(e.ID)
	if l == nil {
		return "", errors.New("edit: the label is not there any more")
	}
	text := l.Text
	d.Labels = slices.DeleteFunc(slices.Clone(d.Labels), func(l Label) bool { return l.ID == e.ID })
	return "removed the label " + text, nil
}

// SetGraphic enters a picture for patches, or changes it.
type SetGraphic struct {
	Graphic Graphic `json:"graphic"`
}

func (e SetGraphic) about() subject { return subject{} }

func (e SetGraphic) apply(d *draft) (string, error) {
	d.Graphics = slices.Clone(d.Graphics)
	if old := d.GraphicOf(e.Graphic.ID); old != nil {
		*old = e.Graphic
	} else {
		d.Graphics = append(d.Graphics, e.Graphic)
	}
	return "brought in the graphic " + e.Graphic.Name, nil
}

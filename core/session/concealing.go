package session

import "celator/core/cover"

func (s *Session) kinds(None) ([]cover.Description, error) { return cover.Kinds, nil }

// TreatmentRequest wants a treatment of a kind, under an id, for what lies under it.
type TreatmentRequest struct {
	ID    string      `json:"id"`
	Kind  cover.Kind  `json:"kind"`
	Under cover.Under `json:"under"`
}

func (s *Session) treatment(in TreatmentRequest) (cover.Treatment, error) {
	return cover.Suited(in.ID, in.Kind, in.Under), nil
}

func (s *Session) style(in Of) (st cover.Style, err error) {
	c, err := s.find(in.Cover)
	if err == nil {
		st = c.StyleOf()
	}
	return st, err
}

// SameStyleRequest has two styles to compare.
type SameStyleRequest struct {
	A cover.Style `json:"a"`
	B cover.Style `json:"b"`
}

func (s *Session) sameStyle(in SameStyleRequest) (bool, error) { return in.A.Same(&in.B), nil }

func (s *Session) labels(in OnFrame) ([]cover.LiveLabel, error) {
	return notNil(s.draft.LabelsAt(in.Frame)), nil
}

package session

import "celator/core/timecode"

// ClockRequest says how a source counts its frames, and where in it the shot begins.
type ClockRequest struct {
	Rate  timecode.Rate `json:"rate"`
	Start string        `json:"start" doc:"timecode of the source's first frame, or empty"`
	First int           `json:"first" doc:"the shot's first frame in the source"`
}

func (s *Session) setClock(in ClockRequest) (None, error) {
	t, err := timecode.New(in.Rate, in.Start)
	if err != nil {
		return None{}, err
	}
	t.Offset += int64(in.First)
	s.clock = t
	return None{}, nil
}

func (s *Session) timecode(in OnFrame) (string, error) {
	return s.clock.Format(int64(in.Frame.Frame())), nil
}

// FrameOfRequest has what a person typed while frame Now was shown.
type FrameOfRequest struct {
	Text string `json:"text"`
	Now  int    `json:"now"`
}

func (s *Session) frameOf(in FrameOfRequest) (int64, error) {
	return s.clock.ParseFrom(in.Text, int64(in.Now))
}

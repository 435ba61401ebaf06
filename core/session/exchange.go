package session

import (
	"bytes"
	"encoding/json"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/interchange"
)

// Text is a file's.
type Text struct {
	Text string `json:"text"`
}

// ExportTrackRequest names a track and the format it is wanted in.
type ExportTrackRequest struct {
	Track  string `json:"track"`
	Format string `json:"format" enum:"csv,json"`
}

func (s *Session) exportTrack(in ExportTrackRequest) (Text, error) {
	t := s.draft.Track(in.Track)
	if t == nil || t.Poses == nil {
		return Text{}, cover.ErrNoTrack
	}
	if in.Format == "csv" {
		return Text{string(interchange.TrackCSV(t))}, nil
	}
	b, err := interchange.TrackJSON(t)
	return Text{string(b)}, err
}

func (s *Session) importTrack(in Text) (*cover.Track, error) {
	b := []byte(in.Text)
	if bytes.HasPrefix(bytes.TrimSpace(b), []byte("{")) {
		return interchange.ParseTrackJSON(b, s.draft.Frames)
	}
	return interchange.ParseTrackCSV(b, s.draft.Frames)
}

func (s *Session) exportOutline(in CoverOnFrame) (Text, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return Text{}, err
	}
	return Text{string(interchange.OutlineSVG(s.draft.Width, s.draft.Height, c.Contours(in.Frame)))}, nil
}

func (s *Session) importOutline(in Text) ([]geom.Path, error) {
	return interchange.ParseOutlineSVG([]byte(in.Text))
}

func (s *Session) exportKeys(in Of) (Text, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return Text{}, err
	}
	return Text{string(interchange.KeysCSV(c))}, nil
}

func (s *Session) importKeys(in Text) ([]cover.PlacementKey, error) {
	return interchange.ParseKeysCSV([]byte(in.Text), s.draft.Frames)
}

func (s *Session) exportCover(in Of) (Text, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return Text{}, err
	}
	b, err := json.MarshalIndent(c, "", "  ")
	return Text{string(b)}, err
}

func (s *Session) importCover(in Text) (*cover.Cover, error) {
	return interchange.ParseCover([]byte(in.Text))
}

package session

import (
	"celator/core/cover"
)

// attach gives a document the poses and mattes that are known.
func (s *Session) attach(d *cover.Document) *cover.Document {
	d.Attach(func(id string) *cover.Poses { return s.poses[id] })
	d.AttachMattes(func(run string) *cover.Mattes { return s.mattes[run] })
	return d
}

// attachAll does so to the documents at hand, when more has become known.
func (s *Session) attachAll() {
	if s.saved == nil {
		return
	}
	s.attach(s.saved)
	if s.draft != s.saved {
		s.attach(s.draft)
	}
}

// LoadRequest has a document as the server sends it.
type LoadRequest struct {
	Document cover.Document `json:"document"`
}

func (s *Session) load(in LoadRequest) (None, error) {
	d := &in.Document
	if err := d.Validate(); err != nil {
		return None{}, err
	}
	s.saved = s.attach(d)
	s.draft = s.saved
	return None{}, nil
}

// ApplyRequest has commands in their order.
type ApplyRequest struct {
	Commands cover.Commands `json:"commands"`
}

// ApplyAnswer says in words what the first command did.
type ApplyAnswer struct {
	Label string `json:"label"`
}

func (s *Session) apply(in ApplyRequest) (ApplyAnswer, error) {
	d, label, err := s.saved.Apply(in.Commands...)
	if err == nil {
		s.draft = s.attach(d)
	}
	return ApplyAnswer{label}, err
}

func (s *Session) keep(None) (None, error) {
	s.saved = s.draft
	return None{}, nil
}

// UntouchedRequest has two documents and the commands made on the first.
type UntouchedRequest struct {
	Base     cover.Document `json:"base"`
	Head     cover.Document `json:"head"`
	Commands cover.Commands `json:"commands"`
}

func (s *Session) untouched(in UntouchedRequest) (bool, error) {
	return cover.Untouched(&in.Base, &in.Head, in.Commands), nil
}

func (s *Session) document(None) (*cover.Document, error) { return s.draft.Bare(), nil }

func (s *Session) cover(in Of) (*cover.Cover, error) { return s.find(in.Cover) }

// PosesRequest has the poses of an attempt.
type PosesRequest struct {
	Attempt string       `json:"attempt"`
	Poses   *cover.Poses `json:"poses"`
}

func (s *Session) learnPoses(in PosesRequest) (None, error) {
	s.poses[in.Attempt] = in.Poses
	s.attachAll()
	return None{}, nil
}

// MattesRequest has the mattes of a run.
type MattesRequest struct {
	Run    string        `json:"run"`
	Mattes *cover.Mattes `json:"mattes"`
}

func (s *Session) learnMattes(in MattesRequest) (None, error) {
	s.mattes[in.Run] = in.Mattes
	s.attachAll()
	return None{}, nil
}

// CopyRequest names keys by their frames.
type CopyRequest struct {
	Cover  string       `json:"cover"`
	Frames []cover.Time `json:"frames"`
}

func (s *Session) copy(in CopyRequest) ([]cover.Copied, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return nil, err
	}
	return notNil(c.Copy(in.Frames)), nil
}

func (s *Session) digest(in CoverOnFrame) (string, error) {
	c, err := s.find(in.Cover)
	if err != nil {
		return "", err
	}
	return s.digestOf(c, in.Frame.Frame()), nil
}

// digestOf names a cover's pixels on a frame, of both fields where there are two.
func (s *Session) digestOf(c *cover.Cover, f int) string {
	at := ""
	for t := range s.draft.Moments(cover.Span{First: f, Last: f}) {
		digest := "bare"
		if l, ok := s.draft.Live(c, t); ok {
			digest = l.Digest()
		}
		at += digest
	}
	return at
}

// LookedRequest has what was looked at: by cover and frame, the digest of the cover then.
type LookedRequest struct {
	Looks map[string]map[int]string `json:"looks"`
}

func (s *Session) looked(in LookedRequest) (map[string][]int, error) {
	out := map[string][]int{}
	for i := range s.draft.Covers {
		c := &s.draft.Covers[i]
		out[c.ID] = []int{}
		for f := c.Span.First; f <= c.Span.Last; f++ {
			if d, ok := in.Looks[c.ID][f]; ok && d == s.digestOf(c, f) {
				out[c.ID] = append(out[c.ID], f)
			}
		}
	}
	return out, nil
}

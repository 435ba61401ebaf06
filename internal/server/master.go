package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/internal/certificate"
	"celator/internal/deliver"
	"celator/internal/jobs"
	"celator/internal/media"
	"celator/internal/store"
)

// contentsView is what a delivery of a source would hold now.
type contentsView struct {
	Shots  []store.Content `json:"shots"`
	Doubts []string        `json:"doubts" doc:"why it should not go out yet but for review, in words"`
	// The programme lets out only what is settled, but for review.
	Forbidden bool `json:"forbidden" doc:"with doubts, deliveries but for review are refused"`
}

// allowed refuses a delivery of contents for which there are doubts, where they are not passed over or the programme
// forbids that.
func (s *server) allowed(ctx context.Context, programme string, list []store.Content, preset media.Preset,
	despite bool,
) error {
	d := outgoing(list, preset.ForReview()).Doubts()
	if len(d) == 0 {
		return nil
	}
	p, err := s.Store.Programme(ctx, programme)
	switch {
	case err != nil:
		return problem(err)
	case p.SettledOnly:
		return huma.Error409Conflict(sentence(fmt.Errorf("%s, and the programme lets out only what is settled", inWords(d))))
	case !despite:
		return huma.Error409Conflict(sentence(fmt.Errorf("%s; deliver despite that if it is meant", inWords(d))))
	}
	return nil
}

// viewContents is what a delivery of some shots would hold.
func (s *server) viewContents(ctx context.Context, programme string, shots []store.Shot) (*body[contentsView], error) {
	p, err := s.Store.Programme(ctx, programme)
	if err != nil {
		return nil, problem(err)
	}
	list, _, err := s.contents(ctx, programme, shots)
	if err != nil {
		return nil, problem(err)
	}
	d := outgoing(list, false).Doubts()
	return &body[contentsView]{contentsView{list, d, p.SettledOnly && len(d) > 0}}, nil
}

// contents gathers some of a programme's shots as they are, with their documents and items.
func (s *server) contents(ctx context.Context, programme string, shots []store.Shot) (list []store.Content,
	parts []deliver.Part, err error,
) {
	list = []store.Content{}
	items, err := s.Store.Items(ctx, programme)
	if err != nil {
		return nil, nil, err
	}
	names := map[string]string{}
	for _, it := range items {
		names[it.ID] = it.Name
	}
	seen, err := s.Store.Appearances(ctx, programme)
	if err != nil {
		return nil, nil, err
	}
	decisions, err := s.Store.ProgrammeDecisions(ctx, programme)
	if err != nil {
		return nil, nil, err
	}
	decided := map[store.Row][]certificate.Decided{}
	for _, d := range decisions {
		k := store.Row{Item: d.Item, Shot: d.Shot}
		decided[k] = append(decided[k], certificate.Decided{State: d.State.Title(), By: d.By, At: d.At, Note: d.Note})
	}
	findings, err := s.Store.ProgrammeFindings(ctx, programme)
	if err != nil {
		return nil, nil, err
	}
	found := map[string][]certificate.Found{}
	for _, f := range findings {
		found[f.Shot] = append(found[f.Shot], certificate.Found{
			Says: f.Says, Severity: string(f.Severity), State: string(f.State), Reason: f.Reason, By: f.By,
		})
	}
	for _, sh := range shots {
		rev, err := s.Store.Head(ctx, sh.ID)
		if err != nil {
			return nil, nil, err
		}
		c := store.Content{
			Shot: sh.ID, Name: sh.Name, Revision: rev.Number, First: sh.First, Last: sh.Last(), Items: []store.ContentItem{},
			Findings: append([]certificate.Found{}, found[sh.ID]...),
		}
		for i := range rev.Document.Covers {
			if len(rev.Document.Covers[i].HoldsOut) == 0 {
				c.Covers++
			}
		}
		for _, a := range seen {
			if a.Shot != sh.ID {
				continue
			}
			c.Severe, c.Minor = c.Severe+a.Severe, c.Minor+a.Minor
			c.Items = append(c.Items, store.ContentItem{
				Name: names[a.Item], State: a.State.Title(), Settled: a.State.Ended(),
				Decisions: append([]certificate.Decided{}, decided[store.Row{Item: a.Item, Shot: sh.ID}]...),
			})
		}
		list = append(list, c)
		parts = append(parts, deliver.Part{First: c.First, Last: c.Last, Document: rev.Document})
	}
	return list, parts, nil
}

// outgoing is what is known of some contents.
func outgoing(list []store.Content, forReview bool) (o clearance.Outgoing) {
	o.ForReview = forReview
	for _, c := range list {
		o.Severe += c.Severe
		for _, it := range c.Items {
			if !it.Settled {
				o.Open++
			}
		}
	}
	return o
}

// within leaves of contents what lies in some frames.
func within(list []store.Content, frames cover.Span) (out []store.Content) {
	out = []store.Content{}
	for _, c := range list {
		if c.First <= frames.Last && c.Last >= frames.First {
			out = append(out, c)
		}
	}
	return out
}

type masterBody struct {
	Preset  string `json:"preset" maxLength:"40" doc:"of those of the source; source to be coded as that is"`
	Name    string `json:"name,omitempty" maxLength:"120" doc:"of the file, without its ending; the source's where it is empty"`
	From    string `json:"from,omitempty" maxLength:"40" doc:"timecode of the source, or number of a frame; the first where it is empty"`
	To      string `json:"to,omitempty" maxLength:"40" doc:"the same, included; the last where it is empty"`
	Matte   bool   `json:"matte,omitempty" doc:"the combined matte, as grey, instead of the pictures"`
	Despite bool   `json:"despite,omitempty" doc:"deliver although there are doubts (contents)"`
}

// stretch reads which of a source's frames are meant.
func stretch(src store.Source, from, to string) (cover.Span, error) {
	all := cover.Span{First: 0, Last: src.Frames - 1}
	clock := clock(src)
	for _, end := range []struct {
		text  string
		frame *int
	}{{from, &all.First}, {to, &all.Last}} {
		if strings.TrimSpace(end.text) == "" {
			continue
		}
		n, err := clock.ParseFrom(end.text, 0)
		if err != nil {
			return all, err
		}
		*end.frame = int(n)
	}
	if all.First < 0 || all.First > all.Last || all.Last >= src.Frames {
		return all, fmt.Errorf("frames %d to %d are not in the source's 0 to %d", all.First, all.Last, src.Frames-1)
	}
	return all, nil
}

func (s *server) addMaster(ctx context.Context, in *struct {
	ByID
	Body masterBody
},
) (*body[deliveryView], error) {
	src, err := s.Store.Source(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	if src.State != store.Ready {
		return nil, huma.Error409Conflict("The source is still being brought in; deliver when it is ready.")
	}
	preset, recipe, err := s.way(ctx, in.Body.Preset, src.Info.V)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	if preset.Still || in.Body.Matte && preset.SoundAlone() {
		return nil, huma.Error422UnprocessableEntity("A still picture is delivered from its shot, and sound has no matte.")
	}
	frames, err := stretch(src, in.Body.From, in.Body.To)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	shots, err := s.Store.ShotsOf(ctx, src.ID)
	if err != nil {
		return nil, problem(err)
	}
	list, parts, err := s.contents(ctx, src.Programme, shots)
	if err != nil {
		return nil, problem(err)
	}
	list = within(list, frames)
	if err := s.allowed(ctx, src.Programme, list, preset, in.Body.Despite); err != nil {
		return nil, err
	}
	d := store.Delivery{
		ID: store.NewID(), Source: src.ID, Preset: preset.Name, First: frames.First,
		Frames: frames.Last - frames.First + 1, Matte: in.Body.Matte, State: store.Queued, Created: time.Now(),
	}
	d.Recipe.V, d.Contents.V = recipe, list
	d.Name = fileName(in.Body.Name, src.Name, "master", d.Matte, preset)
	j := deliver.Job{
		Preset: preset, Parts: parts, First: frames.First, Last: frames.Last, Total: src.Frames, Matte: d.Matte,
		Original: src.Info.V, Out: s.Library.Segment(d.ID),
	}
	if j.Clip, err = s.Library.Clip(src); err == nil {
		j.Sound, err = s.Library.SourcePath(src)
	}
	if err != nil {
		return nil, problem(err)
	}
	if err := deliver.Apart(parts, j.Clip.Info, src.Frames); err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	err = s.planned(ctx, d, &j, func() ([]store.Segment, error) { return jobs.PlanMaster(ctx, src, shots, j) })
	return &body[deliveryView]{viewDelivery(d)}, problem(err)
}

// registerMasters enters what is asked of deliveries of a source with its shots.
func (s *server) registerMasters(api huma.API) {
	huma.Register(api, op("getContents", http.MethodGet, "/api/sources/{id}/contents",
		"What a delivery of a source holds, as its shots are now", 200),
		func(ctx context.Context, in *ByID) (*body[contentsView], error) {
			src, err := s.Store.Source(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			shots, err := s.Store.ShotsOf(ctx, src.ID)
			if err != nil {
				return nil, problem(err)
			}
			return s.viewContents(ctx, src.Programme, shots)
		})
	huma.Register(api, op("getShotContents", http.MethodGet, "/api/shots/{id}/contents",
		"What a delivery of a shot holds, as it is now", 200),
		func(ctx context.Context, in *ByID) (*body[contentsView], error) {
			sh, err := s.Store.Shot(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return s.viewContents(ctx, sh.Programme, []store.Shot{sh})
		})
	huma.Register(api, op("addMaster", http.MethodPost, "/api/sources/{id}/deliveries",
		"Render, verify and keep a source with all of its shots", 201), s.addMaster)
}

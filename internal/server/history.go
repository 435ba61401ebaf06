package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cover"
	"celator/internal/store"
)

// registerEdits enters how a shot’s document is changed.
func (s *server) registerEdits(api huma.API) {
	huma.Register(api, op("editShot", http.MethodPost, "/api/shots/{id}/edits", "Change a shot's document by commands",
		201), func(ctx context.Context, in *struct {
		ByID
		Body EditBody
	},
	) (*body[revisionView], error) {
		if err := s.countable(ctx, in.ID); err != nil {
			return nil, err
		}
		r, err := s.Store.Edit(ctx, in.ID, store.On{Base: in.Body.Base, Author: asker(ctx), Key: in.Body.Key},
			func(d *cover.Document) (*cover.Document, string, error) {
				next, label, err := d.Apply(in.Body.Commands...)
				if err != nil && !errors.Is(err, cover.ErrNoCover) {
					err = huma.Error422UnprocessableEntity(sentence(err))
				}
				return next, label, err
			})
		return revised(r, err)
	})
	huma.Register(api, op("replaceDocument", http.MethodPut, "/api/shots/{id}/document", "Replace a shot's document",
		200), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Base     int            `json:"base" minimum:"0"`
			Key      string         `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$"`
			Document cover.Document `json:"document"`
		}
	},
	) (*body[revisionView], error) {
		if err := s.countable(ctx, in.ID); err != nil {
			return nil, err
		}
		next := &in.Body.Document
		if err := next.Validate(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		// Pictures that come with it are a stranger's as any other.
		for i := range next.Graphics {
			if g := &next.Graphics[i]; len(g.PNG) > 0 {
				drawn, err := s.drawn(ctx, g.Name, g.PNG)
				if err != nil {
					return nil, err
				}
				g.PNG, g.Width, g.Height = drawn.PNG, drawn.Width, drawn.Height
			}
		}
		return revised(s.Store.Replace(ctx, in.ID, store.On{Base: in.Body.Base, Author: asker(ctx), Key: in.Body.Key}, next,
			func(d *cover.Document) error {
				if next.Width != d.Width || next.Height != d.Height || next.Frames != d.Frames {
					return huma.Error422UnprocessableEntity(fmt.Sprintf(
						"The document is for %d frames of %dx%d, the shot has %d of %dx%d.",
						next.Frames, next.Width, next.Height, d.Frames, d.Width, d.Height))
				}
				return nil
			}))
	})
}

// registerHistory enters how its changes are walked.
func (s *server) registerHistory(api huma.API) {
	huma.Register(api, op("undo", http.MethodPost, "/api/shots/{id}/undo", "Undo the last change still standing", 201),
		func(ctx context.Context, in *struct {
			ByID
			Body BaseBody
		},
		) (*body[revisionView], error) {
			return revised(s.Store.Undo(ctx, in.ID, in.Body.on(ctx)))
		})
	huma.Register(api, op("redo", http.MethodPost, "/api/shots/{id}/redo", "Redo what was undone last", 201),
		func(ctx context.Context, in *struct {
			ByID
			Body BaseBody
		},
		) (*body[revisionView], error) {
			return revised(s.Store.Redo(ctx, in.ID, in.Body.on(ctx)))
		})
	huma.Register(api, op("jump", http.MethodPost, "/api/shots/{id}/jump", "Show the document as it was after any edit",
		201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			BaseBody
			State int `json:"state" minimum:"0"`
		}
	},
	) (*body[revisionView], error) {
		return revised(s.Store.Jump(ctx, in.ID, in.Body.on(ctx), in.Body.State))
	})
	huma.Register(api, op("listEdits", http.MethodGet, "/api/shots/{id}/edits", "The edits of a shot, the newest first",
		200), s.edits)
}

func (s *server) edits(ctx context.Context, in *struct {
	ByID
	Before int `query:"before" minimum:"0" doc:"the state to go on from; 0 is the newest"`
	Limit  int `query:"limit" minimum:"1" maximum:"1000" default:"500"`
},
) (*paged[editView], error) {
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	edits, err := s.Store.Edits(ctx, in.ID, in.Before, in.Limit)
	out, last := []editView{}, 0
	for _, e := range edits {
		last = e.Number
		out = append(out, editView{
			e.Number, e.Label, e.Author, e.At, e.Number == head.State,
			slices.Contains(head.Redo.V, e.Number),
		})
	}
	p := page(out, in.Limit, "/api/shots/"+in.ID+"/edits", fmt.Sprint(last))
	if p.Link == "" {
		p.Body = append(p.Body, editView{Label: "before the first change", Current: head.State == 0})
	}
	return p, problem(err)
}

// countable refuses changes of a shot whose frames are not counted yet: those of
// a source that is still being conformed.
func (s *server) countable(ctx context.Context, shot string) error {
	sh, err := s.Store.Shot(ctx, shot)
	if err != nil {
		return problem(err)
	}
	src, err := s.Store.Source(ctx, sh.Source)
	if err == nil && (src.Info.V.Conformed() || src.Damage == store.DamageTaken) &&
		(src.State == store.Queued || src.State == store.Conforming || src.State == store.Viewing && src.Info.V.Unproved()) {
		return huma.Error409Conflict("The source is still being conformed to a constant rate; its frames are counted " +
			"when that is done.")
	}
	return problem(err)
}

func (b BaseBody) on(ctx context.Context) store.On {
	return store.On{Base: b.Base, Author: asker(ctx), Key: b.Key}
}

func viewRevision(r store.Revision) revisionView {
	return revisionView{r.Number, r.Label, r.Author, r.At, r.State > 0, len(r.Redo.V) > 0, r.Document.Bare()}
}

func revised(r store.Revision, err error) (*body[revisionView], error) {
	if err != nil {
		return nil, problem(err)
	}
	return &body[revisionView]{viewRevision(r)}, nil
}

package server

import (
	"context"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/internal/sought"
	"celator/internal/store"
)

type soughtView struct {
	Mark    string `json:"mark"`
	Sources int    `json:"sources" doc:"that are looked through for it"`
}

func (s *server) registerMarks(api huma.API) {
	huma.Register(api, op("seekCover", http.MethodPost, "/api/shots/{id}/covers/{cover}/elsewhere",
		"Look for what a cover hides in the rest of the programme", 202), s.seekCover)
	huma.Register(api, op("seekPicture", http.MethodPost, "/api/items/{id}/marks",
		"Look for an item by a picture of it: PNG, JPEG or SVG", 202), s.seekPicture)
	huma.Register(api, op("stopSeek", http.MethodPost, "/api/marks/{id}/stop",
		"Let what is looked for by its picture rest; what was found stays", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.StopSeek(ctx, in.ID))
		})
	huma.Register(api, op("stopSeekIn", http.MethodPost, "/api/sources/{id}/seek/stop",
		"Look for nothing more by its picture in a source; what was found stays", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.EndSeek(ctx, in.ID, nil, store.Stopped, ""))
		})
	huma.Register(api, op("seekAgain", http.MethodPost, "/api/marks/{id}/again",
		"Go on looking for what was stopped or failed", 202),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.SeekAgain(ctx, in.ID))
		})
	huma.Register(api, op("removeMark", http.MethodDelete, "/api/marks/{id}",
		"Look for it no more; what was found by it and not decided goes too", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.RemoveMark(ctx, in.ID))
		})
}

// seekCover has what a cover hides looked for elsewhere, as it looks where it is seen largest.
func (s *server) seekCover(ctx context.Context, in *struct {
	ByID
	Cover string `path:"cover" maxLength:"200"`
},
) (*body[soughtView], error) {
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	c := head.Document.Find(in.Cover)
	if c == nil {
		return nil, problem(store.ErrNone)
	}
	switch {
	case c.Item == "":
		return nil, huma.Error422UnprocessableEntity("The cover is of no item of the list; give it one first.")
	case len(c.HoldsOut) > 0 || len(c.Outlines) == 0:
		return nil, huma.Error422UnprocessableEntity("It outlines nothing that is hidden.")
	}
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	m, err := sought.OfCover(ctx, r.clip, r.shot, head.Document, c)
	if err != nil {
		return nil, hopeless(err)
	}
	return s.seek(ctx, m)
}

// seekPicture has an item looked for by a picture of it.
func (s *server) seekPicture(ctx context.Context, in *struct {
	ByID
	Name    string `query:"name" maxLength:"200"`
	RawBody []byte `contentType:"application/octet-stream"`
},
) (*body[soughtView], error) {
	g, err := s.drawn(ctx, in.Name, in.RawBody)
	if err != nil {
		return nil, err
	}
	name := strings.TrimSpace(in.Name)
	if name == "" {
		name = "A picture"
	}
	m, err := sought.OfPicture(in.ID, name, g.PNG)
	if err != nil {
		return nil, hopeless(err)
	}
	return s.seek(ctx, m)
}

func (s *server) seek(ctx context.Context, m store.Mark) (*body[soughtView], error) {
	m.By = asker(ctx)
	n, err := s.Store.AddMark(ctx, m)
	return &body[soughtView]{soughtView{m.ID, n}}, problem(err)
}

// hopeless is an error of a surface that cannot be looked for, or the machine's.
func hopeless(err error) error {
	if sought.Hopeless(err) {
		return huma.Error422UnprocessableEntity(sentence(err))
	}
	return problem(err)
}

// markPicture answers with the picture that a thing is looked for by.
func (s *server) markPicture(w http.ResponseWriter, r *http.Request) {
	m, err := s.Store.Mark(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	w.Write(m.Picture)
}

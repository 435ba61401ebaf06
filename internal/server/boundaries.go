package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cut"
	"celator/internal/store"
)

// registerBoundaries enters where shots begin in a source, and cutting them.
func (s *server) registerBoundaries(api huma.API) {
	huma.Register(api, op("getBoundaries", http.MethodGet, "/api/sources/{id}/boundaries",
		"Where shots begin in a source", 200), func(ctx context.Context, in *ByID) (*body[boundaryView], error) {
		src, err := s.Store.Source(ctx, in.ID)
		v := boundaryView{src.Searched, src.Boundaries.V}
		if v.Boundaries == nil {
			v.Boundaries = []cut.Boundary{}
		}
		return &body[boundaryView]{v}, problem(err)
	})
	huma.Register(api, op("setBoundaries", http.MethodPut, "/api/sources/{id}/boundaries",
		"Correct where shots begin in a source", 204), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Boundaries []cut.Boundary `json:"boundaries" maxItems:"20000"`
		}
	},
	) (*struct{}, error) {
		if err := s.within(ctx, in.ID, in.Body.Boundaries); err != nil {
			return nil, err
		}
		return nil, problem(s.Store.SetBoundaries(ctx, in.ID, in.Body.Boundaries))
	})
	huma.Register(api, op("cutShots", http.MethodPost, "/api/sources/{id}/shots",
		"Make shots of a source, from each boundary to the next", 201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Boundaries []cut.Boundary `json:"boundaries" maxItems:"20000"`
		}
	},
	) (*body[[]store.Shot], error) {
		if err := s.within(ctx, in.ID, in.Body.Boundaries); err != nil {
			return nil, err
		}
		out, err := s.Store.CutShots(ctx, in.ID, in.Body.Boundaries)
		if errors.Is(err, store.ErrWorked) {
			return nil, huma.Error409Conflict(sentence(err))
		}
		return &body[[]store.Shot]{out}, problem(err)
	})
}

// within refuses boundaries that are not in order inside the source.
func (s *server) within(ctx context.Context, source string, all []cut.Boundary) error {
	src, err := s.Store.Source(ctx, source)
	if err != nil {
		return problem(err)
	}
	if src.State != store.Ready {
		return huma.Error409Conflict("The source is still being brought in.")
	}
	last := 0
	for _, b := range all {
		if b.Frame <= last || b.Frame >= src.Frames || b.From < 0 || b.From > b.Frame {
			return huma.Error422UnprocessableEntity(fmt.Sprintf(
				"A shot cannot begin at frame %d: boundaries lie in order inside the frames 1 to %d.", b.Frame, src.Frames-1))
		}
		last = b.Frame
	}
	return nil
}

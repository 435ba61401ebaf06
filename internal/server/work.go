package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"celator/internal/store"
)

// registerWork enters what is asked of the queue as a whole.
func (s *server) registerWork(api huma.API) {
	huma.Register(api, op("listWork", http.MethodGet, "/api/work",
		"What goes on and what waits for its turn, of all programmes", 200),
		func(ctx context.Context, _ *struct{}) (*body[[]store.Work], error) {
			all, err := s.Store.Work(ctx)
			return &body[[]store.Work]{all}, problem(err)
		})
	huma.Register(api, op("stopCheck", http.MethodPost, "/api/shots/{id}/check/stop",
		"Stop the check of a shot, until it is asked for again or the shot changes", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.StopCheck(ctx, in.ID))
		})
	huma.Register(api, op("stopSearch", http.MethodPost, "/api/sources/{id}/search/stop",
		"Stop looking for where shots begin in a source", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.StopSearch(ctx, in.ID))
	})
}

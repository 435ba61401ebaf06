package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"celator/internal/storage"
	"celator/internal/store"
)

// registerProgrammes enters what is asked of programmes and of the media folder.
func (s *server) registerProgrammes(api huma.API) {
	huma.Register(api, op("listProgrammes", http.MethodGet, "/api/programmes", "All programmes", 200),
		func(ctx context.Context, _ *struct{}) (*body[[]summaryView], error) {
			all, err := s.Store.Summaries(ctx)
			out := []summaryView{}
			for _, p := range all {
				out = append(out, summaryView{p, p.Counts()})
			}
			return &body[[]summaryView]{out}, problem(err)
		})
	huma.Register(api, op("addProgramme", http.MethodPost, "/api/programmes", "Make a programme", 201),
		func(ctx context.Context, in *body[struct {
			Name string `json:"name" minLength:"1" maxLength:"200"`
		}],
		) (*body[store.Programme], error) {
			p, err := s.Store.AddProgramme(ctx, in.Body.Name)
			return &body[store.Programme]{p}, problem(err)
		})
	huma.Register(api, op("getProgramme", http.MethodGet, "/api/programmes/{id}",
		"A programme with its sources, shots, items and deliveries", 200), s.programme)
	huma.Register(api, op("changeProgramme", http.MethodPut, "/api/programmes/{id}",
		"Name a programme, and say whether it lets out only what is settled", 204),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Name        string `json:"name" minLength:"1" maxLength:"200"`
				SettledOnly bool   `json:"settledOnly" doc:"nothing that is doubted goes out, but for review"`
			}
		},
		) (*struct{}, error) {
			return nil, problem(s.Store.ChangeProgramme(ctx, store.Programme{
				ID: in.ID, Name: in.Body.Name, SettledOnly: in.Body.SettledOnly,
			}))
		})
	huma.Register(api, op("orderShots", http.MethodPut, "/api/programmes/{id}/shot-order",
		"Put a programme's shots in an order; without ids, in the master's again", 204),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Shots []string `json:"shots" maxItems:"20000" uniqueItems:"true" doc:"ids; others go to the end"`
			}
		},
		) (*struct{}, error) {
			return nil, problem(s.Store.OrderShots(ctx, in.ID, in.Body.Shots))
		})
	huma.Register(api, op("listDrawings", http.MethodGet, "/api/programmes/{id}/drawings",
		"Footage of the demo that is being drawn for a programme", 200),
		func(ctx context.Context, in *ByID) (*body[[]store.Drawing], error) {
			all, err := s.Store.Drawings(ctx, in.ID)
			return &body[[]store.Drawing]{all}, problem(err)
		})
	huma.Register(api, op("stopDrawing", http.MethodDelete, "/api/drawings/{id}",
		"Draw footage of the demo no further", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.EndDrawing(ctx, in.ID))
	})
	huma.Register(api, op("retryDrawing", http.MethodPost, "/api/drawings/{id}/retry",
		"Draw footage of the demo again that failed", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.RetryDrawing(ctx, in.ID))
	})
	huma.Register(api, op("listMedia", http.MethodGet, "/api/media", "Clips in the server's media folder", 200),
		func(ctx context.Context, _ *struct{}) (*body[[]storage.MediaFile], error) {
			fs, err := s.Library.MediaFiles()
			return &body[[]storage.MediaFile]{fs}, problem(err)
		})
}

func (s *server) programme(ctx context.Context, in *ByID) (*body[programmeView], error) {
	p, err := s.Store.Programme(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	v := programmeView{Programme: p, Sources: []sourceView{}, Deliveries: []deliveryView{}}
	sources, err := s.Store.Sources(ctx, p.ID)
	if err != nil {
		return nil, problem(err)
	}
	for _, src := range sources {
		v.Sources = append(v.Sources, viewSource(src))
	}
	if v.Shots, err = s.Store.Shots(ctx, p.ID); err != nil {
		return nil, problem(err)
	}
	ds, err := s.Store.Deliveries(ctx, p.ID)
	if err != nil {
		return nil, problem(err)
	}
	handed, err := s.Store.Handovers(ctx, "", p.ID)
	if err != nil {
		return nil, problem(err)
	}
	for _, d := range ds {
		view := viewDelivery(d)
		for _, h := range handed {
			if h.Delivery == d.ID {
				view.Handovers = append(view.Handovers, h)
			}
		}
		v.Deliveries = append(v.Deliveries, view)
	}
	return &body[programmeView]{v}, nil
}

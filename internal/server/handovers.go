package server

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"celator/internal/store"
)

// Intake is where finished files can be handed over.
type Intake struct {
	Name    string `json:"name"`
	Address string `json:"-"` // http or a folder: whoever runs the program says it, nobody else
}

func (s *server) addHandover(ctx context.Context, in *struct {
	ByID
	Body struct {
		Intake string `json:"intake" maxLength:"200" doc:"its name"`
	}
},
) (*body[store.Handover], error) {
	i := slices.IndexFunc(s.Intakes, func(t Intake) bool { return t.Name == in.Body.Intake })
	if i < 0 {
		return nil, huma.Error422UnprocessableEntity("There is no intake of that name.")
	}
	d, err := s.Store.Delivery(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	if d.State != store.Done {
		return nil, huma.Error409Conflict("Only what is finished and verified is handed over.")
	}
	h := store.Handover{
		ID: store.NewID(), Delivery: d.ID, Intake: s.Intakes[i].Name, Address: s.Intakes[i].Address, By: asker(ctx),
	}
	if err := s.Store.AddHandover(ctx, h); err != nil {
		return nil, problem(err)
	}
	h, err = s.Store.Handover(ctx, h.ID)
	return &body[store.Handover]{h}, problem(err)
}

// registerHandovers enters what is asked of handing over.
func (s *server) registerHandovers(api huma.API) {
	huma.Register(api, op("listIntakes", http.MethodGet, "/api/intakes", "Where finished files can be handed over", 200),
		func(context.Context, *struct{}) (*body[[]Intake], error) {
			return &body[[]Intake]{append([]Intake{}, s.Intakes...)}, nil
		})
	huma.Register(api, op("addHandover", http.MethodPost, "/api/deliveries/{id}/handovers",
		"Hand a finished delivery over to an intake", 201), s.addHandover)
	huma.Register(api, op("cancelHandover", http.MethodPost, "/api/handovers/{id}/cancel",
		"Hand over no further", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		h, err := s.Store.Handover(ctx, in.ID)
		if err == nil {
			err = s.Store.EndHandover(ctx, h, store.Cancelled, "")
		}
		return nil, problem(err)
	})
}

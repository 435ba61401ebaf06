package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/clearance"
	"celator/internal/store"
)

// registerShots enters what is asked of a shot as it stands.
func (s *server) registerShots(api huma.API) {
	huma.Register(api, op("getShot", http.MethodGet, "/api/shots/{id}", "A shot with its newest revision", 200), s.shot)
	huma.Register(api, op("addItem", http.MethodPost, "/api/shots/{id}/items", "Enter an item of the clearance list",
		201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"200"`
			Kind string `json:"kind" enum:"plate,logo,sign,number,text,face,speech,other"`
		}
	},
	) (*body[store.Item], error) {
		item := clearance.Details{Name: in.Body.Name, Kind: in.Body.Kind}
		if err := item.Tidy(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		it, err := s.Store.AddItem(ctx, in.ID, item)
		return &body[store.Item]{it}, problem(err)
	})
	huma.Register(api, op("looked", http.MethodPost, "/api/shots/{id}/looks",
		"Enter that a cover was looked at and found right", 204), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Cover  string         `json:"cover" pattern:"^[A-Za-z0-9._-]{1,64}$"`
			Frames map[int]string `json:"frames" maxProperties:"100000" doc:"the cover's digest by frame"`
		}
	},
	) (*struct{}, error) {
		for f, d := range in.Body.Frames {
			if f < 0 || len(d) > 32 {
				return nil, huma.Error422UnprocessableEntity("A frame is not below 0 and a digest not longer than 32 letters.")
			}
		}
		return nil, problem(s.Store.Looked(ctx, in.ID, in.Body.Cover, asker(ctx), in.Body.Frames))
	})
	huma.Register(api, op("listLooks", http.MethodGet, "/api/shots/{id}/looks", "What was looked at", 200),
		func(ctx context.Context, in *ByID) (*body[store.Looks], error) {
			l, err := s.Store.Looks(ctx, in.ID)
			return &body[store.Looks]{l}, problem(err)
		})
	huma.Register(api, op("getPatch", http.MethodGet, "/api/shots/{id}/patches/{revision}/{frame}",
		"What the covers of a revision change of a view frame", 200), s.patch)
	huma.Register(api, op("getSound", http.MethodGet, "/api/shots/{id}/sound/{revision}",
		"Some seconds of a shot's sound as a revision delivers it, a wave file; voices by another chance", 200), s.sound)
	huma.Register(api, op("previewPatch", http.MethodPost, "/api/shots/{id}/preview",
		"The same after commands that are not saved", 200), s.previewPatch)
	huma.Register(api, op("playing", http.MethodPost, "/api/shots/{id}/playing",
		"Say, about once a second, that a shot is being played: what nobody waits for gives way", 204),
		func(context.Context, *ByID) (*struct{}, error) {
			if s.Patches != nil {
				s.Patches.Frames.Touch(goesOn)
			}
			return nil, nil
		})
}

func (s *server) shot(ctx context.Context, in *ByID) (*body[shotView], error) {
	sh, src, err := s.Store.WithSource(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	p, err := s.Store.Programme(ctx, sh.Programme)
	if err != nil {
		return nil, problem(err)
	}
	items, err := s.Store.ItemsOf(ctx, sh.ID)
	if err != nil {
		return nil, problem(err)
	}
	appearances, err := s.Store.AppearancesIn(ctx, sh.ID)
	if err != nil {
		return nil, problem(err)
	}
	looks, err := s.Store.Looks(ctx, sh.ID)
	if err != nil {
		return nil, problem(err)
	}
	rev, err := s.Store.Head(ctx, sh.ID)
	if err != nil {
		return nil, problem(err)
	}
	return &body[shotView]{shotView{
		Shot: sh, SourceInfo: viewSource(src), ProgrammeName: p.Name, Items: items,
		Appearances: appearances, Revision: viewRevision(rev), Looks: looks,
	}}, nil
}

package server

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/store"
)

// presetView is a way of delivering a source.
type presetView struct {
	media.Recipe
	House bool `json:"house" doc:"made here, for all programmes"`
	// What is made for review may go out before it is settled.
	ForReview bool     `json:"forReview"`
	Refusal   string   `json:"refusal,omitempty" doc:"why it does not take this source"`
	Changes   []string `json:"changes" doc:"what of the pictures and the sound is another in the delivery, in words"`
	Left      leftView `json:"left" doc:"what the source holds that the delivery does not"`
}

func viewPreset(r media.Recipe, house bool, i media.Info) (presetView, error) {
	p, err := r.Preset()
	if err != nil {
		return presetView{}, err
	}
	v := presetView{
		Recipe: r, House: house, ForReview: p.ForReview(), Changes: append([]string{}, p.Changes(i)...),
		Left: leftView{append([]string{}, p.Left(i, true)...), append([]string{}, p.Left(i, false)...)},
	}
	if err := p.Fits(i); err != nil {
		v.Refusal = sentence(err)
	}
	return v, nil
}

// same is the way of coding a source again as it is.
func same(i media.Info) presetView {
	v := presetView{
		Recipe:  media.Recipe{Name: media.SourcePreset, Title: "As the source"},
		Changes: []string{}, Left: leftView{[]string{}, []string{}},
	}
	p, err := i.Same()
	if err != nil {
		v.Refusal = sentence(err)
		return v
	}
	v.Title, v.Container = p.Title, strings.TrimPrefix(p.Ending, ".")
	v.Changes = append(v.Changes, p.Changes(i)...)
	v.Left = leftView{append([]string{}, p.Left(i, true)...), append([]string{}, p.Left(i, false)...)}
	return v
}

// presets lists the ways in which a source can be delivered.
func (s *server) presets(ctx context.Context, in *ByID) (*body[[]presetView], error) {
	src, err := s.Store.Source(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	out := []presetView{}
	add := func(r media.Recipe, house bool) error {
		v, err := viewPreset(r, house, src.Info.V)
		out = append(out, v)
		return err
	}
	out = append(out, same(src.Info.V))
	for _, r := range media.Recipes {
		if err := add(r, false); err != nil {
			return nil, problem(err)
		}
	}
	house, err := s.Store.Presets(ctx)
	if err != nil {
		return nil, problem(err)
	}
	for _, p := range house {
		if err := add(p.Recipe.V, true); err != nil { // made by a version that could write it
			s.Log.Warn("a house preset cannot be made", "preset", p.Name, "error", err)
			out = out[:len(out)-1]
		}
	}
	return &body[[]presetView]{out}, nil
}

// way is the preset of a name that a source is delivered by, with its recipe where it is the house's.
func (s *server) way(ctx context.Context, name string, i media.Info) (media.Preset, *media.Recipe, error) {
	if _, ok := media.Presets[name]; !ok && i.Still == "" {
		r, err := s.Store.Recipe(ctx, name)
		if err == nil {
			p, err := r.Preset()
			if err == nil {
				err = p.Fits(i)
			}
			return p, &r, err
		}
		if !errors.Is(err, store.ErrNone) {
			return media.Preset{}, nil, err
		}
	}
	p, err := i.For(name)
	return p, nil, err
}

// savePreset tries a house preset and keeps it.
func (s *server) savePreset(ctx context.Context, in *struct {
	Name string `path:"name"`
	Body media.Recipe
},
) (*body[media.Recipe], error) {
	r := in.Body
	if _, ours := media.Presets[r.Name]; ours || r.Name == "still" || r.Name != in.Name {
		return nil, huma.Error422UnprocessableEntity("A preset of this name comes with the program, or the names differ.")
	}
	if err := r.Validate(); err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	done, err := s.pictures.take(ctx, person(ctx))
	if err != nil {
		return nil, problem(err)
	}
	defer done()
	free, err := s.Budget.Children.Hold(ctx, budget.Soon, tryMemory)
	if err != nil {
		return nil, problem(err)
	}
	defer free()
	if err := deliver.Try(ctx, r); err != nil {
		if ctx.Err() == nil && !fault.IsMachine(err) {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		return nil, problem(err)
	}
	return &body[media.Recipe]{r}, problem(s.Store.SavePreset(ctx, r, asker(ctx)))
}

// tryMemory is what an encoder takes for small pictures, bytes.
const tryMemory = 512 << 20

// registerPresets enters what is asked of presets.
func (s *server) registerPresets(api huma.API) {
	huma.Register(api, op("listPresets", http.MethodGet, "/api/sources/{id}/presets",
		"The ways in which a source can be delivered", 200), s.presets)
	huma.Register(api, op("savePreset", http.MethodPut, "/api/presets/{name}",
		"Make or change a house preset; some pictures are written by it first", 200), s.savePreset)
	huma.Register(api, op("removePreset", http.MethodDelete, "/api/presets/{name}", "Remove a house preset", 204),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
		},
		) (*struct{}, error) {
			return nil, problem(s.Store.RemovePreset(ctx, in.Name))
		})
}

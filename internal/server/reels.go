package server

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"celator/internal/deliver"
	"celator/internal/jobs"
	"celator/internal/media"
	"celator/internal/store"
)

type reelBody struct {
	Shots   []string `json:"shots" minItems:"2" maxItems:"1000" doc:"in the order in which they go into the file"`
	Preset  string   `json:"preset" maxLength:"40" doc:"of those of their sources, but none that copies coded pictures"`
	Name    string   `json:"name,omitempty" maxLength:"120" doc:"of the file, without its ending; the programme's where it is empty"`
	Despite bool     `json:"despite,omitempty" doc:"deliver although there are doubts (contents)"`
}

// chosen is what is known of shots that go out together.
type chosen struct {
	shots    []store.Shot
	sources  []store.Source
	contents []store.Content
	parts    []deliver.Part // by their sources' frames
}

// choose finds shots of a programme, and their sources.
func (s *server) choose(ctx context.Context, programme string, ids []string) (c chosen, err error) {
	asked := map[string]bool{}
	for _, id := range ids {
		sh, src, err := s.Store.WithSource(ctx, id)
		if err == nil && sh.Programme != programme {
			err = store.ErrNone
		}
		if err != nil {
			return c, err
		}
		if asked[id] {
			return c, huma.Error422UnprocessableEntity(fmt.Sprintf("The shot %s stands in the list twice.", sh.Name))
		}
		asked[id] = true
		c.shots, c.sources = append(c.shots, sh), append(c.sources, src)
	}
	return c, nil
}

// reel makes the jobs of chosen shots.
func (s *server) reel(ctx context.Context, c chosen, preset string) (deliver.Reel, *media.Recipe, error) {
	var all []deliver.Job
	var recipe *media.Recipe
	for i, src := range c.sources {
		if src.State != store.Ready {
			return nil, nil, huma.Error409Conflict(fmt.Sprintf("%s is still being brought in.", src.Name))
		}
		j := deliver.Job{Last: c.shots[i].Frames - 1, Original: src.Info.V, Parts: deliver.Whole(c.parts[i].Document)}
		var err error
		if j.Preset, recipe, err = s.way(ctx, preset, src.Info.V); err != nil {
			return nil, nil, huma.Error422UnprocessableEntity(c.shots[i].Name + ": " + sentence(err))
		}
		if j.Clip, _, err = s.Library.Shot(c.shots[i], src); err == nil {
			j.Sound, err = s.Library.SourcePath(src)
		}
		if err != nil {
			return nil, nil, err
		}
		if err := deliver.Fits(c.parts[i].Document, j.Clip.Info, c.shots[i].Frames); err != nil {
			return nil, nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		all = append(all, j)
	}
	r, err := deliver.NewReel(all)
	if err != nil {
		return nil, nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	return r, recipe, nil
}

func (s *server) addReel(ctx context.Context, in *struct {
	ByID
	Body reelBody
},
) (*body[deliveryView], error) {
	p, err := s.Store.Programme(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	c, err := s.choose(ctx, p.ID, in.Body.Shots)
	if err == nil {
		c.contents, c.parts, err = s.contents(ctx, p.ID, c.shots)
	}
	if err != nil {
		return nil, problem(err)
	}
	r, recipe, err := s.reel(ctx, c, in.Body.Preset)
	if err != nil {
		return nil, problem(err)
	}
	preset := r[0].Preset
	if err := s.allowed(ctx, p.ID, c.contents, preset, in.Body.Despite); err != nil {
		return nil, err
	}
	d := store.Delivery{
		ID: store.NewID(), Source: c.sources[0].ID, Reel: true, Preset: preset.Name, Frames: r.Frames(),
		State: store.Queued, Created: time.Now(), Name: fileName(in.Body.Name, p.Name, "reel", false, preset),
	}
	d.Recipe.V, d.Contents.V = recipe, c.contents
	err = s.planned(ctx, d, &r[0], func() ([]store.Segment, error) { return jobs.PlanReel(ctx, c.shots, c.sources, r) })
	return &body[deliveryView]{viewDelivery(d)}, problem(err)
}

// registerReels enters what is asked of shots that go out one after another.
func (s *server) registerReels(api huma.API) {
	huma.Register(api, op("getChosenContents", http.MethodGet, "/api/programmes/{id}/contents",
		"What a delivery of some of a programme's shots holds, as they are now", 200),
		func(ctx context.Context, in *struct {
			ByID
			Shots []string `query:"shots,explode" required:"true" maxItems:"1000"`
		},
		) (*body[contentsView], error) {
			c, err := s.choose(ctx, in.ID, in.Shots)
			if err != nil {
				return nil, problem(err)
			}
			return s.viewContents(ctx, in.ID, c.shots)
		})
	huma.Register(api, op("addReel", http.MethodPost, "/api/programmes/{id}/deliveries",
		"Render, verify and keep shots one after another as one file", 201), s.addReel)
}

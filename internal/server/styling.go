package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/fault"
	"celator/internal/graphic"
	"celator/internal/store"
)

// styleView is a house style.
type styleView struct {
	ID    string      `json:"id"`
	Name  string      `json:"name"`
	Kinds []string    `json:"kinds" doc:"of items that get it when they are covered"`
	Style cover.Style `json:"style"`
}

type styleBody struct {
	Name  string      `json:"name" minLength:"1" maxLength:"120"`
	Kinds []string    `json:"kinds" maxItems:"7"`
	Style cover.Style `json:"style"`
}

// followed says what a change of a style did.
type followedView struct {
	Style  styleView `json:"style"`
	Covers int       `json:"covers" doc:"that were changed"`
	Shots  int       `json:"shots" doc:"in which they are"`
}

func viewStyle(s store.Style) styleView { return styleView{s.ID, s.Name, s.Kinds.V, s.Style.V} }

func (b *styleBody) check() error {
	b.Name = strings.TrimSpace(b.Name)
	if b.Name == "" {
		return huma.Error422UnprocessableEntity("A style needs a name.")
	}
	for _, k := range b.Kinds {
		if !slices.Contains(clearance.ItemKinds, k) {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("There is no kind of item %q.", k))
		}
	}
	for _, t := range b.Style.Treatments {
		if t.Graphic != "" {
			return huma.Error422UnprocessableEntity("A style cannot hold a graphic: graphics belong to a shot.")
		}
	}
	if err := b.Style.Validate(); err != nil {
		return huma.Error422UnprocessableEntity(sentence(err))
	}
	return nil
}

func (s *server) registerStyling(api huma.API) {
	huma.Register(api, op("listStyles", http.MethodGet, "/api/programmes/{id}/styles",
		"The house styles of a programme", 200), func(ctx context.Context, in *ByID) (*body[[]styleView], error) {
		all, err := s.Store.Styles(ctx, in.ID)
		out := []styleView{}
		for _, st := range all {
			out = append(out, viewStyle(st))
		}
		return &body[[]styleView]{out}, problem(err)
	})
	huma.Register(api, op("addStyle", http.MethodPost, "/api/programmes/{id}/styles", "Make a house style", 201),
		func(ctx context.Context, in *struct {
			ByID
			Body styleBody
		},
		) (*body[styleView], error) {
			if err := in.Body.check(); err != nil {
				return nil, err
			}
			if _, err := s.Store.Programme(ctx, in.ID); err != nil {
				return nil, problem(err)
			}
			st, err := s.Store.AddStyle(ctx, store.Style{
				Programme: in.ID, Name: in.Body.Name, Kinds: store.JSON[[]string]{V: in.Body.Kinds},
				Style: store.JSON[cover.Style]{V: in.Body.Style},
			})
			return &body[styleView]{viewStyle(st)}, problem(err)
		})
	huma.Register(api, op("changeStyle", http.MethodPut, "/api/styles/{id}",
		"Change a house style, and every cover that follows it without deviating", 200),
		func(ctx context.Context, in *struct {
			ByID
			Body styleBody
		},
		) (*body[followedView], error) {
			if err := in.Body.check(); err != nil {
				return nil, err
			}
			old, err := s.Store.Style(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			now := old
			now.Name, now.Kinds.V, now.Style.V = in.Body.Name, in.Body.Kinds, in.Body.Style
			now, n, err := s.Store.ChangeStyle(ctx, now, asker(ctx))
			return &body[followedView]{followedView{viewStyle(now), n.Covers, n.Shots}}, problem(err)
		})
	huma.Register(api, op("applyStyle", http.MethodPost, "/api/styles/{id}/apply",
		"Give a house style to every cover of its kinds of item", 200),
		func(ctx context.Context, in *ByID) (*body[followedView], error) {
			st, n, err := s.Store.ApplyStyle(ctx, in.ID, asker(ctx))
			return &body[followedView]{followedView{viewStyle(st), n.Covers, n.Shots}}, problem(err)
		})
	huma.Register(api, op("removeStyle", http.MethodDelete, "/api/styles/{id}",
		"Remove a house style; covers keep what they have", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.RemoveStyle(ctx, in.ID))
	})
	huma.Register(api, op("addGraphic", http.MethodPost, "/api/graphics", "Bring in a PNG, JPEG or SVG for patches",
		201), s.addGraphic)
	huma.Register(api, op("getGraphic", http.MethodGet, "/api/graphics/{id}", "A graphic, as PNG", 200),
		func(ctx context.Context, in *struct {
			ID string `path:"id" pattern:"^[0-9a-f]{32}$"`
		},
		) (*graphicOut, error) {
			b, err := s.Store.Graphic(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			return &graphicOut{"image/png", "private, max-age=31536000, immutable", b}, nil
		})
	huma.Register(api, op("showsThrough", http.MethodPost, "/api/shots/{id}/through",
		"How much of the picture can be made out through a cover at a frame, with commands that are not saved", 200),
		s.through)
}

// addGraphic reads a picture in a process of its own, one at a time for each person.
func (s *server) addGraphic(ctx context.Context, in *struct {
	Name    string `query:"name" maxLength:"200"`
	RawBody []byte `contentType:"application/octet-stream"`
},
) (*body[cover.Graphic], error) {
	g, err := s.drawn(ctx, in.Name, in.RawBody)
	if err != nil {
		return nil, err
	}
	g.ID, err = s.Store.AddGraphic(ctx, g.PNG)
	g.PNG = nil
	return &body[cover.Graphic]{g}, problem(err)
}

// drawn makes a graphic of a stranger's picture.
func (s *server) drawn(ctx context.Context, name string, b []byte) (cover.Graphic, error) {
	done, err := s.pictures.take(ctx, person(ctx))
	if err != nil {
		return cover.Graphic{}, problem(err)
	}
	defer done()
	free, err := s.Budget.Children.Hold(ctx, budget.Soon, graphic.Memory)
	if err != nil {
		return cover.Graphic{}, problem(err)
	}
	defer free()
	g, err := graphic.Read(ctx, name, b)
	if err != nil && ctx.Err() == nil && !fault.IsMachine(err) {
		return g, huma.Error422UnprocessableEntity(sentence(err))
	}
	return g, problem(err)
}

type graphicOut struct {
	ContentType  string `header:"Content-Type"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

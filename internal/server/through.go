package server

import (
	"context"
	"fmt"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/check"
	"celator/core/cover"
	"celator/core/treat"
	"celator/internal/budget"
)

// throughView is what can be made out through a cover, and what of it a patch leaves bare.
type throughView struct {
	check.Through
	From float64 `json:"from" doc:"the detail from which lettering can be read"`
	Bare float64 `json:"bare" doc:"the share of the outline that no patch reaches, where it has one"`
}

// through conceals a frame by one cover and tries to make out what it hides.
func (s *server) through(ctx context.Context, in *struct {
	ByID
	Body struct {
		EditBodyAny
		Frame cover.Time `json:"frame" minimum:"0"`
		Cover string     `json:"cover"`
	}
},
) (*body[throughView], error) {
	doc, err := s.revision(ctx, in.ID, in.Body.Base)
	if err != nil {
		return nil, err
	}
	if len(in.Body.Commands) > 0 {
		if doc, err = s.drafted(ctx, doc, in.Body.Commands); err != nil {
			return nil, err
		}
	}
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	t := in.Body.Frame
	f := t.Frame()
	if f >= r.shot.Frames {
		return nil, huma.Error404NotFound(fmt.Sprintf("The shot has no frame %d.", f))
	}
	live := slices.DeleteFunc(doc.At(t), func(l cover.Live) bool { return l.Cover != in.Body.Cover })
	if len(live) == 0 {
		return &body[throughView]{throughView{From: check.ReadableFrom}}, nil
	}
	was, err := s.Patches.Frames.Get(ctx, budget.Soon, r.id, r.clip, f)
	if err != nil {
		return nil, problem(err)
	}
	known, err := s.Patches.References.Make(ctx, r.id, r.clip, doc, cover.Span{First: f, Last: f})
	if err != nil {
		return nil, problem(err)
	}
	free, err := s.Budget.Pictures.Hold(ctx, budget.Soon, 4*int64(len(was.Data)))
	if err != nil {
		return nil, problem(err)
	}
	defer free()
	turn, err := s.Budget.Processor.Hold(ctx, budget.Soon, 1)
	if err != nil {
		return nil, problem(err)
	}
	defer turn()
	was = treat.FieldAt(was, t)
	now := was.Clone()
	mattes := treat.Conceal(now, live, known)
	out := throughView{From: check.ReadableFrom}
	if len(mattes) > 0 && !live[0].Inverted {
		out.Through = check.SeeThrough(was, now, check.Hidden(live[0], was.Width, was.Height))
	}
	for _, t := range live[0].Treatments {
		if g := doc.GraphicOf(t.Graphic); t.Kind == cover.Patch && g != nil {
			out.Bare = max(out.Bare, live[0].Uncovered(t, g.Width, g.Height))
		}
	}
	return &body[throughView]{out}, nil
}

// EditBodyAny is an edit that may have no commands.
type EditBodyAny struct {
	Base     int            `json:"base" minimum:"0" doc:"the revision that the commands were made on"`
	Commands cover.Commands `json:"commands,omitempty" maxItems:"1000"`
}

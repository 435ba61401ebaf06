package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/media"
	"celator/internal/preview"
	"celator/internal/store"
)

// readable is a shot, its source, once it is ready, and what is read of it.
type readable struct {
	shot store.Shot
	src  store.Source
	clip media.Clip
	id   string // of those frames
}

// reading returns a shot's source; a ready one is remembered.
func (s *server) reading(ctx context.Context, shot string) (readable, error) {
	if r, ok := s.shots.Get(shot); ok {
		return r, nil
	}
	sh, src, err := s.Store.WithSource(ctx, shot)
	if err != nil {
		return readable{}, problem(err)
	}
	if src.State == store.Failed || src.State == store.Queued || src.State == store.Conforming {
		return readable{}, huma.Error409Conflict("The source cannot be read yet.")
	}
	clip, id, err := s.Library.Shot(sh, src)
	if err != nil {
		return readable{}, problem(err)
	}
	r := readable{sh, src, clip, id}
	if src.State == store.Ready {
		s.shots.Add(shot, r)
	}
	return r, nil
}

type revisionKey struct {
	shot   string
	number int
}

// revision returns a revision's document, which never changes and is remembered.
func (s *server) revision(ctx context.Context, shot string, number int) (*cover.Document, error) {
	k := revisionKey{shot, number}
	if d, ok := s.documents.Get(k); ok {
		return d, nil
	}
	rev, err := s.Store.At(ctx, shot, number)
	if err != nil {
		return nil, problem(err)
	}
	if number > 0 {
		s.documents.Add(k, rev.Document)
	}
	return rev.Document, nil
}

// wish is how a patch is wanted.
type wish struct {
	full, matte, quick, woven bool
	class                     budget.Class
}

// make returns the patch of a document's covers at a frame of a shot.
func (s *server) make(ctx context.Context, shot string, doc *cover.Document, t cover.Time, as wish) (*patchOut, error) {
	r, err := s.reading(ctx, shot)
	if err != nil {
		return nil, err
	}
	if _, err := cover.ParseTime(t.String(), r.shot.Frames); err != nil {
		return nil, huma.Error404NotFound(fmt.Sprintf("The shot has no frame %v.", t))
	}
	ask := preview.Request{ID: r.id, Clip: r.clip, Time: t, Woven: as.woven, Document: doc, Class: as.class}
	ask.Size.W, ask.Size.H = r.clip.Info.ViewSize()
	ask.Matte = as.matte
	if as.full {
		ask.Size = preview.Size{W: r.clip.Info.Width, H: r.clip.Info.Height}
	}
	if as.quick && !as.full {
		ask.Quick = media.View(s.Library.Dir(r.src.ID), cover.Time(r.shot.First)+t)
	}
	begun := time.Now()
	p, err := s.Patches.Make(ctx, ask)
	if err != nil {
		return nil, problem(err)
	}
	if s.patches != nil {
		kind := map[bool]string{true: "quick", false: "exact"}[p.Quick]
		if as.class == budget.Later {
			kind = "ahead"
		}
		s.patches.WithLabelValues(kind).Observe(time.Since(begun).Seconds())
	}
	out := &patchOut{
		Status: http.StatusOK, ContentType: "application/octet-stream",
		CacheControl: "private, max-age=86400, immutable", Regions: p.Header(), Body: p.Pix,
	}
	if p.Quick {
		out.Quick, out.CacheControl = "true", "no-store"
	}
	if len(p.Pix) == 0 {
		out.Status, out.ContentType = http.StatusNoContent, ""
	}
	return out, nil
}

func (s *server) patch(ctx context.Context, in *struct {
	ByID
	Revision int     `path:"revision" minimum:"0"`
	Frame    float64 `path:"frame" minimum:"0" doc:"or a half more, for its second field"`
	Full     bool    `query:"full" doc:"at the source's size instead of the view's"`
	Matte    bool    `query:"matte" doc:"the combined matte, as grey, instead of the concealed picture"`
	Woven    bool    `query:"woven" doc:"of interlaced pictures both fields of the frame, instead of one"`
	Prepare  bool    `query:"prepare" doc:"make it and keep it at hand, but send nothing"`
	Quick    bool    `query:"quick" doc:"where the decoded frame is not at hand, treat the view frame instead and say so"`
},
) (*patchOut, error) {
	doc, err := s.revision(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, err
	}
	as := wish{in.Full, in.Matte, in.Quick && !in.Prepare, in.Woven, budget.Soon}
	switch {
	case in.Prepare:
		as.class = budget.Later
	case as.quick:
		as.class = budget.Now
	}
	out, err := s.make(ctx, in.ID, doc, cover.Time(in.Frame), as)
	if err == nil && in.Prepare {
		return &patchOut{Status: http.StatusNoContent, CacheControl: "no-store"}, nil
	}
	return out, err
}

func (s *server) previewPatch(ctx context.Context, in *struct {
	ByID
	Body struct {
		EditBody
		Frame cover.Time `json:"frame" minimum:"0"`
		Woven bool       `json:"woven,omitempty" doc:"of interlaced pictures both fields of the frame, instead of one"`
		Full  bool       `json:"full,omitempty"`
		Matte bool       `json:"matte,omitempty"`
		Exact bool       `json:"exact,omitempty" doc:"wait for what is exact, however long that takes"`
	}
},
) (*patchOut, error) {
	base, err := s.revision(ctx, in.ID, in.Body.Base)
	if err != nil {
		return nil, err
	}
	doc, err := s.drafted(ctx, base, in.Body.Commands)
	if err != nil {
		return nil, err
	}
	out, err := s.make(ctx, in.ID, doc, in.Body.Frame, wish{
		in.Body.Full, in.Body.Matte, !in.Body.Exact, in.Body.Woven, budget.Now,
	})
	if err == nil {
		out.CacheControl = "no-store"
	}
	return out, err
}

// drafted returns a document with commands that are not saved.
func (s *server) drafted(ctx context.Context, base *cover.Document, cmds []cover.Command) (*cover.Document, error) {
	doc, _, err := base.Apply(cmds...)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	if slices.ContainsFunc(cmds, func(c cover.Command) bool { _, is := c.(cover.SetGraphic); return is }) {
		err = s.Store.AttachGraphics(ctx, doc)
	}
	return doc, problem(err)
}

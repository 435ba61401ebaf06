package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cadence"
	"celator/internal/budget"
	"celator/internal/jobs"
	"celator/internal/media"
	"celator/internal/store"
)

func viewSource(src store.Source) sourceView {
	v := sourceView{
		ID: src.ID, Programme: src.Programme, Name: src.Name, State: src.State, Error: src.Error, Waiting: src.Waiting,
		Damage: src.Damage, Frames: src.Frames, Views: src.Views, Info: src.Info.V, Notes: []string{}, Created: src.Created,
	}
	i := src.Info.V
	v.Info.Coded.Groups = nil // of which long films have thousands
	v.ViewW, v.ViewH = i.ViewSize()
	note := func(format string, a ...any) { v.Notes = append(v.Notes, fmt.Sprintf(format, a...)) }
	if i.Still != "" {
		note("It is a still picture: a shot of one frame, delivered as %s.", strings.ToUpper(i.Still))
		return v
	}
	if src.Damage == store.DamageTaken && i.Damage != nil {
		note("It is damaged and was taken as it is, with %s. Deliveries have these pictures too, and say so.",
			inWords(i.Damage.Words()))
	}
	switch {
	case i.Variable:
		note("Its frame rate varies. It is conformed to a constant %.5g frames a second in a lossless copy; frames "+
			"are counted there.", i.Rate.Float())
	case src.ReadInfo.V != nil && !i.Indexed:
		note("Its container has no index. A lossless copy was made in which every frame can be reached.")
	}
	if i.Rotation != 0 {
		note("It asks to be turned by %d° and is shown and delivered upright.", i.Rotation)
	}
	if i.Pixel.Num != i.Pixel.Den {
		note("Its pixels are not square (%d:%d). They are shown in their true shape and kept in deliveries.", i.Pixel.Num,
			i.Pixel.Den)
	}
	if i.Tags.Space == "" {
		note("It carries no colour matrix tag; %s is assumed for display.",
			map[string]string{"bt601": "BT.601", "bt709": "BT.709"}[string(i.Matrix)])
	}
	if first := i.First(); first != "" {
		note("It is interlaced, %s field first, and is delivered so: each field is covered at its own time.", first)
	}
	if len(i.Cadence) > 0 {
		note("It was telecined (2:3 pulldown) on %s: of every five frames two are woven of two pictures of film. It "+
			"is kept so; covers go by its fields.", pulled(i.Cadence, src.Frames))
	}
	if i.Film {
		note("Its pictures are film's, %.5g a second, marked to be shown by turns for two and three fields. They are "+
			"taken, and delivered, as pictures of their own.", i.Rate.Float())
	}
	if left := media.Presets["archive"].Left(i, true); len(left) > 0 {
		note("It also holds %s, which no delivery carries.", inWords(left))
	}
	return v
}

// pulled says on which frames a source was telecined.
func pulled(stretches []cadence.Stretch, frames int) string {
	if s := stretches[0]; len(stretches) == 1 && (s.Last-s.First)*10 > frames*9 {
		return "all of its frames"
	}
	var list []string
	for i, s := range stretches {
		if i == mostNamed {
			list = append(list, fmt.Sprintf("%d more stretches", len(stretches)-i))
			break
		}
		list = append(list, fmt.Sprintf("frames %d to %d", s.First, s.Last))
	}
	return inWords(list)
}

// mostNamed is how many stretches a note names.
const mostNamed = 8

// inWords joins names for people.
func inWords(names []string) string {
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
	return names[0]
}

// admit adds a source when there is memory for reading it, one at a time for each person.
func (s *server) admit(ctx context.Context, src store.Source) (store.Source, store.Shot, error) {
	path, err := s.Library.SourcePath(src)
	if err != nil {
		return src, store.Shot{}, err
	}
	done, err := s.pictures.take(ctx, person(ctx))
	if err != nil {
		return src, store.Shot{}, err
	}
	defer done()
	free, err := s.Budget.Children.Hold(ctx, budget.Soon, media.ProbeMemory(path))
	if err != nil {
		return src, store.Shot{}, err
	}
	defer free()
	return jobs.AddSource(ctx, s.Store, s.Library, src)
}

func (s *server) addSource(ctx context.Context, in *struct {
	ByID
	Body struct {
		Media  string `json:"media,omitempty" doc:"a path of the media folder"`
		Upload string `json:"upload,omitempty" doc:"the last part of a finished upload's address"`
		SHA256 string `json:"sha256,omitempty" pattern:"^[0-9a-fA-F]{64}$" doc:"of the file that was uploaded; it is taken only when it is the same"`
		Name   string `json:"name,omitempty" maxLength:"200"`
	}
},
) (*body[sourceView], error) {
	if _, err := s.Store.Programme(ctx, in.ID); err != nil {
		return nil, problem(err)
	}
	b := in.Body
	if (b.Media == "") == (b.Upload == "") {
		return nil, huma.Error422UnprocessableEntity("Give either a path of the media folder or an upload.")
	}
	src := store.Source{ID: store.NewID(), Programme: in.ID, Name: b.Name, Place: "media", Path: b.Media}
	if src.Name == "" {
		src.Name = filepath.Base(b.Media)
	}
	if b.Upload != "" {
		src.Place, src.Path = "store", "source"+strings.ToLower(filepath.Ext(filepath.Base(b.Name)))
		if strings.ContainsFunc(src.Path, func(r rune) bool { return r > unicode.MaxASCII || r < '!' || r == '%' }) {
			src.Path = "source"
		}
		if err := s.Library.TakeUpload(b.Upload, src.ID, src.Path, b.SHA256); err != nil {
			s.Library.Remove(src.ID)
			return nil, problem(err)
		}
	}
	added, _, err := s.admit(ctx, src)
	if err != nil {
		if b.Upload != "" { // the upload itself stays
			s.Library.Remove(src.ID)
		}
		if errors.Is(err, media.ErrGone) { // it was named, not lost
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		return nil, problem(err)
	}
	src = added
	if b.Upload != "" {
		s.Library.DropUpload(b.Upload)
	}
	return &body[sourceView]{viewSource(src)}, nil
}

// registerSources enters what is asked of sources.
func (s *server) registerSources(api huma.API) {
	huma.Register(api, op("addSource", http.MethodPost, "/api/programmes/{id}/sources",
		"Bring in a file of the media folder or a finished upload", 201), s.addSource)
	huma.Register(api, op("getSource", http.MethodGet, "/api/sources/{id}", "A source", 200),
		func(ctx context.Context, in *ByID) (*body[sourceView], error) {
			src, err := s.Store.Source(ctx, in.ID)
			return &body[sourceView]{viewSource(src)}, problem(err)
		})
	huma.Register(api, op("removeSource", http.MethodDelete, "/api/sources/{id}",
		"Take a source and its shots out; a file in the media folder stays", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			if err := s.Store.RemoveSource(ctx, in.ID); err != nil {
				return nil, problem(err)
			}
			return nil, problem(s.Library.Remove(in.ID))
		})
	huma.Register(api, op("retrySource", http.MethodPost, "/api/sources/{id}/retry",
		"Try again to bring in a source that failed", 202), func(ctx context.Context, in *struct {
		ByID
		AsIs bool `query:"asIs" doc:"take a source that is damaged with what pictures it has"`
	},
	) (*struct{}, error) {
		return nil, problem(s.Store.RetrySource(ctx, in.ID, in.AsIs))
	})
}

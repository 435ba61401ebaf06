package server

import (
	"context"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"time"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/jobs"
	"celator/internal/media"
	"celator/internal/store"
)

// partView is a part of a delivery that is rendered by itself.
type partView struct {
	First    int  `json:"first" doc:"of the shot's frames, or the source's"`
	Last     int  `json:"last" doc:"included"`
	Done     int  `json:"done" doc:"frames"`
	Finished bool `json:"finished"`
}

func viewDelivery(d store.Delivery) deliveryView {
	v := deliveryView{
		d.ID, d.Source, d.Shot, d.Reel, len(d.Contents.V), d.Revision,
		d.Preset, d.Name, d.State, d.First, d.Frames, d.Matte, d.Rendered, d.Verified, d.Priority, 0, 0,
		d.Error, d.Waiting, d.Proof.V, d.Size, d.SHA256, d.Created, d.Finished,
		[]store.Handover{},
	}
	if made := d.Rendered - d.Reused; d.Started != nil && made > 0 {
		end := time.Now()
		if d.Finished != nil {
			end = *d.Finished
		}
		v.Rate = float64(made) / max(end.Sub(*d.Started).Seconds()-d.Rested, .001)
		v.Left = float64(d.Frames-d.Rendered) / v.Rate
	}
	return v
}

func (s *server) addDelivery(ctx context.Context, in *struct {
	ByID
	Body struct {
		Preset string `json:"preset" maxLength:"40" doc:"of those of the source; still for still pictures, and for them alone"`
		Name   string `json:"name,omitempty" maxLength:"120" doc:"of the file, without its ending; the shot's where it is empty"`
		First  *int   `json:"first,omitempty" doc:"frame of the shot; 0 where it is missing"`
		Last   *int   `json:"last,omitempty" doc:"frame of the shot, included; the last where it is missing"`
		Matte  bool   `json:"matte,omitempty" doc:"the combined matte, as grey, instead of the pictures"`
	}
},
) (*body[deliveryView], error) {
	sh, src, err := s.Store.WithSource(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	if src.State != store.Ready {
		return nil, huma.Error409Conflict("The source is still being brought in; deliver when it is ready.")
	}
	rev, err := s.Store.Head(ctx, sh.ID)
	if err != nil {
		return nil, problem(err)
	}
	preset, recipe, err := s.way(ctx, in.Body.Preset, src.Info.V)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	frames := cover.Span{First: 0, Last: sh.Frames - 1}
	if in.Body.First != nil {
		frames.First = *in.Body.First
	}
	if in.Body.Last != nil {
		frames.Last = *in.Body.Last
	}
	if frames.First < 0 || frames.First > frames.Last || frames.Last >= sh.Frames {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("Frames %d to %d are not in the shot's 0 to %d.",
			frames.First, frames.Last, sh.Frames-1))
	}
	if in.Body.Matte && (preset.Still || preset.SoundAlone()) {
		return nil, huma.Error422UnprocessableEntity("The matte of a still picture is written by the command line alone, " +
			"and sound has none.")
	}
	d := store.Delivery{
		ID: store.NewID(), Source: src.ID, Shot: sh.ID, Revision: rev.Number, Preset: preset.Name, First: frames.First,
		Frames: frames.Last - frames.First + 1, Matte: in.Body.Matte, State: store.Queued, Created: time.Now(),
	}
	d.Recipe.V = recipe
	d.Name = fileName(in.Body.Name, sh.Name, "shot", d.Matte, preset)
	if err := rev.Document.Followed(); err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	if d.Contents.V, _, err = s.contents(ctx, src.Programme, []store.Shot{sh}); err != nil {
		return nil, problem(err)
	}
	if err := s.allowed(ctx, src.Programme, d.Contents.V, preset, true); err != nil {
		return nil, err
	}
	j := deliver.Job{
		Preset: preset, Parts: deliver.Whole(rev.Document), First: frames.First, Last: frames.Last, Total: src.Frames,
		Matte: d.Matte, Original: src.Info.V, Out: s.Library.Segment(d.ID),
	}
	if j.Clip, _, err = s.Library.Shot(sh, src); err == nil {
		j.Sound, err = s.Library.SourcePath(src)
	}
	if err != nil {
		return nil, problem(err)
	}
	err = s.planned(ctx, d, &j, func() ([]store.Segment, error) { return jobs.PlanShot(ctx, sh, src, j) })
	return &body[deliveryView]{viewDelivery(d)}, problem(err)
}

// planned plans a delivery, of which j is a job, and puts it into the queue, if there is room for what it will take of
// the disk. A plan of what can be copied may code a picture, for which there must be memory.
func (s *server) planned(ctx context.Context, d store.Delivery, j *deliver.Job,
	plan func() ([]store.Segment, error),
) error {
	if j.Preset.Copies() {
		free, err := s.Budget.Children.Hold(ctx, budget.Soon, tryMemory)
		if err != nil {
			return err
		}
		defer free()
	}
	segments, err := plan()
	if err == nil {
		err = s.Library.Room(jobs.Needs(s.Library, j, d, segments))
	}
	if err != nil {
		return err
	}
	return s.Store.AddDelivery(ctx, d, segments)
}

// fileName is what a delivery's file is called: as asked for, else after what it is of.
func fileName(asked, of, otherwise string, matte bool, preset media.Preset) string {
	name := plain(asked)
	if name == "" {
		name = plain(strings.TrimSuffix(of, filepath.Ext(of)))
	}
	if name == "" {
		name = otherwise
	}
	if matte && !strings.HasSuffix(name, " matte") {
		name += " matte"
	}
	return name + preset.Ending
}

// plain keeps of a name what every file system takes.
func plain(name string) string {
	return strings.Trim(strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || strings.ContainsRune(" -_.()", r) {
			return r
		}
		return '-'
	}, name), " .-")
}

// registerDeliveries enters what is asked of deliveries.
func (s *server) registerDeliveries(api huma.API) {
	huma.Register(api, op("addDelivery", http.MethodPost, "/api/shots/{id}/deliveries",
		"Render, verify and keep a shot", 201), s.addDelivery)
	huma.Register(api, op("getDelivery", http.MethodGet, "/api/deliveries/{id}", "A delivery", 200),
		func(ctx context.Context, in *ByID) (*body[deliveryView], error) {
			d, err := s.Store.Delivery(ctx, in.ID)
			if err != nil {
				return nil, problem(err)
			}
			v := viewDelivery(d)
			v.Handovers, err = s.Store.Handovers(ctx, d.ID, "")
			return &body[deliveryView]{v}, problem(err)
		})
	huma.Register(api, op("pauseDelivery", http.MethodPost, "/api/deliveries/{id}/pause",
		"Let a delivery rest; what is finished of it stays", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.PauseDelivery(ctx, in.ID))
	})
	huma.Register(api, op("resumeDelivery", http.MethodPost, "/api/deliveries/{id}/resume",
		"Go on with a delivery that rests", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.ResumeDelivery(ctx, in.ID))
	})
	huma.Register(api, op("preferDelivery", http.MethodPut, "/api/deliveries/{id}/priority",
		"Put a delivery before others, or after them", 204),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Priority int `json:"priority" minimum:"1" maximum:"3" doc:"1 goes before others, 3 after them"`
			}
		},
		) (*struct{}, error) {
			return nil, problem(s.Store.Prefer(ctx, in.ID, in.Body.Priority))
		})
	huma.Register(api, op("listParts", http.MethodGet, "/api/deliveries/{id}/parts",
		"How far the parts of a delivery are that must be rendered, in their order", 200),
		func(ctx context.Context, in *ByID) (*body[[]partView], error) {
			segments, err := s.Store.Segments(ctx, in.ID)
			out := []partView{}
			for _, g := range segments {
				out = append(out, partView{g.First, g.Last, g.Done, g.Finished})
			}
			return &body[[]partView]{out}, problem(err)
		})
	huma.Register(api, op("cancelDelivery", http.MethodPost, "/api/deliveries/{id}/cancel",
		"Stop a delivery; finished segments stay for the next", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.CancelDelivery(ctx, in.ID))
	})
}

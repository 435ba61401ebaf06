package server

import (
	"archive/zip"
	"cmp"
	"context"
	"errors"
	"fmt"
	"image/png"
	"mime"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/track"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/follow"
	"celator/internal/preview"
	"celator/internal/store"
)

type (
	attemptView struct {
		ID         string         `json:"id"`
		Shot       string         `json:"shot"`
		Track      cover.Track    `json:"track" doc:"as it was when the attempt was asked for"`
		From       int            `json:"from"`
		To         int            `json:"to"`
		Compare    bool           `json:"compare" doc:"one of several to choose from, run in the background"`
		State      string         `json:"state" enum:"queued,running,stopping,done,stopped,failed"`
		Note       string         `json:"note" doc:"why it failed, or where it ended before its time"`
		Waiting    string         `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
		Frames     int            `json:"frames"`
		Done       int            `json:"done"`
		At         int            `json:"at" doc:"the frame that a run has come to"`
		Rate       float64        `json:"rate" doc:"frames a second so far"`
		Figures    *track.Figures `json:"figures,omitempty" doc:"of an attempt that has ended"`
		Poses      *cover.Poses   `json:"poses,omitempty"`
		Foreground string         `json:"foreground,omitempty" doc:"the holdout of a run that looks for what passes in front of the track's surface"`
		Mattes     *cover.Mattes  `json:"mattes,omitempty" doc:"what such a run has found so far, without the pictures"`
		Created    time.Time      `json:"created"`
		Finished   *time.Time     `json:"finished,omitempty"`
	}
	FollowBody struct {
		Track cover.Track `json:"track" doc:"the track to follow; a new one, or the document's with other anchors"`
		From  int         `json:"from" minimum:"0"`
		To    int         `json:"to" minimum:"0" doc:"both included"`
		Base  string      `json:"base,omitempty" doc:"the attempt whose poses hold on the other frames, and from which following goes on"`
		Ride  string      `json:"ride,omitempty" doc:"a cover that is put on the track when it has been followed"`
		At    cover.Time  `json:"at,omitempty" minimum:"0" doc:"as it lies on this frame"`
		Take  bool        `json:"take,omitempty" doc:"the document takes what was found, even when nobody waits for it"`
		// Compare also follows back, and lets those that an editor waits for go first.
		Compare bool `json:"compare,omitempty" doc:"one of several to choose from: also followed back, after those somebody waits for"`
	}
	ForegroundBody struct {
		Track       string   `json:"track" doc:"the document's track whose surface is looked at"`
		From        int      `json:"from" minimum:"0"`
		To          int      `json:"to" minimum:"0" doc:"both included"`
		Cover       string   `json:"cover" minLength:"1" maxLength:"64" doc:"the proposed holdout that is looked for again, or the id of a new one"`
		Name        string   `json:"name" maxLength:"200"`
		For         []string `json:"for" minItems:"1" doc:"the covers that it passes before, or *"`
		Sensitivity float64  `json:"sensitivity" minimum:"0" maximum:"1"`
		Edge        float64  `json:"edge" minimum:"1" maximum:"40" doc:"how wide the soft edge may be on what is at rest, px"`
		Least       float64  `json:"least" minimum:"0" maximum:"100000" doc:"the smallest area that is held out, px²"`
	}
	assessBody struct {
		Frame   cover.Time   `json:"frame" minimum:"0"`
		Surface []geom.Point `json:"surface" minItems:"3" maxItems:"2000"`
		Model   string       `json:"model" enum:"translation,similarity,affine,perspective,cloth"`
	}
	assessView struct {
		track.Texture
		Words  string       `json:"words" doc:"what it means"`
		Larger []geom.Point `json:"larger,omitempty" doc:"where the surface has too little: itself with what around it moves alike"`
	}
)

func viewAttempt(a store.Attempt) attemptView {
	v := attemptView{
		a.ID, a.Shot, a.Spec.V.Track, a.Spec.V.From, a.Spec.V.To, a.Spec.V.Compare, a.State, a.Note,
		a.Waiting, a.Frames, a.Done, a.At, 0, a.Figures.V, a.Poses.V, "", nil, a.Created, a.Finished,
	}
	if a.Spec.V.Foreground != nil {
		v.Foreground = a.Spec.V.Foreground.Cover
	}
	if a.Started != nil && a.Done > 0 {
		end := time.Now()
		if a.Finished != nil {
			end = *a.Finished
		}
		v.Rate = float64(a.Done) / max(end.Sub(*a.Started).Seconds(), .001)
	}
	return v
}

func (s *server) registerFollowing(api huma.API) {
	huma.Register(api, op("follow", http.MethodPost, "/api/shots/{id}/attempts",
		"Follow a surface or points through a shot", 201), s.follow)
	huma.Register(api, op("importTrack", http.MethodPost, "/api/shots/{id}/imported-tracks",
		"Enter a track from elsewhere, with its poses", 201), s.importTrack)
	huma.Register(api, op("listAttempts", http.MethodGet, "/api/shots/{id}/attempts",
		"The attempts of a shot, the newest first", 200), func(ctx context.Context, in *struct {
		ByID
		Before string `query:"before" format:"uuid" doc:"the attempt to go on from"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"500"`
	},
	) (*paged[attemptView], error) {
		as, err := s.Store.Attempts(ctx, in.ID, in.Before, in.Limit)
		out := []attemptView{}
		for _, a := range as {
			out = append(out, viewAttempt(a))
		}
		last := ""
		if len(as) > 0 {
			last = as[len(as)-1].ID
		}
		return page(out, in.Limit, "/api/shots/"+in.ID+"/attempts", last), problem(err)
	})
	huma.Register(api, op("getAttempt", http.MethodGet, "/api/attempts/{id}", "An attempt with its poses so far", 200),
		func(ctx context.Context, in *ByID) (*body[attemptView], error) {
			a, err := s.Store.Attempt(ctx, in.ID)
			v := viewAttempt(a)
			if err == nil && v.Foreground != "" {
				v.Mattes, err = s.Store.Mattes(ctx, a.ID, false)
			}
			return &body[attemptView]{v}, problem(err)
		})
	huma.Register(api, op("findForeground", http.MethodPost, "/api/shots/{id}/foreground-runs",
		"Look for what passes in front of a followed surface", 201), s.findForeground)
	huma.Register(api, op("stopAttempt", http.MethodPost, "/api/attempts/{id}/stop",
		"Stop following; what was found stays", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.StopAttempt(ctx, in.ID))
	})
	huma.Register(api, op("assess", http.MethodPost, "/api/shots/{id}/assess", "How well a surface can be followed",
		200), s.assess)
}

func (s *server) follow(ctx context.Context, in *struct {
	ByID
	Body FollowBody
},
) (*body[attemptView], error) {
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	b := in.Body
	b.Track.Poses, b.Track.Attempt = nil, ""
	if err := valid(r, &b.Track); err != nil {
		return nil, err
	}
	if b.To < b.From || b.To >= r.shot.Frames {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("There are no frames %d to %d in the shot.", b.From, b.To))
	}
	a := store.Attempt{
		ID: store.NewID(), Shot: in.ID, Track: b.Track.ID, State: store.Queued,
		Frames: b.To - b.From + 1, Created: time.Now(),
	}
	a.Spec.V = store.AttemptSpec{
		Track: b.Track, From: b.From, To: b.To, Base: b.Base, Ride: b.Ride, At: b.At,
		Take: b.Take, Compare: b.Compare, Author: asker(ctx),
	}
	if err := s.Store.AddAttempt(ctx, a); err != nil {
		return nil, problem(err)
	}
	return &body[attemptView]{viewAttempt(a)}, nil
}

// valid holds a track against the rules, which stand with the document.
func valid(r readable, t *cover.Track) error {
	if t.Anchors == nil {
		t.Anchors = []cover.TrackAnchor{}
	}
	probe := cover.New(r.clip.Info.Width, r.clip.Info.Height, r.shot.Frames)
	probe.Tracks = []cover.Track{*t}
	if err := probe.Validate(); err != nil {
		return huma.Error422UnprocessableEntity(sentence(err))
	}
	return nil
}

func (s *server) importTrack(ctx context.Context, in *struct {
	ByID
	Body cover.Track
},
) (*body[attemptView], error) {
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	d := cover.Document{Tracks: []cover.Track{in.Body}}
	if err := valid(r, &d.Tracks[0]); err != nil {
		return nil, err
	}
	if in.Body.Poses == nil {
		return nil, huma.Error422UnprocessableEntity("The track has no poses.")
	}
	a, err := s.Store.Adopt(ctx, in.ID, d.Tracks[0], asker(ctx))
	return &body[attemptView]{viewAttempt(a)}, problem(err)
}

func (s *server) findForeground(ctx context.Context, in *struct {
	ByID
	Body ForegroundBody
},
) (*body[attemptView], error) {
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	b := in.Body
	d := head.Document
	t := d.Track(b.Track)
	switch {
	case t == nil || t.Poses == nil:
		return nil, huma.Error422UnprocessableEntity("The surface has not been followed; follow it first.")
	case t.Kind != cover.Surface:
		return nil, huma.Error422UnprocessableEntity(t.Name +
			" is a track of points; what passes in front is seen against a surface.")
	case b.To < b.From || b.To >= d.Frames:
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("There are no frames %d to %d in the shot.", b.From, b.To))
	}
	p := cover.Proposed{
		Surface: t.ID, Sensitivity: b.Sensitivity, Edge: b.Edge, Least: b.Least,
		Accepted: []cover.Span{}, Strokes: []cover.Stroke{},
	}
	span := cover.Span{First: b.From, Last: b.To}
	var try cover.Command = cover.ProposeAgain{Cover: b.Cover, Proposed: p}
	if d.Find(b.Cover) == nil {
		try = cover.AddCover{New: cover.Cover{
			ID: b.Cover, Name: b.Name, Span: span, HoldsOut: b.For, Proposed: &p,
		}}
	}
	if _, _, err := d.Apply(try); err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	a := store.Attempt{
		ID: store.NewID(), Shot: in.ID, Track: t.ID, State: store.Queued, Frames: b.To - b.From + 1,
		Created: time.Now(),
	}
	track := *t
	track.Poses = nil
	a.Spec.V = store.AttemptSpec{
		Track: track, From: b.From, To: b.To, Author: asker(ctx), Fields: d.Fields,
		Foreground: &store.ForegroundSpec{Proposed: p, Cover: b.Cover, Name: b.Name, For: b.For},
	}
	if err := s.Store.AddAttempt(ctx, a); err != nil {
		return nil, problem(err)
	}
	return &body[attemptView]{viewAttempt(a)}, nil
}

// foregroundMatte answers with what a holdout holds out on a frame, whether or not that is
// accepted: a grey picture of the view's size, white in front.
func (s *server) foregroundMatte(w http.ResponseWriter, req *http.Request) {
	ctx := req.Context()
	number, err := strconv.Atoi(chi.URLParam(req, "revision"))
	f, err2 := moment(chi.URLParam(req, "frame"))
	if err != nil || err2 != nil || number < 0 {
		refuse(w, http.StatusNotFound, "There is no such frame.")
		return
	}
	shot := chi.URLParam(req, "id")
	r, err := s.reading(ctx, shot)
	var d *cover.Document
	if err == nil {
		d, err = s.revision(ctx, shot, number)
	}
	if err != nil {
		failed(w, err)
		return
	}
	c := d.Find(chi.URLParam(req, "cover"))
	if c == nil || len(c.HoldsOut) == 0 || f.Frame() >= d.Frames {
		refuse(w, http.StatusNotFound, "There is no such holdout.")
		return
	}
	vw, vh := r.clip.Info.ViewSize()
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	png.Encode(w, preview.Foreground(c.Foreground(f), d.Width, d.Height, vw, vh))
}

// foregroundMattes answers with a holdout's mattes as a sequence of pictures of the
// source's size, a file for each frame of its span.
func (s *server) foregroundMattes(w http.ResponseWriter, req *http.Request) {
	ctx := req.Context()
	head, err := s.Store.Head(ctx, chi.URLParam(req, "id"))
	if err != nil {
		failed(w, err)
		return
	}
	d := head.Document
	c := d.Find(chi.URLParam(req, "cover"))
	if c == nil || len(c.HoldsOut) == 0 {
		refuse(w, http.StatusNotFound, "There is no such holdout.")
		return
	}
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment",
		map[string]string{"filename": c.Name + " mattes.zip"}))
	z := zip.NewWriter(w)
	defer z.Close()
	for f := c.Span.First; f <= c.Span.Last && ctx.Err() == nil; f++ {
		to, err := z.CreateHeader(&zip.FileHeader{
			Name:   fmt.Sprintf("matte-%06d.png", f),
			Method: zip.Store,
		}) // packed already
		if err != nil {
			return
		}
		matte := preview.Foreground(c.Foreground(cover.Time(f)), d.Width, d.Height, d.Width, d.Height)
		if png.Encode(to, matte) != nil {
			return
		}
	}
}

// frames prepares a shot's frame for a tracker.
func (s *server) prepared(ctx context.Context, r readable, t cover.Time) (track.Frame, error) {
	pic, err := s.Patches.Frames.Get(ctx, budget.Now, r.id, r.clip, t.Frame())
	if err != nil {
		return track.Frame{}, err
	}
	return track.Prepare(follow.Luma.Of(treat.FieldAt(pic, t)))
}

func (s *server) assess(ctx context.Context, in *struct {
	ByID
	Body assessBody
},
) (*body[assessView], error) {
	r, err := s.reading(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	b := in.Body
	if b.Frame.Frame() >= r.shot.Frames {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("The shot has no frame %v.", b.Frame))
	}
	frame, err := s.prepared(ctx, r, b.Frame)
	if err != nil {
		return nil, problem(err)
	}
	surface := b.Surface
	model := track.Model(b.Model)
	var v assessView
	v.Texture, err = track.Assess(frame, surface, model)
	switch {
	case v.Edge:
		v.Words = "Too little texture: its edge alone is followed, and weakly."
	case errors.Is(err, track.ErrFlat):
		v.Words = "Too little texture to follow."
	case err != nil:
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	case !v.Enough:
		v.Words = "Little texture: it may slip."
	case v.Share < .3:
		v.Words = "Enough texture."
	default:
		v.Words = "Well textured."
	}
	if v.Enough {
		return &body[assessView]{v}, nil
	}
	// What lies around and moves alike over the next frames may help.
	var next []track.Frame
	for f := b.Frame + 1; f.Frame() < r.shot.Frames && len(next) < 4; f++ {
		if g, err := s.prepared(ctx, r, f); err == nil {
			next = append(next, g)
		}
	}
	if larger, texture := track.Enlarge(frame, next, surface, model); larger != nil {
		v.Larger = larger
		v.Words += fmt.Sprintf(" With what moves alike around it, %.0f %% can be compared.", 100*texture.Share)
	}
	return &body[assessView]{v}, nil
}

// failed answers with an error outside the contract, in the contract's form.
func failed(w http.ResponseWriter, err error) {
	err = problem(err)
	status, detail := http.StatusInternalServerError, "The server could not do it."
	var se huma.StatusError
	if errors.As(err, &se) {
		status, detail = se.GetStatus(), se.Error()
	}
	var h huma.HeadersError
	if errors.As(err, &h) {
		for k, v := range h.GetHeaders() {
			w.Header()[k] = v
		}
	}
	refuse(w, status, detail)
}

// strip answers with twenty rectified views of a surface side by side.
func (s *server) strip(w http.ResponseWriter, req *http.Request) {
	ctx := req.Context()
	a, err := s.Store.Attempt(ctx, chi.URLParam(req, "id"))
	if err != nil {
		failed(w, err)
		return
	}
	first, err := strconv.Atoi(chi.URLParam(req, "first"))
	if err != nil || first < 0 {
		refuse(w, http.StatusNotFound, "There is no such stretch.")
		return
	}
	r, err := s.reading(ctx, a.Shot)
	if err != nil {
		failed(w, err)
		return
	}
	t := a.Spec.V.Track
	t.Poses = a.Poses.V
	scale, err := strconv.Atoi(cmp.Or(req.URL.Query().Get("scale"), "1"))
	if err != nil {
		refuse(w, http.StatusUnprocessableEntity, "The scale is 1 to 3.")
		return
	}
	if err := s.viewsOf(ctx, r, first, preview.StripFrames); err != nil {
		failed(w, err)
		return
	}
	img, err := preview.Strip(ctx, preview.Steady{
		Dir: s.Library.Dir(r.src.ID), From: r.shot.First, Width: r.clip.Info.Width, Height: r.clip.Info.Height,
		Track: &t, First: first, Last: min(first+preview.StripFrames, r.shot.Frames) - 1,
		Scale: scale, Difference: req.URL.Query().Get("difference") != "",
	})
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	if a.State == store.Done || a.State == store.Stopped {
		w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	} else {
		w.Header().Set("Cache-Control", "no-store")
	}
	w.Write(img)
}

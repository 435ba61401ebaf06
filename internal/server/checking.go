package server

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"golang.org/x/image/draw"

	"celator/core/check"
	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/budget"
	"celator/internal/preview"
	"celator/internal/store"
)

type (
	findingView struct {
		store.Finding
		Title  string       `json:"title"`
		Unit   string       `json:"unit" doc:"of the figure"`
		Frames []cover.Span `json:"frames" doc:"the frames concerned, in order"`
		Place  *[4]int      `json:"place,omitempty" doc:"x, y, width, height on the worst frame, px"`
	}
	CheckRun struct {
		State    string `json:"state" enum:",queued,running,done,failed,stopped" doc:"empty: it was never asked for"`
		Revision int    `json:"revision" doc:"that was checked last; -1 for none"`
		Current  bool   `json:"current" doc:"the newest revision was checked"`
		Done     int    `json:"done"`
		Frames   int    `json:"frames"`
		Error    string `json:"error"`
		Awaited  bool   `json:"awaited" doc:"somebody asked for it"`
		Waiting  string `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
	}
	checkView struct {
		CheckRun
		Findings []findingView `json:"findings" doc:"open and waived"`
	}
	reviewView struct {
		Appearance store.Appearance `json:"appearance"`
		Item       store.Item       `json:"item"`
		Covers     []string         `json:"covers" doc:"the names of what hides it"`
		Span       *cover.Span      `json:"span,omitempty" doc:"the frames in which it is hidden"`
		Findings   []findingView    `json:"findings"`
		Decisions  []store.Decision `json:"decisions" doc:"the newest first"`
		Play       cover.Span       `json:"play" doc:"the frames to look at: those, and a little before and after"`
		Refusal    string           `json:"refusal" doc:"why who asks cannot approve it, in words; empty where that may be"`
	}
	reviewShotView struct {
		Shot       store.Shot   `json:"shot"`
		SourceInfo sourceView   `json:"sourceInfo"`
		Revision   int          `json:"revision"`
		Check      CheckRun     `json:"check" doc:"how far the check has come"`
		Items      []reviewView `json:"items"`
	}
)

func viewFinding(f store.Finding) findingView {
	a := check.Describe(f.Kind)
	v := findingView{Finding: f, Title: a.Title, Unit: a.Unit, Frames: f.Frames.V, Place: f.Place.V}
	if v.Frames == nil {
		v.Frames = []cover.Span{}
	}
	return v
}

func (s *server) registerChecking(api huma.API) {
	huma.Register(api, op("getCheck", http.MethodGet, "/api/shots/{id}/check", "What the check found in a shot", 200),
		func(ctx context.Context, in *ByID) (*body[checkView], error) {
			v, err := s.checked(ctx, in.ID)
			return &body[checkView]{v}, problem(err)
		})
	huma.Register(api, op("runCheck", http.MethodPost, "/api/shots/{id}/check", "Check a shot now", 202),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Afresh bool `json:"afresh,omitempty" doc:"also what was checked and has not changed"`
			}
		},
		) (*struct{}, error) {
			return nil, problem(s.Store.Check(ctx, in.ID, in.Body.Afresh))
		})
	huma.Register(api, op("checkProgramme", http.MethodPost, "/api/programmes/{id}/check",
		"Check all shots of a programme", 202), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Afresh bool `json:"afresh,omitempty"`
		}
	},
	) (*struct{}, error) {
		shots, err := s.Store.Shots(ctx, in.ID)
		for _, sh := range shots {
			if err == nil {
				err = s.Store.Check(ctx, sh.ID, in.Body.Afresh)
			}
		}
		return nil, problem(err)
	})
	huma.Register(api, op("waive", http.MethodPost, "/api/findings/{id}/waive",
		"Let a finding stand for a reason; without one it is open again", 200), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			By     string `json:"by" maxLength:"200"`
			Reason string `json:"reason" maxLength:"2000"`
		}
	},
	) (*body[findingView], error) {
		by, reason := strings.TrimSpace(in.Body.By), strings.TrimSpace(in.Body.Reason)
		if by == "" {
			return nil, huma.Error422UnprocessableEntity("Say who you are: every waiver has a name.")
		}
		f, err := s.Store.Waive(ctx, in.ID, by, reason)
		return &body[findingView]{viewFinding(f)}, problem(err)
	})
	huma.Register(api, op("decide", http.MethodPost, "/api/shots/{id}/items/{item}/decisions",
		"Move an item on in a shot, or leave a note", 201), func(ctx context.Context, in *struct {
		ByID
		Item string `path:"item"`
		Body struct {
			State string   `json:"state,omitempty" enum:"todo,work,ready,back,approved,waived" doc:"without one it is a note"`
			By    string   `json:"by" maxLength:"200"`
			Note  string   `json:"note,omitempty" maxLength:"2000"`
			Frame *int     `json:"frame,omitempty" minimum:"0" doc:"that the note is pinned to"`
			X     *float64 `json:"x,omitempty" doc:"and where on it, px"`
			Y     *float64 `json:"y,omitempty"`
		}
	},
	) (*body[store.Appearance], error) {
		b := in.Body
		v, err := s.Store.Decide(ctx, store.Decision{
			Item: in.Item, Shot: in.ID, State: clearance.State(b.State),
			By: strings.TrimSpace(b.By), Note: strings.TrimSpace(b.Note), Frame: b.Frame, X: b.X, Y: b.Y,
		})
		var no *store.Refused
		if errors.As(err, &no) {
			return nil, huma.Error409Conflict(sentence(err))
		}
		return &body[store.Appearance]{v}, problem(err)
	})
	huma.Register(api, op("getReview", http.MethodGet, "/api/shots/{id}/review",
		"What a reviewer needs to know of a shot's items", 200), s.review)
}

func (s *server) checked(ctx context.Context, shot string) (checkView, error) {
	i, err := s.Store.CheckRun(ctx, shot)
	if err != nil {
		return checkView{}, err
	}
	head, err := s.Store.HeadNumber(ctx, shot)
	if err != nil {
		return checkView{}, err
	}
	all, err := s.Store.Findings(ctx, shot)
	v := checkView{
		CheckRun: CheckRun{
			State: i.State, Revision: i.Revision, Current: i.State == "done" && i.Revision == head, Done: i.Done,
			Frames: i.Frames, Error: i.Error, Awaited: i.Awaited, Waiting: i.Waiting,
		},
		Findings: []findingView{},
	}
	for _, f := range all {
		v.Findings = append(v.Findings, viewFinding(f))
	}
	return v, err
}

func (s *server) review(ctx context.Context, in *ByID) (*body[reviewShotView], error) {
	sh, src, err := s.Store.WithSource(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	items, err := s.Store.ItemsOf(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	seen, err := s.Store.AppearancesIn(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	check, err := s.checked(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	decisions, err := s.Store.Decisions(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	v := reviewShotView{
		Shot: sh, SourceInfo: viewSource(src), Revision: head.Number, Check: check.CheckRun,
		Items: []reviewView{},
	}
	for _, it := range items {
		r := reviewView{Item: it, Covers: []string{}, Findings: []findingView{}, Decisions: []store.Decision{}}
		for _, x := range seen {
			if x.Item == it.ID {
				r.Appearance = x
			}
		}
		r.Covers, r.Span = hides(head.Document, it.ID)
		for _, f := range check.Findings {
			if f.Item == it.ID {
				r.Findings = append(r.Findings, f)
			}
		}
		for _, d := range decisions {
			if d.Item == it.ID {
				r.Decisions = append(r.Decisions, d)
			}
		}
		if err := s.judge(ctx, &r, sh); err != nil {
			return nil, problem(err)
		}
		v.Items = append(v.Items, r)
	}
	return &body[reviewShotView]{v}, nil
}

// judge says what of an item is to be looked at, and whether who asks may approve it.
func (s *server) judge(ctx context.Context, r *reviewView, sh store.Shot) error {
	first, last := r.Appearance.First, r.Appearance.Last
	if r.Span != nil {
		first, last = r.Span.First, r.Span.Last
	}
	r.Play.First, r.Play.Last = clearance.ReviewRange(first, last, sh.Frames)
	by, err := s.Store.Editors(ctx, sh.ID, r.Item.ID)
	if err != nil {
		return err
	}
	a := r.Appearance
	now := clearance.Standing{State: a.State, Covered: a.Covered, Checked: a.Checked, Severe: a.Severe, Editors: by}
	if err := now.Move(clearance.Approved, asker(ctx), ""); err != nil {
		r.Refusal = sentence(err)
	}
	return nil
}

// hides names the covers of an item and its passages of sound, and the frames in which they are live.
func hides(d *cover.Document, item string) (names []string, span *cover.Span) {
	names = []string{}
	add := func(name string, s cover.Span) {
		names = append(names, name)
		if span == nil {
			span = &cover.Span{First: s.First, Last: s.Last}
		}
		span.First, span.Last = min(span.First, s.First), max(span.Last, s.Last)
	}
	for _, c := range d.Hiding(item) {
		add(c.Name, c.Span)
	}
	for _, p := range d.Unsaid(item) {
		add(p.Name, p.Span())
	}
	return names, span
}

// shown is a frame of a shot at its newest revision, before or after its covers.
func (s *server) shown(ctx context.Context, shot string, f int, after bool) (*frame.Picture, *cover.Document, error) {
	r, err := s.reading(ctx, shot)
	if err != nil {
		return nil, nil, err
	}
	if f < 0 || f >= r.shot.Frames {
		return nil, nil, huma.Error404NotFound(fmt.Sprintf("The shot has no frame %d.", f))
	}
	number, err := s.Store.HeadNumber(ctx, shot)
	if err != nil {
		return nil, nil, problem(err)
	}
	doc, err := s.revision(ctx, shot, number)
	if err != nil {
		return nil, nil, err
	}
	pic, err := s.Patches.Frames.Get(ctx, budget.Soon, r.id, r.clip, f)
	if err != nil || !after {
		return pic, doc, problem(err)
	}
	known, err := s.Patches.References.Make(ctx, r.id, r.clip, doc, cover.Span{First: f, Last: f})
	if err != nil {
		return nil, nil, problem(err)
	}
	// Held while it is made; who shows it copies a small part of it.
	free, err := s.Budget.Pictures.Hold(ctx, budget.Soon, 3*int64(len(pic.Data)))
	if err != nil {
		return nil, nil, problem(err)
	}
	defer free()
	pic = pic.Clone()
	treat.Frame(pic, doc, f, known)
	return pic, doc, nil
}

// still serves part of a frame, before or after its covers: around an item where one is
// named, else around the place asked for, or all of it.
func (s *server) still(w http.ResponseWriter, r *http.Request) {
	f, err := strconv.Atoi(chi.URLParam(r, "frame"))
	if err != nil {
		refuse(w, http.StatusNotFound, "There is no such frame.")
		return
	}
	q := r.URL.Query()
	pic, doc, err := s.shown(r.Context(), chi.URLParam(r, "id"), f, q.Get("before") == "")
	if err != nil {
		failed(w, err)
		return
	}
	part := pic.Rect()
	if item := q.Get("item"); item != "" {
		part = around(doc, item, f, pic.Rect())
	} else if p := strings.Split(q.Get("place"), ","); len(p) == 4 {
		var n [4]int
		for i := range n {
			n[i], _ = strconv.Atoi(p[i])
		}
		part = roomy(image.Rect(n[0], n[1], n[0]+n[2], n[1]+n[3]), pic.Rect())
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "no-cache")
	jpeg.Encode(w, stillOf(pic, part), &jpeg.Options{Quality: 88})
}

// stillSide is the longest side of a still, px.
const stillSide = 480

// stillOf makes a part of a picture small enough to be one of many.
func stillOf(pic *frame.Picture, part image.Rectangle) image.Image {
	img := pic.RGBA(part)
	k := min(1, float64(stillSide)/float64(max(part.Dx(), part.Dy(), 1)))
	if k == 1 {
		return img
	}
	out := image.NewRGBA(image.Rect(0, 0, max(int(float64(part.Dx())*k), 1), max(int(float64(part.Dy())*k), 1)))
	draw.ApproxBiLinear.Scale(out, out.Rect, img, img.Bounds(), draw.Src, nil)
	return out
}

// around is the part of a picture around the covers of an item on a frame.
func around(d *cover.Document, item string, f int, all image.Rectangle) image.Rectangle {
	var b image.Rectangle
	for _, c := range d.Hiding(item) {
		for _, p := range c.Contours(cover.Time(f)) {
			r := p.Bounds()
			b = b.Union(image.Rect(int(r.Min.X), int(r.Min.Y), int(r.Max.X)+1, int(r.Max.Y)+1))
		}
	}
	if b.Intersect(all).Empty() {
		return all
	}
	return roomy(b, all)
}

// roomy widens a place so that its surroundings tell where it is.
func roomy(b, all image.Rectangle) image.Rectangle {
	m := max(b.Dx(), b.Dy(), 40) / 2
	b = b.Inset(-m)
	// Neither too tall nor too wide to be seen in a row of others.
	if w := b.Dy() * 16 / 9; w > b.Dx() {
		b.Min.X, b.Max.X = b.Min.X-(w-b.Dx())/2, b.Max.X+(w-b.Dx())/2
	}
	if b = b.Intersect(all); b.Empty() {
		return all
	}
	return b
}

// recoveredPicture serves what was made out through a cover.
func (s *server) recoveredPicture(w http.ResponseWriter, r *http.Request) {
	b, err := s.Store.RecoveredPicture(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		refuse(w, http.StatusNotFound, "Nothing was made out here.")
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "no-cache")
	w.Write(b)
}

// sheet serves twenty frames around an item side by side, before or after their covers.
func (s *server) sheet(w http.ResponseWriter, req *http.Request) {
	ctx := req.Context()
	revision, err := strconv.Atoi(chi.URLParam(req, "revision"))
	first, err2 := strconv.Atoi(chi.URLParam(req, "first"))
	if err != nil || err2 != nil {
		refuse(w, http.StatusNotFound, "There is no such sheet.")
		return
	}
	shot, q := chi.URLParam(req, "id"), req.URL.Query()
	r, err := s.reading(ctx, shot)
	if err != nil {
		failed(w, err)
		return
	}
	if first < 0 || first >= r.shot.Frames {
		refuse(w, http.StatusNotFound, fmt.Sprintf("The shot has no frame %d.", first))
		return
	}
	doc, err := s.revision(ctx, shot, revision)
	if err != nil {
		failed(w, err)
		return
	}
	if err := s.viewsOf(ctx, r, first, preview.SheetFrames); err != nil {
		failed(w, err)
		return
	}
	all := image.Rect(0, 0, r.clip.Info.Width, r.clip.Info.Height)
	img, err := preview.Contact(ctx, preview.Sheet{
		Dir: s.Library.Dir(r.src.ID), From: r.shot.First, Width: all.Dx(), Height: all.Dy(), Document: doc,
		References: s.Patches.References.Graphics(doc), Clean: q.Get("before") != "", First: first,
		Last:  min(first+preview.SheetFrames, r.shot.Frames) - 1,
		Place: func(f int) image.Rectangle { return around(doc, q.Get("item"), f, all) },
	})
	if err != nil {
		failed(w, problem(err))
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	w.Write(img)
}

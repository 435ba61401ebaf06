package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"time"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/internal/budget"
	"celator/internal/deliver"
	"celator/internal/jobs"
	"celator/internal/library"
	"celator/internal/media"
	"celator/internal/preview"
	"celator/internal/store"
)

// author is who edits while there is no sign-in.
const author = "Editor"

type (
	ByID struct {
		ID string `path:"id" format:"uuid"`
	}
	body[T any] struct{ Body T }

	sourceView struct {
		ID      string     `json:"id"`
		Name    string     `json:"name"`
		State   string     `json:"state" enum:"queued,conforming,viewing,ready,failed"`
		Error   string     `json:"error"`
		Waiting string     `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
		Frames  int        `json:"frames"`
		Views   int        `json:"views" doc:"view frames made so far"`
		ViewW   int        `json:"viewWidth"`
		ViewH   int        `json:"viewHeight"`
		Info    media.Info `json:"info"`
		Notes   []string   `json:"notes" doc:"what was done to read it exactly, in words"`
		Created time.Time  `json:"created"`
	}
	deliveryView struct {
		ID       string         `json:"id"`
		Shot     string         `json:"shot"`
		Revision int            `json:"revision"`
		Preset   string         `json:"preset"`
		Name     string         `json:"name"`
		State    string         `json:"state" enum:"queued,rendering,joining,verifying,done,failed,cancelled"`
		Frames   int            `json:"frames"`
		Rendered int            `json:"rendered"`
		Verified int            `json:"verified"`
		Rate     float64        `json:"rate" doc:"frames a second so far"`
		Left     float64        `json:"left" doc:"seconds that rendering will still take at that rate"`
		Error    string         `json:"error"`
		Waiting  string         `json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
		Proof    *deliver.Proof `json:"proof,omitempty"`
		Size     int64          `json:"size"`
		SHA256   string         `json:"sha256"`
		Created  time.Time      `json:"created"`
		Finished *time.Time     `json:"finished,omitempty"`
	}
	programmeView struct {
		store.Programme
		Sources    []sourceView   `json:"sources"`
		Shots      []store.Shot   `json:"shots"`
		Deliveries []deliveryView `json:"deliveries"`
	}
	revisionView struct {
		Number   int             `json:"number"`
		Label    string          `json:"label"`
		Author   string          `json:"author"`
		At       time.Time       `json:"at"`
		CanUndo  bool            `json:"canUndo"`
		CanRedo  bool            `json:"canRedo"`
		Document *cover.Document `json:"document"`
	}
	editView struct {
		State   int       `json:"state" doc:"to jump to; 0 is before the first edit"`
		Label   string    `json:"label"`
		Author  string    `json:"author"`
		At      time.Time `json:"at"`
		Current bool      `json:"current" doc:"the shot shows the document after this edit"`
		Undone  bool      `json:"undone" doc:"can be redone"`
	}
	shotView struct {
		store.Shot
		SourceInfo    sourceView   `json:"sourceInfo"`
		ProgrammeName string       `json:"programmeName"`
		Items         []store.Item `json:"items"`
		Seen          []store.Seen `json:"seen" doc:"how far they have come"`
		Revision      revisionView `json:"revision"`
		Looks         store.Looks  `json:"looks" doc:"by cover and frame: the digest of the cover when somebody looked at it and found it right"`
	}
	EditBody struct {
		Base     int             `json:"base" minimum:"0" doc:"the revision that the commands were made on"`
		Key      string          `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$" doc:"names the change: sent again, because its answer was lost, it is not made again"`
		Commands []cover.Command `json:"commands" minItems:"1" maxItems:"1000"`
	}
	BaseBody struct {
		Base int    `json:"base" minimum:"0"`
		Key  string `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$" doc:"names the change, as for an edit"`
	}
	patchOut struct {
		Status       int
		ContentType  string `header:"Content-Type"`
		CacheControl string `header:"Cache-Control"`
		Quick        string `header:"Celator-Quick" doc:"true where the patch is to be asked for again, exact"`
		Regions      string `header:"Celator-Regions" doc:"x,y,w,h of each rectangle of the view, in the order in which their pixels (R, G, B, A bytes) are stacked"`
		Body         []byte
	}
)

func (s *server) register(api huma.API) {
	huma.Register(api, op("listProgrammes", http.MethodGet, "/api/programmes", "All programmes", 200), func(ctx context.Context, _ *struct{}) (*body[[]store.Programme], error) {
		ps, err := s.Store.Programmes(ctx)
		return &body[[]store.Programme]{ps}, problem(err)
	})
	huma.Register(api, op("addProgramme", http.MethodPost, "/api/programmes", "Make a programme", 201), func(ctx context.Context, in *body[struct {
		Name string `json:"name" minLength:"1" maxLength:"200"`
	}]) (*body[store.Programme], error) {
		p, err := s.Store.AddProgramme(ctx, in.Body.Name)
		return &body[store.Programme]{p}, problem(err)
	})
	huma.Register(api, op("getProgramme", http.MethodGet, "/api/programmes/{id}", "A programme with its sources, shots, items and deliveries", 200), s.programme)
	huma.Register(api, op("listMedia", http.MethodGet, "/api/media", "Clips in the server's media folder", 200), func(ctx context.Context, _ *struct{}) (*body[[]library.MediaFile], error) {
		fs, err := s.Library.MediaFiles()
		return &body[[]library.MediaFile]{fs}, problem(err)
	})
	huma.Register(api, op("addSource", http.MethodPost, "/api/programmes/{id}/sources", "Bring in a file of the media folder or a finished upload", 201), s.addSource)
	huma.Register(api, op("getSource", http.MethodGet, "/api/sources/{id}", "A source", 200), func(ctx context.Context, in *ByID) (*body[sourceView], error) {
		src, err := s.Store.Source(ctx, in.ID)
		return &body[sourceView]{viewSource(src)}, problem(err)
	})
	huma.Register(api, op("removeSource", http.MethodDelete, "/api/sources/{id}", "Take a source and its shots out; a file in the media folder stays", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		if err := s.Store.RemoveSource(ctx, in.ID); err != nil {
			return nil, problem(err)
		}
		return nil, problem(s.Library.Remove(in.ID))
	})
	huma.Register(api, op("retrySource", http.MethodPost, "/api/sources/{id}/retry", "Try again to bring in a source that failed", 202), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.RetrySource(ctx, in.ID))
	})
	huma.Register(api, op("getShot", http.MethodGet, "/api/shots/{id}", "A shot with its newest revision", 200), s.shot)
	huma.Register(api, op("addItem", http.MethodPost, "/api/shots/{id}/items", "Enter an item of the clearance list", 201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"200"`
			Kind string `json:"kind" enum:"plate,logo,sign,number,text,face,other"`
		}
	}) (*body[store.Item], error) {
		item := clearance.Details{Name: in.Body.Name, Kind: in.Body.Kind}
		if err := item.Tidy(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		it, err := s.Store.AddItem(ctx, in.ID, item)
		return &body[store.Item]{it}, problem(err)
	})
	huma.Register(api, op("editShot", http.MethodPost, "/api/shots/{id}/edits", "Change a shot's document by commands", 201), func(ctx context.Context, in *struct {
		ByID
		Body EditBody
	}) (*body[revisionView], error) {
		if err := s.countable(ctx, in.ID); err != nil {
			return nil, err
		}
		r, err := s.Store.Edit(ctx, in.ID, store.On{Base: in.Body.Base, Author: author, Key: in.Body.Key}, func(d *cover.Document) (*cover.Document, string, error) {
			next, label, err := d.Apply(in.Body.Commands...)
			if err != nil && !errors.Is(err, cover.ErrNoCover) {
				err = huma.Error422UnprocessableEntity(sentence(err))
			}
			return next, label, err
		})
		return revised(r, err)
	})
	huma.Register(api, op("replaceDocument", http.MethodPut, "/api/shots/{id}/document", "Replace a shot's document", 200), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Base     int            `json:"base" minimum:"0"`
			Key      string         `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$"`
			Document cover.Document `json:"document"`
		}
	}) (*body[revisionView], error) {
		if err := s.countable(ctx, in.ID); err != nil {
			return nil, err
		}
		next := &in.Body.Document
		if err := next.Validate(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		// Pictures that come with it are a stranger's as any other.
		for i := range next.Graphics {
			if g := &next.Graphics[i]; len(g.PNG) > 0 {
				drawn, err := s.drawn(ctx, g.Name, g.PNG)
				if err != nil {
					return nil, err
				}
				g.PNG, g.Width, g.Height = drawn.PNG, drawn.Width, drawn.Height
			}
		}
		return revised(s.Store.Replace(ctx, in.ID, store.On{Base: in.Body.Base, Author: author, Key: in.Body.Key}, next, func(d *cover.Document) error {
			if next.Width != d.Width || next.Height != d.Height || next.Frames != d.Frames {
				return huma.Error422UnprocessableEntity(fmt.Sprintf("The document is for %d frames of %dx%d, the shot has %d of %dx%d.",
					next.Frames, next.Width, next.Height, d.Frames, d.Width, d.Height))
			}
			return nil
		}))
	})
	huma.Register(api, op("undo", http.MethodPost, "/api/shots/{id}/undo", "Undo the last change still standing", 201), func(ctx context.Context, in *struct {
		ByID
		Body BaseBody
	}) (*body[revisionView], error) {
		return revised(s.Store.Undo(ctx, in.ID, in.Body.on()))
	})
	huma.Register(api, op("redo", http.MethodPost, "/api/shots/{id}/redo", "Redo what was undone last", 201), func(ctx context.Context, in *struct {
		ByID
		Body BaseBody
	}) (*body[revisionView], error) {
		return revised(s.Store.Redo(ctx, in.ID, in.Body.on()))
	})
	huma.Register(api, op("jump", http.MethodPost, "/api/shots/{id}/jump", "Show the document as it was after any edit", 201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			BaseBody
			State int `json:"state" minimum:"0"`
		}
	}) (*body[revisionView], error) {
		return revised(s.Store.Jump(ctx, in.ID, in.Body.on(), in.Body.State))
	})
	huma.Register(api, op("listEdits", http.MethodGet, "/api/shots/{id}/edits", "The edits of a shot, the newest first", 200), s.edits)
	huma.Register(api, op("looked", http.MethodPost, "/api/shots/{id}/looks", "Enter that a cover was looked at and found right", 204), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Cover  string         `json:"cover" pattern:"^[A-Za-z0-9._-]{1,64}$"`
			Frames map[int]string `json:"frames" maxProperties:"100000" doc:"the cover's digest by frame"`
		}
	}) (*struct{}, error) {
		for f, d := range in.Body.Frames {
			if f < 0 || len(d) > 32 {
				return nil, huma.Error422UnprocessableEntity("A frame is not below 0 and a digest not longer than 32 letters.")
			}
		}
		return nil, problem(s.Store.Looked(ctx, in.ID, in.Body.Cover, author, in.Body.Frames))
	})
	huma.Register(api, op("listLooks", http.MethodGet, "/api/shots/{id}/looks", "What was looked at", 200), func(ctx context.Context, in *ByID) (*body[store.Looks], error) {
		l, err := s.Store.Looks(ctx, in.ID)
		return &body[store.Looks]{l}, problem(err)
	})
	huma.Register(api, op("getPatch", http.MethodGet, "/api/shots/{id}/patches/{revision}/{frame}", "What the covers of a revision change of a view frame", 200), s.patch)
	huma.Register(api, op("previewPatch", http.MethodPost, "/api/shots/{id}/preview", "The same after commands that are not saved", 200), s.previewPatch)
	s.registerFollowing(api)
	s.registerStyling(api)
	s.registerList(api)
	s.registerChecking(api)
	huma.Register(api, op("addDelivery", http.MethodPost, "/api/shots/{id}/deliveries", "Render, verify and keep a shot", 201), s.addDelivery)
	huma.Register(api, op("getDelivery", http.MethodGet, "/api/deliveries/{id}", "A delivery", 200), func(ctx context.Context, in *ByID) (*body[deliveryView], error) {
		d, err := s.Store.Delivery(ctx, in.ID)
		return &body[deliveryView]{viewDelivery(d)}, problem(err)
	})
	huma.Register(api, op("cancelDelivery", http.MethodPost, "/api/deliveries/{id}/cancel", "Stop a delivery; finished segments stay for the next", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.CancelDelivery(ctx, in.ID))
	})
	onlyBodies(api)
}

// countable refuses changes of a shot whose frames are not counted yet: those of
// a source that is still being conformed.
func (s *server) countable(ctx context.Context, shot string) error {
	sh, err := s.Store.Shot(ctx, shot)
	if err != nil {
		return problem(err)
	}
	src, err := s.Store.Source(ctx, sh.Source)
	if err == nil && src.Info.V.Conformed() && (src.State == store.Queued || src.State == store.Conforming) {
		return huma.Error409Conflict("The source is still being conformed to a constant rate; its frames are counted when that is done.")
	}
	return problem(err)
}

func (b BaseBody) on() store.On { return store.On{Base: b.Base, Author: author, Key: b.Key} }

func viewRevision(r store.Revision) revisionView {
	return revisionView{r.Number, r.Label, r.Author, r.At, r.State > 0, len(r.Redo.V) > 0, r.Document.Bare()}
}

func revised(r store.Revision, err error) (*body[revisionView], error) {
	if err != nil {
		return nil, problem(err)
	}
	return &body[revisionView]{viewRevision(r)}, nil
}

func viewSource(src store.Source) sourceView {
	v := sourceView{ID: src.ID, Name: src.Name, State: src.State, Error: src.Error, Waiting: src.Waiting, Frames: src.Frames, Views: src.Views, Info: src.Info.V, Notes: []string{}, Created: src.Created}
	i := src.Info.V
	v.ViewW, v.ViewH = i.ViewSize()
	note := func(format string, a ...any) { v.Notes = append(v.Notes, fmt.Sprintf(format, a...)) }
	if i.Still != "" {
		note("It is a still picture: a shot of one frame, delivered as %s.", strings.ToUpper(i.Still))
		return v
	}
	switch {
	case i.Variable:
		note("Its frame rate varies. It is conformed to a constant %.5g frames a second in a lossless copy; frames are counted there.", i.Rate.Float())
	case !i.Indexed:
		note("Its container has no index. A lossless copy was made in which every frame can be reached.")
	}
	if i.Rotation != 0 {
		note("It asks to be turned by %d° and is shown and delivered upright.", i.Rotation)
	}
	if i.Pixel.Num != i.Pixel.Den {
		note("Its pixels are not square (%d:%d). They are shown in their true shape and kept in deliveries.", i.Pixel.Num, i.Pixel.Den)
	}
	if i.Tags.Space == "" {
		note("It carries no colour matrix tag; %s is assumed for display.", map[string]string{"bt601": "BT.601", "bt709": "BT.709"}[string(i.Matrix)])
	}
	if i.Field != "progressive" {
		note("It is interlaced (%s). Covers work on whole frames for now.", i.Field)
	}
	return v
}

func viewDelivery(d store.Delivery) deliveryView {
	v := deliveryView{d.ID, d.Shot, d.Revision, d.Preset, d.Name, d.State, d.Frames, d.Rendered, d.Verified, 0, 0, d.Error, d.Waiting, d.Proof.V, d.Size, d.SHA256, d.Created, d.Finished}
	if made := d.Rendered - d.Reused; d.Started != nil && made > 0 {
		end := time.Now()
		if d.Finished != nil {
			end = *d.Finished
		}
		v.Rate = float64(made) / max(end.Sub(*d.Started).Seconds(), .001)
		v.Left = float64(d.Frames-d.Rendered) / v.Rate
	}
	return v
}

func (s *server) programme(ctx context.Context, in *ByID) (*body[programmeView], error) {
	p, err := s.Store.Programme(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	v := programmeView{Programme: p, Sources: []sourceView{}, Deliveries: []deliveryView{}}
	sources, err := s.Store.Sources(ctx, p.ID)
	if err != nil {
		return nil, problem(err)
	}
	for _, src := range sources {
		v.Sources = append(v.Sources, viewSource(src))
	}
	if v.Shots, err = s.Store.Shots(ctx, p.ID); err != nil {
		return nil, problem(err)
	}
	ds, err := s.Store.Deliveries(ctx, p.ID)
	for _, d := range ds {
		v.Deliveries = append(v.Deliveries, viewDelivery(d))
	}
	return &body[programmeView]{v}, problem(err)
}

// AddSource probes a file and brings it in.
func AddSource(ctx context.Context, st *store.Store, lib library.Library, src store.Source) (store.Source, store.Shot, error) {
	path, err := lib.SourcePath(src)
	if err != nil {
		return src, store.Shot{}, err
	}
	info, err := media.Probe(ctx, path)
	if err != nil {
		return src, store.Shot{}, err
	}
	src.Info.V, src.Frames, src.State, src.Created = info, info.Frames, store.Queued, time.Now()
	shot, err := st.AddSource(ctx, src)
	return src, shot, err
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
	return AddSource(ctx, s.Store, s.Library, src)
}

func (s *server) addSource(ctx context.Context, in *struct {
	ByID
	Body struct {
		Media  string `json:"media,omitempty" doc:"a path of the media folder"`
		Upload string `json:"upload,omitempty" doc:"the last part of a finished upload's address"`
		SHA256 string `json:"sha256,omitempty" pattern:"^[0-9a-fA-F]{64}$" doc:"of the file that was uploaded; it is taken only when it is the same"`
		Name   string `json:"name,omitempty" maxLength:"200"`
	}
}) (*body[sourceView], error) {
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

func (s *server) shot(ctx context.Context, in *ByID) (*body[shotView], error) {
	sh, src, err := s.Store.Reel(ctx, in.ID)
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
	seen, err := s.Store.SeenIn(ctx, sh.ID)
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
	return &body[shotView]{shotView{Shot: sh, SourceInfo: viewSource(src), ProgrammeName: p.Name, Items: items, Seen: seen, Revision: viewRevision(rev), Looks: looks}}, nil
}

// listed is how many edits the list to jump in holds.
const listed = 1000

func (s *server) edits(ctx context.Context, in *ByID) (*body[[]editView], error) {
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	edits, err := s.Store.Edits(ctx, in.ID, listed)
	out := []editView{}
	for _, e := range edits {
		out = append(out, editView{e.Number, e.Label, e.Author, e.At, e.Number == head.State, slices.Contains(head.Redo.V, e.Number)})
	}
	if len(edits) < listed {
		out = append(out, editView{Label: "before the first change", Current: head.State == 0})
	}
	return &body[[]editView]{out}, problem(err)
}

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
	sh, src, err := s.Store.Reel(ctx, shot)
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
	full, matte, quick bool
	class              budget.Class
}

// make returns the patch of a document's covers at a frame of a shot.
func (s *server) make(ctx context.Context, shot string, doc *cover.Document, f int, as wish) (*patchOut, error) {
	r, err := s.reading(ctx, shot)
	if err != nil {
		return nil, err
	}
	if f < 0 || f >= r.shot.Frames {
		return nil, huma.Error404NotFound(fmt.Sprintf("The shot has no frame %d.", f))
	}
	ask := preview.Request{ID: r.id, Clip: r.clip, Frame: f, Document: doc, Class: as.class}
	ask.Size.W, ask.Size.H = r.clip.Info.ViewSize()
	ask.Matte = as.matte
	if as.full {
		ask.Size = preview.Size{W: r.clip.Info.Width, H: r.clip.Info.Height}
	}
	if as.quick && !as.full {
		ask.Quick = media.ViewPath(s.Library.Dir(r.src.ID), r.shot.First+f)
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
	out := &patchOut{Status: http.StatusOK, ContentType: "application/octet-stream", CacheControl: "private, max-age=86400, immutable", Regions: p.Header(), Body: p.Pix}
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
	Revision int  `path:"revision" minimum:"0"`
	Frame    int  `path:"frame" minimum:"0"`
	Full     bool `query:"full" doc:"at the source's size instead of the view's"`
	Matte    bool `query:"matte" doc:"the combined matte, as grey, instead of the concealed picture"`
	Prepare  bool `query:"prepare" doc:"make it and keep it at hand, but send nothing"`
	Quick    bool `query:"quick" doc:"where the decoded frame is not at hand, treat the view frame instead and say so"`
}) (*patchOut, error) {
	doc, err := s.revision(ctx, in.ID, in.Revision)
	if err != nil {
		return nil, err
	}
	as := wish{in.Full, in.Matte, in.Quick && !in.Prepare, budget.Soon}
	switch {
	case in.Prepare:
		as.class = budget.Later
	case as.quick:
		as.class = budget.Now
	}
	out, err := s.make(ctx, in.ID, doc, in.Frame, as)
	if err == nil && in.Prepare {
		return &patchOut{Status: http.StatusNoContent, CacheControl: "no-store"}, nil
	}
	return out, err
}

func (s *server) previewPatch(ctx context.Context, in *struct {
	ByID
	Body struct {
		EditBody
		Frame int  `json:"frame" minimum:"0"`
		Full  bool `json:"full,omitempty"`
		Matte bool `json:"matte,omitempty"`
		Exact bool `json:"exact,omitempty" doc:"wait for what is exact, however long that takes"`
	}
}) (*patchOut, error) {
	base, err := s.revision(ctx, in.ID, in.Body.Base)
	if err != nil {
		return nil, err
	}
	doc, err := s.drafted(ctx, base, in.Body.Commands)
	if err != nil {
		return nil, err
	}
	out, err := s.make(ctx, in.ID, doc, in.Body.Frame, wish{in.Body.Full, in.Body.Matte, !in.Body.Exact, budget.Now})
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
	if slices.ContainsFunc(cmds, func(c cover.Command) bool { return c.Do == "graphic" }) {
		err = s.Store.AttachGraphics(ctx, doc)
	}
	return doc, problem(err)
}

func (s *server) addDelivery(ctx context.Context, in *struct {
	ByID
	Body struct {
		Preset string `json:"preset" enum:"review,archive,still" doc:"still for still pictures, and for them alone"`
		Name   string `json:"name,omitempty" maxLength:"120" doc:"of the file, without its ending; the shot's where it is empty"`
	}
}) (*body[deliveryView], error) {
	sh, src, err := s.Store.Reel(ctx, in.ID)
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
	preset, err := src.Info.V.For(in.Body.Preset)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	d := store.Delivery{ID: store.NewID(), Shot: sh.ID, Revision: rev.Number, Preset: preset.Name, Frames: sh.Frames, State: store.Queued, Created: time.Now()}
	if d.Name = plain(in.Body.Name); d.Name == "" {
		d.Name = plain(strings.TrimSuffix(sh.Name, filepath.Ext(sh.Name)))
	}
	if d.Name == "" {
		d.Name = "shot"
	}
	d.Name += preset.Ending
	if err := rev.Document.Followed(); err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	segments, err := jobs.Plan(sh, src, rev.Document, preset)
	if err == nil {
		err = s.Store.AddDelivery(ctx, d, segments)
	}
	return &body[deliveryView]{viewDelivery(d)}, problem(err)
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

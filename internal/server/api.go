package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/storage"
	"celator/internal/store"
)

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
		SourceInfo    sourceView         `json:"sourceInfo"`
		ProgrammeName string             `json:"programmeName"`
		Items         []store.Item       `json:"items"`
		Appearances   []store.Appearance `json:"appearances" doc:"how far they have come"`
		Revision      revisionView       `json:"revision"`
		Looks         store.Looks        `json:"looks" doc:"by cover and frame: the digest of the cover when somebody looked at it and found it right"`
	}
	EditBody struct {
		Base     int            `json:"base" minimum:"0" doc:"the revision that the commands were made on"`
		Key      string         `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$" doc:"names the change: sent again, because its answer was lost, it is not made again"`
		Commands cover.Commands `json:"commands" minItems:"1" maxItems:"1000"`
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
	huma.Register(api, op("listProgrammes", http.MethodGet, "/api/programmes", "All programmes", 200),
		func(ctx context.Context, _ *struct{}) (*body[[]store.Programme], error) {
			ps, err := s.Store.Programmes(ctx)
			return &body[[]store.Programme]{ps}, problem(err)
		})
	huma.Register(api, op("addProgramme", http.MethodPost, "/api/programmes", "Make a programme", 201),
		func(ctx context.Context, in *body[struct {
			Name string `json:"name" minLength:"1" maxLength:"200"`
		}],
		) (*body[store.Programme], error) {
			p, err := s.Store.AddProgramme(ctx, in.Body.Name)
			return &body[store.Programme]{p}, problem(err)
		})
	huma.Register(api, op("getProgramme", http.MethodGet, "/api/programmes/{id}",
		"A programme with its sources, shots, items and deliveries", 200), s.programme)
	huma.Register(api, op("listMedia", http.MethodGet, "/api/media", "Clips in the server's media folder", 200),
		func(ctx context.Context, _ *struct{}) (*body[[]storage.MediaFile], error) {
			fs, err := s.Library.MediaFiles()
			return &body[[]storage.MediaFile]{fs}, problem(err)
		})
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
		"Try again to bring in a source that failed", 202), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.RetrySource(ctx, in.ID))
	})
	huma.Register(api, op("getShot", http.MethodGet, "/api/shots/{id}", "A shot with its newest revision", 200), s.shot)
	huma.Register(api, op("addItem", http.MethodPost, "/api/shots/{id}/items", "Enter an item of the clearance list",
		201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"200"`
			Kind string `json:"kind" enum:"plate,logo,sign,number,text,face,other"`
		}
	},
	) (*body[store.Item], error) {
		item := clearance.Details{Name: in.Body.Name, Kind: in.Body.Kind}
		if err := item.Tidy(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		it, err := s.Store.AddItem(ctx, in.ID, item)
		return &body[store.Item]{it}, problem(err)
	})
	huma.Register(api, op("editShot", http.MethodPost, "/api/shots/{id}/edits", "Change a shot's document by commands",
		201), func(ctx context.Context, in *struct {
		ByID
		Body EditBody
	},
	) (*body[revisionView], error) {
		if err := s.countable(ctx, in.ID); err != nil {
			return nil, err
		}
		r, err := s.Store.Edit(ctx, in.ID, store.On{Base: in.Body.Base, Author: asker(ctx), Key: in.Body.Key},
			func(d *cover.Document) (*cover.Document, string, error) {
				next, label, err := d.Apply(in.Body.Commands...)
				if err != nil && !errors.Is(err, cover.ErrNoCover) {
					err = huma.Error422UnprocessableEntity(sentence(err))
				}
				return next, label, err
			})
		return revised(r, err)
	})
	huma.Register(api, op("replaceDocument", http.MethodPut, "/api/shots/{id}/document", "Replace a shot's document",
		200), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Base     int            `json:"base" minimum:"0"`
			Key      string         `json:"key,omitempty" maxLength:"64" pattern:"^[A-Za-z0-9-]*$"`
			Document cover.Document `json:"document"`
		}
	},
	) (*body[revisionView], error) {
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
		return revised(s.Store.Replace(ctx, in.ID, store.On{Base: in.Body.Base, Author: asker(ctx), Key: in.Body.Key}, next,
			func(d *cover.Document) error {
				if next.Width != d.Width || next.Height != d.Height || next.Frames != d.Frames {
					return huma.Error422UnprocessableEntity(fmt.Sprintf(
						"The document is for %d frames of %dx%d, the shot has %d of %dx%d.",
						next.Frames, next.Width, next.Height, d.Frames, d.Width, d.Height))
				}
				return nil
			}))
	})
	huma.Register(api, op("undo", http.MethodPost, "/api/shots/{id}/undo", "Undo the last change still standing", 201),
		func(ctx context.Context, in *struct {
			ByID
			Body BaseBody
		},
		) (*body[revisionView], error) {
			return revised(s.Store.Undo(ctx, in.ID, in.Body.on(ctx)))
		})
	huma.Register(api, op("redo", http.MethodPost, "/api/shots/{id}/redo", "Redo what was undone last", 201),
		func(ctx context.Context, in *struct {
			ByID
			Body BaseBody
		},
		) (*body[revisionView], error) {
			return revised(s.Store.Redo(ctx, in.ID, in.Body.on(ctx)))
		})
	huma.Register(api, op("jump", http.MethodPost, "/api/shots/{id}/jump", "Show the document as it was after any edit",
		201), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			BaseBody
			State int `json:"state" minimum:"0"`
		}
	},
	) (*body[revisionView], error) {
		return revised(s.Store.Jump(ctx, in.ID, in.Body.on(ctx), in.Body.State))
	})
	huma.Register(api, op("listEdits", http.MethodGet, "/api/shots/{id}/edits", "The edits of a shot, the newest first",
		200), s.edits)
	huma.Register(api, op("looked", http.MethodPost, "/api/shots/{id}/looks",
		"Enter that a cover was looked at and found right", 204), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Cover  string         `json:"cover" pattern:"^[A-Za-z0-9._-]{1,64}$"`
			Frames map[int]string `json:"frames" maxProperties:"100000" doc:"the cover's digest by frame"`
		}
	},
	) (*struct{}, error) {
		for f, d := range in.Body.Frames {
			if f < 0 || len(d) > 32 {
				return nil, huma.Error422UnprocessableEntity("A frame is not below 0 and a digest not longer than 32 letters.")
			}
		}
		return nil, problem(s.Store.Looked(ctx, in.ID, in.Body.Cover, asker(ctx), in.Body.Frames))
	})
	huma.Register(api, op("listLooks", http.MethodGet, "/api/shots/{id}/looks", "What was looked at", 200),
		func(ctx context.Context, in *ByID) (*body[store.Looks], error) {
			l, err := s.Store.Looks(ctx, in.ID)
			return &body[store.Looks]{l}, problem(err)
		})
	huma.Register(api, op("getPatch", http.MethodGet, "/api/shots/{id}/patches/{revision}/{frame}",
		"What the covers of a revision change of a view frame", 200), s.patch)
	huma.Register(api, op("previewPatch", http.MethodPost, "/api/shots/{id}/preview",
		"The same after commands that are not saved", 200), s.previewPatch)
	s.registerFollowing(api)
	s.registerStyling(api)
	s.registerList(api)
	s.registerChecking(api)
	huma.Register(api, op("addDelivery", http.MethodPost, "/api/shots/{id}/deliveries",
		"Render, verify and keep a shot", 201), s.addDelivery)
	huma.Register(api, op("getDelivery", http.MethodGet, "/api/deliveries/{id}", "A delivery", 200),
		func(ctx context.Context, in *ByID) (*body[deliveryView], error) {
			d, err := s.Store.Delivery(ctx, in.ID)
			return &body[deliveryView]{viewDelivery(d)}, problem(err)
		})
	huma.Register(api, op("cancelDelivery", http.MethodPost, "/api/deliveries/{id}/cancel",
		"Stop a delivery; finished segments stay for the next", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
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

func (b BaseBody) on(ctx context.Context) store.On {
	return store.On{Base: b.Base, Author: asker(ctx), Key: b.Key}
}

func viewRevision(r store.Revision) revisionView {
	return revisionView{r.Number, r.Label, r.Author, r.At, r.State > 0, len(r.Redo.V) > 0, r.Document.Bare()}
}

func revised(r store.Revision, err error) (*body[revisionView], error) {
	if err != nil {
		return nil, problem(err)
	}
	return &body[revisionView]{viewRevision(r)}, nil
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
	appearances, err := s.Store.AppearancesIn(ctx, sh.ID)
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
	return &body[shotView]{shotView{
		Shot: sh, SourceInfo: viewSource(src), ProgrammeName: p.Name, Items: items,
		Appearances: appearances, Revision: viewRevision(rev), Looks: looks,
	}}, nil
}

func (s *server) edits(ctx context.Context, in *struct {
	ByID
	Before int `query:"before" minimum:"0" doc:"the state to go on from; 0 is the newest"`
	Limit  int `query:"limit" minimum:"1" maximum:"1000" default:"500"`
},
) (*paged[editView], error) {
	head, err := s.Store.Head(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	edits, err := s.Store.Edits(ctx, in.ID, in.Before, in.Limit)
	out, last := []editView{}, 0
	for _, e := range edits {
		last = e.Number
		out = append(out, editView{
			e.Number, e.Label, e.Author, e.At, e.Number == head.State,
			slices.Contains(head.Redo.V, e.Number),
		})
	}
	p := page(out, in.Limit, "/api/shots/"+in.ID+"/edits", fmt.Sprint(last))
	if p.Link == "" {
		p.Body = append(p.Body, editView{Label: "before the first change", Current: head.State == 0})
	}
	return p, problem(err)
}

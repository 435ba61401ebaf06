package server

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"mime"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/core/clearance"
	"celator/core/cut"
	"celator/internal/store"
)

type (
	// listView is a programme's clearance list.
	listView struct {
		Items       []store.Item       `json:"items"`
		Appearances []store.Appearance `json:"appearances" doc:"the items in the shots; an item without a row is in none yet"`
		Shots       []store.Shot       `json:"shots"`
	}
	bulkBody struct {
		Rows     []store.Row `json:"rows" minItems:"1" maxItems:"5000"`
		By       string      `json:"by" maxLength:"200" doc:"who does it"`
		State    string      `json:"state,omitempty" enum:"todo,work,ready,back,approved,waived"`
		Note     string      `json:"note,omitempty" maxLength:"2000"`
		Assignee *string     `json:"assignee,omitempty" maxLength:"200"`
	}
	refusalView struct {
		Item string `json:"item"`
		Shot string `json:"shot"`
		Why  string `json:"why"`
	}
	bulkView struct {
		Changed int           `json:"changed"`
		Refused []refusalView `json:"refused"`
	}
	importView struct {
		Rows   []clearance.Made     `json:"rows"`
		Wrong  []clearance.RowError `json:"wrong"`
		New    int                  `json:"new"`
		Edited int                  `json:"changed"`
		Same   int                  `json:"same"`
		Done   bool                 `json:"done" doc:"the list was entered"`
	}
	boundaryView struct {
		Searched   bool           `json:"searched" doc:"the source was looked through"`
		Boundaries []cut.Boundary `json:"boundaries"`
	}
)

func (s *server) registerList(api huma.API) {
	huma.Register(api, op("getList", http.MethodGet, "/api/programmes/{id}/list", "The clearance list", 200), s.list)
	huma.Register(api, op("addUnplaced", http.MethodPost, "/api/programmes/{id}/items",
		"Enter an item that is in no shot yet", 201), func(ctx context.Context, in *struct {
		ByID
		Body clearance.Details
	},
	) (*body[store.Item], error) {
		if err := in.Body.Tidy(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		if _, err := s.Store.Programme(ctx, in.ID); err != nil {
			return nil, problem(err)
		}
		it, err := s.Store.AddUnplaced(ctx, in.ID, in.Body)
		return &body[store.Item]{it}, problem(err)
	})
	huma.Register(api, op("changeItem", http.MethodPut, "/api/items/{id}", "Change what an item says", 200),
		func(ctx context.Context, in *struct {
			ByID
			Body clearance.Details
		},
		) (*body[store.Item], error) {
			if err := in.Body.Tidy(); err != nil {
				return nil, huma.Error422UnprocessableEntity(sentence(err))
			}
			it, err := s.Store.ChangeItem(ctx, in.ID, in.Body)
			return &body[store.Item]{it}, problem(err)
		})
	huma.Register(api, op("removeItem", http.MethodDelete, "/api/items/{id}",
		"Take an item out of the list; covers stay", 204), func(ctx context.Context, in *ByID) (*struct{}, error) {
		return nil, problem(s.Store.RemoveItem(ctx, in.ID))
	})
	huma.Register(api, op("placeItem", http.MethodPut, "/api/shots/{id}/items/{item}",
		"Enter that an item is seen in a shot", 204), func(ctx context.Context, in *struct {
		ByID
		Item string `path:"item"`
		Body struct {
			First int `json:"first" minimum:"-1" doc:"frames of the shot; -1 where they are not known"`
			Last  int `json:"last" minimum:"-1"`
		}
	},
	) (*struct{}, error) {
		sh, err := s.Store.Shot(ctx, in.ID)
		if err != nil {
			return nil, problem(err)
		}
		if b := in.Body; b.Last < b.First || b.Last >= sh.Frames || (b.First < 0) != (b.Last < 0) {
			return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("There are no frames %d to %d in the shot.", b.First,
				b.Last))
		}
		return nil, problem(s.Store.Place(ctx, in.Item, in.ID, in.Body.First, in.Body.Last))
	})
	huma.Register(api, op("unplaceItem", http.MethodDelete, "/api/shots/{id}/items/{item}",
		"Enter that an item is not seen in a shot", 204), func(ctx context.Context, in *struct {
		ByID
		Item string `path:"item"`
	},
	) (*struct{}, error) {
		return nil, problem(s.Store.Unplace(ctx, in.Item, in.ID))
	})
	huma.Register(api, op("changeRows", http.MethodPost, "/api/programmes/{id}/list",
		"Move rows of the list on, or assign them", 200), s.bulk)
	huma.Register(api, op("importList", http.MethodPost, "/api/programmes/{id}/import",
		"Read a list: what would be made of it, or, where it is whole and wanted, make it", 200), s.importList)
}

func (s *server) list(ctx context.Context, in *ByID) (*body[listView], error) {
	if _, err := s.Store.Programme(ctx, in.ID); err != nil {
		return nil, problem(err)
	}
	var v listView
	var err error
	if v.Items, err = s.Store.Items(ctx, in.ID); err == nil {
		if v.Appearances, err = s.Store.Appearances(ctx, in.ID); err == nil {
			v.Shots, err = s.Store.Shots(ctx, in.ID)
		}
	}
	return &body[listView]{v}, problem(err)
}

// bulk does to each row what can be done, and says which could not and why.
func (s *server) bulk(ctx context.Context, in *struct {
	ByID
	Body bulkBody
},
) (*body[bulkView], error) {
	b := in.Body
	if (b.State == "") == (b.Assignee == nil) {
		return nil, huma.Error422UnprocessableEntity("Give either a state or whom the rows are assigned to.")
	}
	var changed int
	var refused []store.RefusedRow
	var err error
	if b.Assignee != nil {
		changed, refused, err = s.Store.Assign(ctx, b.Rows, strings.TrimSpace(*b.Assignee))
	} else {
		by := cmp.Or(strings.TrimSpace(b.By), asker(ctx))
		all := make([]store.Decision, len(b.Rows))
		for i, row := range b.Rows {
			all[i] = store.Decision{
				Item: row.Item, Shot: row.Shot, State: clearance.State(b.State), By: by, Note: strings.TrimSpace(b.Note),
			}
		}
		changed, refused, err = s.Store.DecideAll(ctx, all)
	}
	v := bulkView{Changed: changed, Refused: []refusalView{}}
	for _, r := range refused {
		v.Refused = append(v.Refused, refusalView{r.Item, r.Shot, sentence(r.Why)})
	}
	return &body[bulkView]{v}, problem(err)
}

// reels are a programme's shots as the list's rules know them.
func (s *server) reels(ctx context.Context, programme string) ([]clearance.Reel, error) {
	sources, err := s.Store.Sources(ctx, programme)
	if err != nil {
		return nil, err
	}
	shots, err := s.Store.Shots(ctx, programme)
	if err != nil {
		return nil, err
	}
	of := map[string]store.Source{}
	for _, src := range sources {
		of[src.ID] = src
	}
	var out []clearance.Reel
	for _, sh := range shots {
		src := of[sh.Source]
		out = append(out, clearance.Reel{
			ID: sh.ID, Name: sh.Name, Source: src.Name, First: sh.First, Last: sh.Last(),
			Timecode: clock(src),
		})
	}
	return out, nil
}

func (s *server) importList(ctx context.Context, in *struct {
	ByID
	Body struct {
		CSV string `json:"csv" maxLength:"16777216"`
		By  string `json:"by" maxLength:"200"`
		Do  bool   `json:"do,omitempty" doc:"enter it; without it only say what would be made"`
	}
},
) (*body[importView], error) {
	if _, err := s.Store.Programme(ctx, in.ID); err != nil {
		return nil, problem(err)
	}
	rows, wrong, err := clearance.Read([]byte(in.Body.CSV))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(sentence(err))
	}
	now, err := s.Store.Entries(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	reels, err := s.reels(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	changed, made, more := clearance.Merge(now, rows, reels)
	v := importView{Rows: made, Wrong: append(append([]clearance.RowError{}, wrong...), more...)}
	for _, m := range made {
		switch m.What {
		case "new":
			v.New++
		case "changed":
			v.Edited++
		default:
			v.Same++
		}
	}
	if in.Body.Do && len(v.Wrong) == 0 {
		by := strings.TrimSpace(in.Body.By)
		if by == "" {
			by = asker(ctx)
		}
		if err := s.Store.Import(ctx, in.ID, by, now, changed); err != nil {
			return nil, problem(err)
		}
		v.Done = true
	}
	return &body[importView]{v}, nil
}

// listCSV writes the list.
func (s *server) listCSV(w http.ResponseWriter, r *http.Request) {
	ctx, id := r.Context(), chi.URLParam(r, "id")
	p, err := s.Store.Programme(ctx, id)
	if err != nil {
		failed(w, err)
		return
	}
	now, err := s.Store.Entries(ctx, id)
	var reels []clearance.Reel
	if err == nil {
		reels, err = s.reels(ctx, id)
	}
	var b bytes.Buffer
	if err == nil {
		err = clearance.Write(&b, clearance.Rows(now, reels))
	}
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment",
		map[string]string{"filename": plain(p.Name) + " list.csv"}))
	w.Write(b.Bytes())
}

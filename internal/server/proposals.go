package server

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/core/clearance"
	"celator/core/proposal"
	"celator/internal/draft"
	"celator/internal/reader"
	"celator/internal/store"
)

type (
	ProposalView  struct{ draft.Offer }
	proposalsView struct {
		Proposals []ProposalView    `json:"proposals" doc:"in the order of the sources' frames"`
		Runs      []store.FindRun   `json:"runs" doc:"how far the sources were looked through"`
		Marks     []store.MarkRow   `json:"marks" doc:"what is looked for by its picture"`
		Drafts    *store.DraftRun   `json:"drafts,omitempty" doc:"the drafts that were asked for last"`
		Offers    map[string]string `json:"offers" doc:"by kind: always, listed or never"`
		Titles    map[string]string `json:"titles" doc:"what the kinds are called"`
		Absent    string            `json:"absent" doc:"why nothing can be looked for, and how to put that right; empty where it can"`
		Shots     []store.Shot      `json:"shots"`
		Items     []store.Item      `json:"items"`
	}
	shotProposalView struct {
		ProposalView
		Seen []proposal.Sight `json:"seen" doc:"where it was seen, in the shot's frames"`
	}
	findBody struct {
		Sources []string `json:"sources,omitempty" maxItems:"5000" doc:"all where there are none"`
		Afresh  bool     `json:"afresh,omitempty" doc:"also what was looked through; what was decided stays"`
	}
	judgeBody struct {
		IDs        []string `json:"ids" minItems:"1" maxItems:"5000"`
		State      string   `json:"state" enum:"open,later,unneeded"`
		Reason     string   `json:"reason,omitempty" maxLength:"2000"`
		Forget     bool     `json:"forget,omitempty" doc:"what reads so is not offered again in this programme"`
		Everywhere bool     `json:"everywhere,omitempty" doc:"nor in any other"`
	}
	draftBody struct {
		Items []string `json:"items,omitempty" maxItems:"5000" doc:"of the list; all where there are none"`
	}
	acceptBody struct {
		IDs  []string `json:"ids" minItems:"1" maxItems:"500"`
		Item string   `json:"item,omitempty" doc:"that they belong to; a new one where there is none"`
		Name string   `json:"name,omitempty" maxLength:"200" doc:"of a new item; what they read where there is none"`
	}
	acceptedView struct {
		Item   string         `json:"item"`
		Covers []acceptedRow  `json:"covers"`
		Left   []leftProposal `json:"left" doc:"those of which no cover could be made"`
	}
	acceptedRow struct {
		Proposal string `json:"proposal"`
		Shot     string `json:"shot"`
		Cover    string `json:"cover"`
	}
	leftProposal struct {
		Proposal string `json:"proposal"`
		Why      string `json:"why"`
	}
)

func (s *server) registerProposals(api huma.API) {
	huma.Register(api, op("listProposals", http.MethodGet, "/api/programmes/{id}/proposals",
		"What was found in a programme and may have to be hidden", 200), s.proposals)
	huma.Register(api, op("listShotProposals", http.MethodGet, "/api/shots/{id}/proposals",
		"What was found in a shot and waits for a decision, as far as it is offered", 200), s.shotProposals)
	huma.Register(api, op("find", http.MethodPost, "/api/programmes/{id}/find",
		"Look through a programme's sources for text, plates and faces", 202), s.find)
	huma.Register(api, op("stopFind", http.MethodPost, "/api/sources/{id}/find/stop",
		"Let a source rest that is being looked through; what was found stays", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.StopFind(ctx, in.ID))
		})
	huma.Register(api, op("judgeProposals", http.MethodPost, "/api/proposals/judge",
		"Say that proposals are not needed, wait, or are open again", 204), func(ctx context.Context, in *struct {
		Body judgeBody
	},
	) (*struct{}, error) {
		b := in.Body
		if b.State == string(store.OpenProposal) {
			if err := s.freed(ctx, b.IDs); err != nil {
				return nil, problem(err)
			}
		}
		return nil, problem(s.Store.Judge(ctx, b.IDs, store.Verdict{
			State: store.ProposalState(b.State), Reason: strings.TrimSpace(b.Reason), By: asker(ctx), Forget: b.Forget,
			Everywhere: b.Everywhere,
		}))
	})
	huma.Register(api, op("acceptProposals", http.MethodPost, "/api/proposals/accept",
		"Make proposals an item of the list, each with a cover that is followed", 200), s.accept)
	huma.Register(api, op("draft", http.MethodPost, "/api/programmes/{id}/draft",
		"Make drafts of all that is offered and that the list asks for, in its order", 202), s.drafts)
	huma.Register(api, op("stopDraft", http.MethodPost, "/api/programmes/{id}/draft/stop",
		"Make no more drafts for now; those that were begun stay", 204),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.StopDrafts(ctx, in.ID))
		})
	huma.Register(api, op("setOffers", http.MethodPut, "/api/programmes/{id}/offers",
		"Set what is proposed", 204), func(ctx context.Context, in *struct {
		ByID
		Body struct {
			Offers map[string]string `json:"offers" doc:"by kind: always, listed or never"`
		}
	},
	) (*struct{}, error) {
		r := proposal.Rules{}
		for k, o := range in.Body.Offers {
			r[proposal.Kind(k)] = proposal.Offer(o)
		}
		if err := r.Validate(); err != nil {
			return nil, huma.Error422UnprocessableEntity(sentence(err))
		}
		return nil, problem(s.Store.SetOffers(ctx, in.ID, r))
	})
}

func (s *server) proposals(ctx context.Context, in *ByID) (*body[proposalsView], error) {
	v, err := s.offered(ctx, in.ID)
	return &body[proposalsView]{v}, problem(err)
}

// offered is what was found in a programme, with what the list and its rules say of it.
func (s *server) offered(ctx context.Context, id string) (v proposalsView, err error) {
	v = proposalsView{Proposals: []ProposalView{}, Offers: map[string]string{}, Titles: map[string]string{}}
	all, err := draft.Read(ctx, s.Store, id)
	if err == nil {
		v.Runs, err = s.Store.FindRuns(ctx, id)
	}
	if err == nil {
		v.Marks, err = s.Store.Marks(ctx, id)
	}
	if err == nil {
		var run store.DraftRun
		if run, err = s.Store.DraftRun(ctx, id); err == nil {
			v.Drafts = &run
		} else if errors.Is(err, store.ErrNone) {
			err = nil
		}
	}
	if err != nil {
		return v, err
	}
	v.Shots, v.Items = all.Shots, all.Items
	for _, k := range proposal.Kinds {
		v.Offers[string(k)], v.Titles[string(k)] = string(all.Rules.For(k)), k.Title()
	}
	if err := reader.Check(reader.Dir()); err != nil {
		v.Absent = sentence(err)
	}
	for _, o := range all.All {
		v.Proposals = append(v.Proposals, ProposalView{o})
	}
	return v, nil
}

// drafts has drafts made of what the list asks for, in the queue.
func (s *server) drafts(ctx context.Context, in *struct {
	ByID
	Body draftBody
},
) (*struct{}, error) {
	return nil, problem(s.Store.WantDrafts(ctx, in.ID, asker(ctx), in.Body.Items))
}

func (s *server) shotProposals(ctx context.Context, in *ByID) (*body[[]shotProposalView], error) {
	sh, err := s.Store.Shot(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	all, err := draft.InShot(ctx, s.Store, sh)
	if err != nil {
		return nil, problem(err)
	}
	out := []shotProposalView{}
	for _, p := range all {
		if !p.Offered {
			continue
		}
		w := shotProposalView{ProposalView: ProposalView{p}, Seen: []proposal.Sight{}}
		for _, sight := range p.Sights.V {
			sight.Frame -= sh.First
			w.Seen = append(w.Seen, sight)
		}
		out = append(out, w)
	}
	return &body[[]shotProposalView]{out}, nil
}

func (s *server) find(ctx context.Context, in *struct {
	ByID
	Body findBody
},
) (*struct{}, error) {
	if _, err := s.Store.Programme(ctx, in.ID); err != nil {
		return nil, problem(err)
	}
	if err := reader.Check(reader.Dir()); err != nil {
		return nil, huma.Error503ServiceUnavailable(sentence(err))
	}
	sources, err := s.Store.Sources(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	wanted := map[string]bool{}
	for _, id := range in.Body.Sources {
		wanted[id] = true
	}
	for _, src := range sources {
		if src.State == store.Failed || len(wanted) > 0 && !wanted[src.ID] {
			continue
		}
		if err := s.Store.Find(ctx, src.ID, asker(ctx), in.Body.Afresh); err != nil {
			return nil, problem(err)
		}
	}
	return nil, nil
}

// freed lets go of proposals that were accepted and whose covers are gone: nothing found may be lost with its cover.
func (s *server) freed(ctx context.Context, ids []string) error {
	all, err := s.Store.ProposalsByID(ctx, ids)
	if err != nil {
		return err
	}
	for _, p := range all {
		if p.State != store.AcceptedProposal {
			continue
		}
		if p.Shot != nil {
			head, err := s.Store.Head(ctx, *p.Shot)
			if err != nil {
				return err
			}
			if head.Document.Find(p.Cover) != nil {
				return huma.Error409Conflict("Its cover is there; remove it on the bench first.")
			}
		}
		if err := s.Store.Free(ctx, p.ID); err != nil {
			return err
		}
	}
	return nil
}

// accept makes of proposals an item with a cover for each, which is followed.
func (s *server) accept(ctx context.Context, in *struct {
	Body acceptBody
},
) (*body[acceptedView], error) {
	all, err := s.Store.ProposalsByID(ctx, in.Body.IDs)
	if err != nil {
		return nil, problem(err)
	}
	src, err := s.Store.Source(ctx, all[0].Source)
	if err != nil {
		return nil, problem(err)
	}
	sources, err := s.Store.Sources(ctx, src.Programme)
	if err != nil {
		return nil, problem(err)
	}
	for _, p := range all {
		if !slices.ContainsFunc(sources, func(o store.Source) bool { return o.ID == p.Source }) {
			return nil, huma.Error422UnprocessableEntity("They are of several programmes.")
		}
	}
	item, err := s.itemFor(ctx, src.Programme, in.Body, all)
	if err != nil {
		return nil, err
	}
	styles, err := s.Store.Styles(ctx, src.Programme)
	if err != nil {
		return nil, problem(err)
	}
	v := acceptedView{Item: item.ID, Covers: []acceptedRow{}, Left: []leftProposal{}}
	for _, p := range all {
		now, err := s.Store.ProposalsByID(ctx, []string{p.ID})
		if err != nil {
			return nil, problem(err)
		}
		if now[0].State == store.AcceptedProposal && p.State != store.AcceptedProposal {
			continue // what was just made hides it too
		}
		if p.State == store.AcceptedProposal {
			v.Left = append(v.Left, leftProposal{p.ID, "It was accepted already."})
			continue
		}
		if err := s.acceptOne(ctx, p, item, styles, &v); err != nil {
			return nil, problem(err)
		}
	}
	return &body[acceptedView]{v}, nil
}

// acceptOne makes a proposal a cover of an item, or tells why that cannot be.
func (s *server) acceptOne(ctx context.Context, p store.Proposal, item store.Item, styles []store.Style,
	v *acceptedView,
) error {
	made, err := draft.Maker{Store: s.Store, Styles: styles, Author: asker(ctx)}.Cover(ctx, p, item)
	switch {
	case errors.Is(err, store.ErrNone):
		v.Left = append(v.Left, leftProposal{p.ID, "No shot shows it any more."})
	case err != nil:
		return err
	default:
		v.Covers = append(v.Covers, acceptedRow{p.ID, made.Shot, made.Cover})
	}
	return nil
}

// itemFor is the item that proposals belong to: one of their programme, or a new one.
func (s *server) itemFor(ctx context.Context, programme string, b acceptBody, all []store.Proposal) (it store.Item,
	err error,
) {
	if b.Item != "" {
		items, err := s.Store.Items(ctx, programme)
		if err != nil {
			return it, problem(err)
		}
		for _, it := range items {
			if it.ID == b.Item {
				return it, nil
			}
		}
		return it, problem(store.ErrNone)
	}
	d := clearance.Details{Name: b.Name, Kind: all[0].Kind.Item()}
	if strings.TrimSpace(d.Name) == "" {
		if d.Name = all[0].Text; d.Name == "" {
			d.Name = all[0].Kind.Title()
		}
	}
	if len(d.Name) > clearance.MaxName {
		d.Name = strings.ToValidUTF8(d.Name[:clearance.MaxName], "")
	}
	if err := d.Tidy(); err != nil {
		return it, huma.Error422UnprocessableEntity(sentence(err))
	}
	it, err = s.Store.AddUnplaced(ctx, programme, d)
	return it, problem(err)
}

// proposalStill answers with the picture of a proposal.
func (s *server) proposalStill(w http.ResponseWriter, r *http.Request) {
	b, err := s.Store.ProposalStill(r.Context(), chi.URLParam(r, "id"))
	if err != nil {
		failed(w, err)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	w.Write(b)
}

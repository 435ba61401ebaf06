package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"celator/core/clearance"
	"celator/core/cover"
	"celator/core/geom"
	"celator/core/proposal"
	"celator/internal/reader"
	"celator/internal/store"
)

type (
	ProposalView struct {
		store.Proposal
		Group   int     `json:"group" doc:"those of a kind that read nearly the same are one sign"`
		Offered bool    `json:"offered" doc:"by the programme's rules; what is not is still kept"`
		Asked   string  `json:"asked,omitempty" doc:"the item of the list that asks for what it reads"`
		Near    float64 `json:"near" doc:"how nearly, 0 to 1"`
		In      string  `json:"in,omitempty" doc:"the shot that shows it"`
	}
	proposalsView struct {
		Proposals []ProposalView    `json:"proposals" doc:"in the order of the sources' frames"`
		Runs      []store.FindRun   `json:"runs" doc:"how far the sources were looked through"`
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
		"Make drafts of all that is offered and that the list asks for, in its order", 200), s.draft)
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
	p, err := s.Store.Programme(ctx, id)
	if err != nil {
		return v, err
	}
	v = proposalsView{Proposals: []ProposalView{}, Offers: map[string]string{}, Titles: map[string]string{}}
	all, err := s.Store.Proposals(ctx, id)
	if err == nil {
		v.Runs, err = s.Store.FindRuns(ctx, id)
	}
	if err == nil {
		v.Shots, err = s.Store.Shots(ctx, id)
	}
	if err == nil {
		v.Items, err = s.Store.Items(ctx, id)
	}
	if err != nil {
		return v, err
	}
	for _, k := range proposal.Kinds {
		v.Offers[string(k)], v.Titles[string(k)] = string(p.Offers.V.For(k)), k.Title()
	}
	if err := reader.Check(reader.Dir()); err != nil {
		v.Absent = sentence(err)
	}
	var wanted []proposal.Wanted
	for _, it := range v.Items {
		wanted = append(wanted, proposal.Words(it.ID, it.Name, it.Description)...)
	}
	kinds, texts := make([]proposal.Kind, len(all)), make([]string, len(all))
	for i, q := range all {
		kinds[i], texts[i] = q.Kind, q.Text
	}
	groups := proposal.Group(kinds, texts)
	for i, q := range all {
		w := ProposalView{Proposal: q, Group: groups[i], In: shotOf(v.Shots, q)}
		w.Asked, w.Near = proposal.Asked(q.Text, wanted)
		w.Offered = p.Offers.V.Offers(q.Kind, w.Asked != "")
		v.Proposals = append(v.Proposals, w)
	}
	return v, nil
}

// draft makes drafts of what the list asks for; they are followed after all that somebody waits for.
func (s *server) draft(ctx context.Context, in *struct {
	ByID
	Body draftBody
},
) (*body[acceptedView], error) {
	v, err := s.offered(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	styles, err := s.Store.Styles(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	out := acceptedView{Covers: []acceptedRow{}, Left: []leftProposal{}}
	for _, it := range v.Items {
		if len(in.Body.Items) > 0 && !slices.Contains(in.Body.Items, it.ID) {
			continue
		}
		for _, p := range v.Proposals {
			if p.State != store.OpenProposal || p.Asked != it.ID {
				continue
			}
			if err := s.acceptOne(ctx, p.Proposal, it, styles, true, &out); err != nil {
				return nil, problem(err)
			}
		}
	}
	return &body[acceptedView]{out}, nil
}

func (s *server) shotProposals(ctx context.Context, in *ByID) (*body[[]shotProposalView], error) {
	sh, err := s.Store.Shot(ctx, in.ID)
	if err != nil {
		return nil, problem(err)
	}
	v, err := s.offered(ctx, sh.Programme)
	if err != nil {
		return nil, problem(err)
	}
	out := []shotProposalView{}
	for _, p := range v.Proposals {
		if p.In != sh.ID || !p.Offered || p.State != store.OpenProposal && p.State != store.LaterProposal {
			continue
		}
		w := shotProposalView{ProposalView: p, Seen: []proposal.Sight{}}
		for _, sight := range p.Sights.V {
			sight.Frame -= sh.First
			w.Seen = append(w.Seen, sight)
		}
		out = append(out, w)
	}
	return &body[[]shotProposalView]{out}, nil
}

// shotOf is the shot that shows a proposal where it is seen best; empty where none does.
func shotOf(shots []store.Shot, p store.Proposal) string {
	sh, _ := store.Showing(shots, p.Source, p.Frame)
	return sh.ID
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
		if p.State == store.AcceptedProposal {
			v.Left = append(v.Left, leftProposal{p.ID, "It was accepted already."})
			continue
		}
		if err := s.acceptOne(ctx, p, item, styles, false, &v); err != nil {
			return nil, problem(err)
		}
	}
	return &body[acceptedView]{v}, nil
}

// acceptOne makes a proposal a cover of an item, or tells why that cannot be; later says that nobody waits for it.
func (s *server) acceptOne(ctx context.Context, p store.Proposal, item store.Item, styles []store.Style, later bool,
	v *acceptedView,
) error {
	row, err := s.makeCover(ctx, p, item, styles, later)
	switch {
	case errors.Is(err, store.ErrNone):
		v.Left = append(v.Left, leftProposal{p.ID, "No shot shows it any more."})
	case err != nil:
		return err
	default:
		v.Covers = append(v.Covers, row)
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

// makeCover makes a proposal a cover in the shot that shows it, and has it followed.
func (s *server) makeCover(ctx context.Context, p store.Proposal, item store.Item,
	styles []store.Style, later bool,
) (row acceptedRow, err error) {
	sh, err := s.Store.ShotAt(ctx, p.Source, p.Frame)
	if err != nil {
		return row, err
	}
	m := proposal.Making{
		Cover: p.ID, Track: store.NewID(), Item: item.ID, Name: item.Name, Kind: p.Kind, Outline: p.Best().Outline(),
		At:     p.Frame - sh.First,
		Span:   cover.Span{First: max(p.First-sh.First, 0), Last: min(p.Last-sh.First, sh.Frames-1)},
		Frames: sh.Frames,
	}
	for _, st := range styles {
		for _, k := range st.Kinds.V {
			if k == item.Kind {
				m.StyleID, m.Style = st.ID, &st.Style.V
			}
		}
	}
	cmds, t := m.Commands()
	var made store.Revision
	for range 20 { // others may change the shot meanwhile
		var head int
		if head, err = s.Store.HeadNumber(ctx, sh.ID); err != nil {
			return row, err
		}
		on := store.On{Base: head, Author: asker(ctx), Key: accepting(p)}
		made, err = s.Store.Edit(ctx, sh.ID, on, func(d *cover.Document) (*cover.Document, string, error) {
			return d.Apply(cmds...)
		})
		var conflict *store.Conflict
		if !errors.As(err, &conflict) {
			break
		}
	}
	if err != nil {
		return row, err
	}
	// Where the answer to an acceptance was lost, its cover hides the item that was made then.
	if c := made.Document.Find(m.Cover); c != nil {
		item.ID = c.Item
	}
	if err = s.Store.Place(ctx, item.ID, sh.ID, m.Span.First, m.Span.Last); err != nil {
		return row, err
	}
	if err = s.Store.Accepted(ctx, p.ID, item.ID, sh.ID, m.Cover, asker(ctx)); err != nil {
		return row, err
	}
	return acceptedRow{p.ID, sh.ID, m.Cover}, s.followDraft(ctx, sh, m, t, later)
}

// accepting names the acceptance of a proposal: sent again it is the same, after it was opened again another.
func accepting(p store.Proposal) string {
	key := "accept-" + p.ID
	if p.At != nil {
		key += fmt.Sprintf("-%d", p.At.UnixMilli())
	}
	return key
}

// followDraft has what was accepted followed through its shot, if there is anything to follow.
func (s *server) followDraft(ctx context.Context, sh store.Shot, m proposal.Making, t cover.Track,
	later bool,
) error {
	if sh.Frames < 2 || geom.Area(t.Surface) == 0 {
		return nil
	}
	a := store.Attempt{ID: store.NewID(), Shot: sh.ID, Track: t.ID, State: store.Queued, Frames: sh.Frames}
	a.Spec.V = store.AttemptSpec{
		Track: t, From: 0, To: sh.Frames - 1, Ride: m.Cover, At: cover.Time(m.At), Take: true, Later: later,
		Author: asker(ctx),
	}
	if err := s.Store.AddAttempt(ctx, a); err != nil {
		return fmt.Errorf("the cover was made, but cannot be followed: %w", err)
	}
	return nil
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

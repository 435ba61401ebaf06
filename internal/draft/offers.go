package draft

import (
	"context"

	"celator/core/proposal"
	"celator/internal/store"
)

// Offer is a proposal with what the clearance list and the programme's rules say of it.
type Offer struct {
	store.Proposal
	Group   int     `json:"group" doc:"those of a kind that read nearly the same are one sign, as is what is of one item"`
	Offered bool    `json:"offered" doc:"by the programme's rules; what is not is still kept"`
	Asked   string  `json:"asked,omitempty" doc:"the item of the list that asks for what it reads, or looks like"`
	Near    float64 `json:"near" doc:"how nearly, 0 to 1"`
	In      string  `json:"in,omitempty" doc:"the shot that shows it"`
}

// Offers are a programme's proposals, in the order of its sources' frames.
type Offers struct {
	All   []Offer
	Items []store.Item
	Shots []store.Shot
	Rules proposal.Rules
}

// Read returns what was found in a programme.
func Read(ctx context.Context, st *store.Store, programme string) (v Offers, err error) {
	l, err := wanted(ctx, st, programme)
	if err != nil {
		return v, err
	}
	all, err := st.Proposals(ctx, programme)
	if err == nil {
		v.Shots, err = st.Shots(ctx, programme)
	}
	v.Items, v.Rules, v.All = l.items, l.rules, l.offers(all, v.Shots)
	return v, err
}

// InShot returns what was found in a shot and waits for a decision.
func InShot(ctx context.Context, st *store.Store, sh store.Shot) (out []Offer, err error) {
	l, err := wanted(ctx, st, sh.Programme)
	if err != nil {
		return nil, err
	}
	shots, err := st.ShotsOf(ctx, sh.Source)
	if err != nil {
		return nil, err
	}
	all, err := st.OpenAt(ctx, sh.Source, sh.First, sh.First+sh.Frames-1)
	if err != nil {
		return nil, err
	}
	for _, o := range l.offers(all, shots) {
		if o.In == sh.ID {
			out = append(out, o)
		}
	}
	return out, nil
}

// list is what a programme's clearance list and its rules ask for.
type list struct {
	items []store.Item
	rules proposal.Rules
	words []proposal.Wanted
	marks map[string]string // their items
}

func wanted(ctx context.Context, st *store.Store, programme string) (l list, err error) {
	p, err := st.Programme(ctx, programme)
	if err == nil {
		l.items, err = st.Items(ctx, programme)
	}
	if err != nil {
		return l, err
	}
	l.rules, l.marks = p.Offers.V, map[string]string{}
	for _, it := range l.items {
		l.words = append(l.words, proposal.Words(it.ID, it.Name, it.Description)...)
	}
	marks, err := st.Marks(ctx, programme)
	for _, m := range marks {
		l.marks[m.ID] = m.Item
	}
	return l, err
}

// offers says of each proposal what the list does, and which of some shots shows it.
func (l list) offers(all []store.Proposal, shots []store.Shot) (out []Offer) {
	kinds, texts := make([]proposal.Kind, len(all)), make([]string, len(all))
	for i, q := range all {
		kinds[i], texts[i] = q.Kind, q.Text
		if q.Mark != nil {
			texts[i] = "item " + l.marks[*q.Mark]
		}
	}
	groups := proposal.Group(kinds, texts)
	for i, q := range all {
		sh, _ := store.Showing(shots, q.Source, q.Frame)
		w := Offer{Proposal: q, Group: groups[i], In: sh.ID}
		w.Asked, w.Near = proposal.Asked(q.Text, l.words)
		if q.Mark != nil {
			w.Asked, w.Near = l.marks[*q.Mark], q.Sure
		}
		w.Offered = l.rules.Offers(q.Kind, w.Asked != "")
		out = append(out, w)
	}
	return out
}

// Next is the first that is open, offered and asked for, in the order of the list; of some items, or of all. What skip
// names is passed over.
func (v Offers) Next(items []string, skip map[string]bool) (o Offer, it store.Item, ok bool) {
	some := map[string]bool{}
	for _, id := range items {
		some[id] = true
	}
	for _, it := range v.Items {
		if len(some) > 0 && !some[it.ID] {
			continue
		}
		for _, looks := range []bool{true, false} { // what looks like it has its outline in place
			for _, o := range v.All {
				if o.State == store.OpenProposal && o.Offered && o.Asked == it.ID && o.In != "" && !skip[o.ID] &&
					(o.Mark != nil) == looks {
					return o, it, true
				}
			}
		}
	}
	return o, it, false
}

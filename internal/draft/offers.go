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
	p, err := st.Programme(ctx, programme)
	if err != nil {
		return v, err
	}
	v.Rules = p.Offers.V
	all, err := st.Proposals(ctx, programme)
	if err == nil {
		v.Shots, err = st.Shots(ctx, programme)
	}
	if err == nil {
		v.Items, err = st.Items(ctx, programme)
	}
	var marks []store.MarkRow
	if err == nil {
		marks, err = st.Marks(ctx, programme)
	}
	if err != nil {
		return v, err
	}
	of := map[string]string{}
	for _, m := range marks {
		of[m.ID] = m.Item
	}
	var wanted []proposal.Wanted
	for _, it := range v.Items {
		wanted = append(wanted, proposal.Words(it.ID, it.Name, it.Description)...)
	}
	kinds, texts := make([]proposal.Kind, len(all)), make([]string, len(all))
	for i, q := range all {
		kinds[i], texts[i] = q.Kind, q.Text
		if q.Mark != nil {
			texts[i] = "item " + of[*q.Mark]
		}
	}
	groups := proposal.Group(kinds, texts)
	for i, q := range all {
		sh, _ := store.Showing(v.Shots, q.Source, q.Frame)
		w := Offer{Proposal: q, Group: groups[i], In: sh.ID}
		w.Asked, w.Near = proposal.Asked(q.Text, wanted)
		if q.Mark != nil {
			w.Asked, w.Near = of[*q.Mark], q.Sure
		}
		w.Offered = v.Rules.Offers(q.Kind, w.Asked != "")
		v.All = append(v.All, w)
	}
	return v, nil
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

package store

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"celator/core/proposal"
	"celator/core/reading"
)

// Proposal is something that was found and may have to be hidden.
type Proposal struct {
	ID     string                 `db:"id" json:"id"`
	Source string                 `db:"source" json:"source"`
	Piece  int                    `db:"piece" json:"-"`
	Kind   proposal.Kind          `db:"kind" json:"kind" enum:"plate,phone,number,text,face,mark"`
	Text   string                 `db:"text" json:"text" doc:"what it reads"`
	Sure   float64                `db:"sure" json:"sure" doc:"0 to 1"`
	First  int                    `db:"first" json:"first" doc:"of the source's frames, on which it was seen or followed"`
	Last   int                    `db:"last" json:"last"`
	Frame  int                    `db:"frame" json:"frame" doc:"on which it is seen best"`
	Height float64                `db:"height" json:"height" doc:"there, px"`
	Sights JSON[[]proposal.Sight] `db:"sights" json:"-"`
	State  ProposalState          `db:"state" json:"state" enum:"open,later,accepted,unneeded"`
	Mark   *string                `db:"mark" json:"mark,omitempty" doc:"the picture by which it was found"`
	Item   *string                `db:"item" json:"item,omitempty" doc:"of the list that it belongs to"`
	Shot   *string                `db:"shot" json:"shot,omitempty" doc:"in which a cover was made of it"`
	Cover  string                 `db:"cover" json:"cover,omitempty"`
	Reason string                 `db:"reason" json:"reason"`
	By     string                 `db:"by" json:"by" doc:"who decided"`
	At     *time.Time             `db:"at" json:"at,omitempty"`
	Found  time.Time              `db:"found" json:"found"`
	Still  []byte                 `db:"-" json:"-"`
}

// ProposalState is what became of a proposal.
type ProposalState string

const (
	OpenProposal     ProposalState = "open"
	LaterProposal    ProposalState = "later"
	AcceptedProposal ProposalState = "accepted" // it is of an item, and a cover was made
	UnneededProposal ProposalState = "unneeded" // it needs no cover
)

const proposalColumns = `proposal.id, proposal.source, piece, proposal.kind, text, sure, proposal.first, proposal.last,
	proposal.frame, height, sights, proposal.state, proposal.mark, proposal.item, proposal.shot, proposal.cover,
	proposal.reason, proposal.by, proposal.at, found`

// Best is the sight that shows it best.
func (p Proposal) Best() proposal.Sight {
	i := slices.IndexFunc(p.Sights.V, func(s proposal.Sight) bool { return s.Frame == p.Frame })
	return p.Sights.V[max(i, 0)]
}

// Proposals lists a programme's, in the order of its sources' frames.
func (s *Store) Proposals(ctx context.Context, programme string) (out []Proposal, err error) {
	out = []Proposal{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+proposalColumns+` FROM proposal
		JOIN source ON source.id = proposal.source WHERE source.programme = $1
		ORDER BY source.created, proposal.first, proposal.id`, programme)
}

// ProposalsByID returns some, in the order in which they are asked for. ErrNone says that one is not there.
func (s *Store) ProposalsByID(ctx context.Context, ids []string) (out []Proposal, err error) {
	err = s.db.SelectContext(ctx, &out, `SELECT `+proposalColumns+` FROM proposal WHERE id = ANY($1)
		ORDER BY array_position($1, id)`, ids)
	if err == nil && len(out) != len(ids) {
		err = ErrNone
	}
	return out, err
}

// ProposalStill returns the picture of a proposal, as a PNG.
func (s *Store) ProposalStill(ctx context.Context, id string) (b []byte, err error) {
	return b, none(s.db.GetContext(ctx, &b, `SELECT still FROM proposal WHERE id = $1 AND still IS NOT NULL`, id))
}

// Unneeded is what is not offered again.
type Unneeded struct {
	ID        string        `db:"id"`
	Programme *string       `db:"programme"`
	Kind      proposal.Kind `db:"kind"`
	Text      string        `db:"text"`
	Reason    string        `db:"reason"`
	By        string        `db:"by"`
	At        time.Time     `db:"at"`
}

// FoundProposals enters what was found in a stretch of a source, up to a frame that it does not hold any
// more, of which so many frames were looked at. What was found before and decided stays as it
// is; what was not decided makes way. What reads like something that is not needed is entered
// as such.
func (s *Store) FoundProposals(ctx context.Context, source string, piece, to, looked int, found []Proposal) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM source WHERE id = $1 FOR KEY SHARE`,
			source); err != nil {
			return none(err)
		}
		res, err := tx.ExecContext(ctx, `UPDATE find_run SET done = $2, reached = $2, looked = looked + $3,
			state = 'running', waiting = '', at = now() WHERE source = $1`, source, to, looked)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return ErrNone
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM proposal WHERE source = $1 AND first >= $2 AND first < $3
			AND state = 'open' AND kind <> 'mark'`, source, piece, to); err != nil {
			return err
		}
		var before []Proposal
		if err := tx.SelectContext(ctx, &before, `SELECT `+proposalColumns+` FROM proposal
			WHERE source = $1 AND last >= $2 AND first < $3`, source, piece, to); err != nil {
			return err
		}
		var unneeded []Unneeded
		if err := tx.SelectContext(ctx, &unneeded, `SELECT * FROM unneeded
			WHERE programme = $1 OR programme IS NULL ORDER BY at`, programme); err != nil {
			return err
		}
		matches := proposal.Matches(rules(before), rules(found))
		for i, p := range found {
			if matches[i] >= 0 {
				continue
			}
			p.State = OpenProposal
			for _, u := range unneeded {
				if proposal.Alike(u.Kind, u.Text, p.Kind, p.Text) {
					p.State, p.Reason, p.By, p.At = UnneededProposal, u.Reason, u.By, &u.At
				}
			}
			p.ID, p.Source, p.Piece = NewID(), source, piece
			if err := insertProposal(ctx, tx, p); err != nil {
				return err
			}
		}
		return errors.Join(notify(ctx, tx, "source", source), notify(ctx, tx, "proposals", programme))
	})
}

func insertProposal(ctx context.Context, tx *sqlx.Tx, p Proposal) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO proposal (id, source, piece, kind, text, sure, first, last, frame, height,
		sights, still, state, mark, reason, by, at)
		VALUES ($1,$2,$3,$4,$5,$6,$7,$8,$9,$10,$11,$12,$13,$14,$15,$16,$17)`, p.ID, p.Source, p.Piece, p.Kind, p.Text,
		p.Sure, p.First, p.Last, p.Frame, p.Height, p.Sights, p.Still, p.State, p.Mark, p.Reason, p.By, p.At)
	return err
}

// rules are proposals as the core's rules know them.
func rules(all []Proposal) []proposal.Proposal {
	out := make([]proposal.Proposal, len(all))
	for i, p := range all {
		out[i] = p.Rule()
	}
	return out
}

// Rule is a proposal as the core's rules know it.
func (p Proposal) Rule() proposal.Proposal {
	return proposal.Proposal{
		Kind: p.Kind, Text: p.Text, Sure: p.Sure, First: p.First, Last: p.Last, Sights: p.Sights.V, Best: p.Best(),
	}
}

// OpenAt lists what waits for a decision in a source, of what is seen in some of its frames.
func (s *Store) OpenAt(ctx context.Context, source string, first, last int) (out []Proposal, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT `+proposalColumns+` FROM proposal WHERE source = $1
		AND first <= $3 AND last >= $2 AND state IN ('open', 'later') ORDER BY first, id`, source, first, last)
}

// Verdict is what somebody says of proposals.
type Verdict struct {
	State  ProposalState // open, later or unneeded; to accept is Accepted's
	Reason string
	By     string
	// What reads so is not offered again: in this programme, or everywhere.
	Forget, Everywhere bool
}

// Judge enters a verdict on proposals. What was accepted has a cover and is not judged anew.
func (s *Store) Judge(ctx context.Context, ids []string, v Verdict) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var rows []struct {
			Programme string        `db:"programme"`
			Kind      proposal.Kind `db:"kind"`
			Text      string        `db:"text"`
		}
		err := tx.SelectContext(ctx, &rows, `UPDATE proposal SET state = $2, reason = $3, by = $4, at = now(), item = NULL
			FROM source WHERE source.id = proposal.source AND proposal.id = ANY($1) AND proposal.state <> 'accepted'
			RETURNING source.programme, proposal.kind, proposal.text`, ids, v.State, v.Reason, v.By)
		if err != nil {
			return err
		}
		if len(rows) == 0 {
			return ErrNone
		}
		said, told := map[string]bool{}, map[string]bool{}
		for _, r := range rows {
			told[r.Programme] = true
			key := r.Programme + string(r.Kind) + reading.Fold(r.Text)
			if !said[key] {
				said[key] = true
				if err := remember(ctx, tx, r.Programme, r.Kind, r.Text, v); err != nil {
					return err
				}
			}
		}
		for _, p := range slices.Sorted(maps.Keys(told)) {
			if err := notify(ctx, tx, "proposals", p); err != nil {
				return err
			}
		}
		return nil
	})
}

// remember enters that what reads so is not offered again, as far as a verdict says so; who opens it again has it
// offered again.
func remember(ctx context.Context, tx *sqlx.Tx, programme string, kind proposal.Kind, text string, v Verdict) error {
	forget := v.State == UnneededProposal && (v.Forget || v.Everywhere)
	if !proposal.Alike(kind, text, kind, text) || !forget && v.State != OpenProposal {
		return nil
	}
	var known []Unneeded
	if err := tx.SelectContext(ctx, &known, `SELECT * FROM unneeded WHERE kind = $1
		AND (programme = $2 OR programme IS NULL)`, kind, programme); err != nil {
		return err
	}
	for _, u := range known {
		if proposal.Alike(u.Kind, u.Text, kind, text) {
			if _, err := tx.ExecContext(ctx, `DELETE FROM unneeded WHERE id = $1`, u.ID); err != nil {
				return err
			}
		}
	}
	if !forget {
		return nil
	}
	of := &programme
	if v.Everywhere {
		of = nil
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO unneeded (id, programme, kind, text, reason, by)
		VALUES ($1,$2,$3,$4,$5,$6)`, NewID(), of, kind, text, v.Reason, v.By)
	return err
}

// Accepted enters that a proposal is of an item, and the cover that was made of it.
func (s *Store) Accepted(ctx context.Context, id, item, shot, cover, by string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `UPDATE proposal SET state = 'accepted', item = $2, shot = $3, cover = $4,
			by = $5, at = now(), reason = '' FROM source WHERE source.id = proposal.source AND proposal.id = $1
			RETURNING source.programme`, id, item, shot, cover, by); err != nil {
			return none(err)
		}
		return errors.Join(notify(ctx, tx, "proposals", programme), notify(ctx, tx, "programme", programme))
	})
}

// ShotAt returns the shot that shows a frame of a source.
func (s *Store) ShotAt(ctx context.Context, source string, frame int) (Shot, error) {
	all, err := s.ShotsOf(ctx, source)
	if err != nil {
		return Shot{}, err
	}
	sh, ok := Showing(all, source, frame)
	if !ok {
		return sh, ErrNone
	}
	return sh, nil
}

// Showing is the shot that shows a frame of a source: of several the shortest.
func Showing(shots []Shot, source string, frame int) (best Shot, ok bool) {
	for _, sh := range shots {
		if sh.Source == source && sh.First <= frame && frame <= sh.Last() && (!ok || sh.Frames < best.Frames) {
			best, ok = sh, true
		}
	}
	return best, ok
}

// Free opens a proposal again whose cover is gone.
func (s *Store) Free(ctx context.Context, id string) error {
	return affect(ctx, s.db, `UPDATE proposal SET state = 'open', item = NULL, shot = NULL, cover = '', at = now()
		WHERE id = $1 AND state = 'accepted'`, id)
}

// SetOffers enters what a programme's proposals are.
func (s *Store) SetOffers(ctx context.Context, programme string, r proposal.Rules) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := affect(ctx, tx, `UPDATE programme SET offers = $2 WHERE id = $1`, programme,
			JSON[proposal.Rules]{r}); err != nil {
			return err
		}
		return notify(ctx, tx, "proposals", programme)
	})
}

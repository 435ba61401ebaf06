package store

import (
	"context"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
)

// Style is a house style of a programme.
type Style struct {
	ID        string            `db:"id" json:"id"`
	Programme string            `db:"programme" json:"programme"`
	Name      string            `db:"name" json:"name"`
	Kinds     JSON[[]string]    `db:"kinds" json:"kinds"`
	Style     JSON[cover.Style] `db:"style" json:"style"`
	Created   time.Time         `db:"created" json:"created"`
}

// Styles lists a programme's, in the order they came.
func (s *Store) Styles(ctx context.Context, programme string) (out []Style, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM style WHERE programme = $1 ORDER BY created`, programme)
}

// Style returns one.
func (s *Store) Style(ctx context.Context, id string) (st Style, err error) {
	return st, none(s.db.GetContext(ctx, &st, `SELECT * FROM style WHERE id = $1`, id))
}

// AddStyle enters a style.
func (s *Store) AddStyle(ctx context.Context, st Style) (Style, error) {
	st.ID = NewID()
	err := s.tx(ctx, func(tx *sqlx.Tx) error { return saveStyle(ctx, tx, &st) })
	return st, err
}

// saveStyle enters a style, or changes it; a kind of item has one style at most, so the
// others lose what this one takes.
func saveStyle(ctx context.Context, tx *sqlx.Tx, st *Style) error {
	if st.Kinds.V == nil {
		st.Kinds.V = []string{}
	}
	err := tx.GetContext(ctx, st, `
		INSERT INTO style (id, programme, name, kinds, style) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (id) DO UPDATE SET name = $3, kinds = $4, style = $5 RETURNING *`,
		st.ID, st.Programme, st.Name, st.Kinds, st.Style)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `
		UPDATE style SET kinds = (SELECT coalesce(jsonb_agg(k), '[]') FROM jsonb_array_elements(kinds) k
			WHERE NOT $3::jsonb @> k)
		WHERE programme = $1 AND id <> $2`, st.Programme, st.ID, st.Kinds)
	if err != nil {
		return err
	}
	return notify(ctx, tx, "programme", st.Programme)
}

// Restyled says how many covers, in how many shots, a style was given to.
type Restyled struct{ Covers, Shots int }

// ChangeStyle changes a style and gives it to every cover of the programme that followed
// it as it was: all of it, or on an error nothing. Each shot gets a revision; a locked
// cover stays as it is.
func (s *Store) ChangeStyle(ctx context.Context, st Style, author string) (now Style, n Restyled, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var was Style
		if err := tx.GetContext(ctx, &was, `SELECT * FROM style WHERE id = $1 FOR UPDATE`, st.ID); err != nil {
			return none(err)
		}
		now = st
		if err := saveStyle(ctx, tx, &now); err != nil {
			return err
		}
		n, err = s.restyle(ctx, tx, now, author, func(c *cover.Cover, _ string) bool {
			return c.Follows(was.ID, &was.Style.V)
		})
		return err
	})
	return now, n, err
}

// ApplyStyle gives a style to every cover of the programme that hides an item of its
// kinds: to all of them, or on an error to none.
func (s *Store) ApplyStyle(ctx context.Context, id, author string) (st Style, n Restyled, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &st, `SELECT * FROM style WHERE id = $1 FOR UPDATE`, id); err != nil {
			return none(err)
		}
		n, err = s.restyle(ctx, tx, st, author, func(_ *cover.Cover, kind string) bool {
			return slices.Contains(st.Kinds.V, kind)
		})
		return err
	})
	return st, n, err
}

// RemoveStyle takes a style out; covers keep what they have.
func (s *Store) RemoveStyle(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `DELETE FROM style WHERE id = $1 RETURNING programme`, id); err != nil {
			return none(err)
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// restyle gives a style to each cover of the programme that wants it. Only shots whose
// newest document has covers are locked, in the order of their ids, so that two of these
// never wait for each other.
func (s *Store) restyle(ctx context.Context, tx *sqlx.Tx, st Style, author string,
	wants func(c *cover.Cover, kind string) bool,
) (n Restyled, err error) {
	var items []struct{ ID, Kind string }
	if err := tx.SelectContext(ctx, &items, `SELECT id, kind FROM item WHERE programme = $1`, st.Programme); err != nil {
		return n, err
	}
	kinds := map[string]string{}
	for _, it := range items {
		kinds[it.ID] = it.Kind
	}
	var covered []string
	err = tx.SelectContext(ctx, &covered, `
		SELECT shot.id FROM shot
		JOIN LATERAL (SELECT state FROM revision WHERE shot = shot.id ORDER BY number DESC LIMIT 1) head ON true
		JOIN revision ON revision.shot = shot.id AND revision.number = head.state
		WHERE shot.programme = $1 AND jsonb_array_length(document -> 'covers') > 0
		ORDER BY shot.id`, st.Programme)
	if err != nil {
		return n, err
	}
	for _, shot := range covered {
		head, err := s.head(ctx, tx, shot, "FOR NO KEY UPDATE")
		if err != nil {
			return n, err
		}
		var cmds cover.Commands
		for i := range head.Document.Covers {
			c := &head.Document.Covers[i]
			if len(c.HoldsOut) == 0 && !c.Locked && wants(c, kinds[c.Item]) && !c.Follows(st.ID, &st.Style.V) {
				cmds = append(cmds, cover.FollowStyle{Cover: c.ID, ID: st.ID, Style: &st.Style.V})
			}
		}
		if len(cmds) == 0 {
			continue
		}
		doc, _, err := head.Document.Apply(cmds...)
		if err != nil {
			return n, err
		}
		r := edit(head, doc, "house style "+st.Name)
		if err := s.append(ctx, tx, shot, On{Author: author}, head, &r); err != nil {
			return n, err
		}
		n.Covers, n.Shots = n.Covers+len(cmds), n.Shots+1
	}
	return n, nil
}

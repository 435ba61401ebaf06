package store

import (
	"context"
	"errors"
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

// SaveStyle enters a style, or changes it; a kind of item has one style at most, so the
// others lose what this one takes.
func (s *Store) SaveStyle(ctx context.Context, st Style) (Style, error) {
	err := s.tx(ctx, func(tx *sqlx.Tx) error {
		if st.Kinds.V == nil {
			st.Kinds.V = []string{}
		}
		if st.ID == "" {
			st.ID = NewID()
		}
		err := tx.GetContext(ctx, &st, `INSERT INTO style (id, programme, name, kinds, style) VALUES ($1, $2, $3, $4, $5)
			ON CONFLICT (id) DO UPDATE SET name = $3, kinds = $4, style = $5 RETURNING *`, st.ID, st.Programme, st.Name,
			st.Kinds, st.Style)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE style SET kinds = (SELECT coalesce(jsonb_agg(k), '[]') FROM jsonb_array_elements(kinds) k WHERE NOT $3::jsonb @> k)
			WHERE programme = $1 AND id <> $2`, st.Programme, st.ID, st.Kinds); err != nil {
			return err
		}
		return notify(ctx, tx, "programme", st.Programme)
	})
	return st, err
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

// Restyle gives a style to covers of all shots of its programme, a revision a shot: to
// each cover for which wants is true. It returns how many covers changed, in how many
// shots. A locked cover stays as it is.
func (s *Store) Restyle(ctx context.Context, st Style, author string,
	wants func(c *cover.Cover, kind string) bool,
) (covers, shots int, err error) {
	all, err := s.Shots(ctx, st.Programme)
	if err != nil {
		return 0, 0, err
	}
	items, err := s.Items(ctx, st.Programme)
	if err != nil {
		return 0, 0, err
	}
	kinds := map[string]string{}
	for _, it := range items {
		kinds[it.ID] = it.Kind
	}
	for _, sh := range all {
		for try := 0; ; try++ {
			head, err := s.Head(ctx, sh.ID)
			if err != nil {
				return covers, shots, err
			}
			var cmds []cover.Command
			for i := range head.Document.Covers {
				if c := &head.Document.Covers[i]; len(c.HoldsOut) == 0 && !c.Locked && wants(c, kinds[c.Item]) {
					if c.Follows(st.ID, &st.Style.V) {
						continue
					}
					cmds = append(cmds, cover.FollowStyle{Cover: c.ID, ID: st.ID, Style: &st.Style.V})
				}
			}
			if len(cmds) == 0 {
				break
			}
			_, err = s.Edit(ctx, sh.ID, On{Base: head.Number, Author: author},
				func(d *cover.Document) (*cover.Document, string, error) {
					next, _, err := d.Apply(cmds...)
					return next, "house style " + st.Name, err
				})
			var conflict *Conflict
			if errors.As(err, &conflict) && try < 5 {
				continue
			}
			if err != nil {
				return covers, shots, err
			}
			covers, shots = covers+len(cmds), shots+1
			break
		}
	}
	return covers, shots, nil
}

package store

import (
	"context"
	"errors"
	"time"

	"celator/internal/media"
)

// Preset is a house preset, for all programmes.
type Preset struct {
	Name   string             `db:"name"`
	Recipe JSON[media.Recipe] `db:"recipe"`
	By     string             `db:"by"`
	At     time.Time          `db:"at"`
}

// Presets lists the house presets by name.
func (s *Store) Presets(ctx context.Context) (out []Preset, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM preset ORDER BY name`)
}

// Recipe returns that of a house preset, or ErrNone.
func (s *Store) Recipe(ctx context.Context, name string) (r media.Recipe, err error) {
	var p Preset
	err = none(s.db.GetContext(ctx, &p, `SELECT * FROM preset WHERE name = $1`, name))
	return p.Recipe.V, err
}

// SavePreset enters a house preset, or changes the one of its name. Deliveries that were ordered go by
// what it was.
func (s *Store) SavePreset(ctx context.Context, r media.Recipe, by string) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO preset (name, recipe, by) VALUES ($1, $2, $3)
		ON CONFLICT (name) DO UPDATE SET recipe = $2, by = $3, at = now()`, r.Name, JSON[media.Recipe]{V: r}, by)
	return errors.Join(err, notify(ctx, s.db, "preset", r.Name))
}

// RemovePreset removes a house preset.
func (s *Store) RemovePreset(ctx context.Context, name string) error {
	res, err := s.db.ExecContext(ctx, `DELETE FROM preset WHERE name = $1`, name)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNone
	}
	return notify(ctx, s.db, "preset", name)
}

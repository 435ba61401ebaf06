package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
)

// AddGraphic keeps a graphic's picture and returns its id: the digest of its content.
func (s *Store) AddGraphic(ctx context.Context, png []byte) (string, error) {
	return addGraphic(ctx, s.db, png)
}

func addGraphic(ctx context.Context, db sqlx.ExecerContext, png []byte) (string, error) {
	h := sha256.Sum256(png)
	id := hex.EncodeToString(h[:16])
	_, err := db.ExecContext(ctx, `INSERT INTO graphic (id, png) VALUES ($1, $2) ON CONFLICT (id) DO UPDATE
		SET created = now()`, id, png) // not unused for as long as before
	return id, err
}

// Graphic returns a graphic's picture.
func (s *Store) Graphic(ctx context.Context, id string) ([]byte, error) {
	all, err := s.pictures(ctx, s.db, []string{id})
	if err == nil && all[id] == nil {
		err = ErrNone
	}
	return all[id], err
}

// pictures returns the pictures of those graphics that there are.
func (s *Store) pictures(ctx context.Context, db sqlx.QueryerContext, ids []string) (map[string][]byte, error) {
	all := map[string][]byte{}
	unknown := slices.DeleteFunc(slices.Clone(ids), func(id string) bool {
		b, ok := s.graphics.Get(id)
		if ok {
			all[id] = b
		}
		return ok
	})
	if len(unknown) == 0 {
		return all, nil
	}
	var rows []struct {
		ID  string `db:"id"`
		PNG []byte `db:"png"`
	}
	err := sqlx.SelectContext(ctx, db, &rows, `SELECT id, png FROM graphic WHERE id = ANY($1)`, unknown)
	for _, r := range rows {
		s.graphics.Add(r.ID, r.PNG)
		all[r.ID] = r.PNG
	}
	return all, err
}

// AttachGraphics gives a document's graphics their pictures.
func (s *Store) AttachGraphics(ctx context.Context, d *cover.Document) error {
	return s.attachGraphics(ctx, s.db, d)
}

func (s *Store) attachGraphics(ctx context.Context, db sqlx.QueryerContext, d *cover.Document) error {
	ids := make([]string, len(d.Graphics))
	for i, g := range d.Graphics {
		ids[i] = g.ID
	}
	pngs, err := s.pictures(ctx, db, ids)
	if err != nil {
		return err
	}
	d.AttachGraphics(func(id string) []byte { return pngs[id] })
	return nil
}

// adoptGraphics keeps the pictures that a document brings with it, under their own ids.
func adoptGraphics(ctx context.Context, tx *sqlx.Tx, d *cover.Document) error {
	d.Graphics = slices.Clone(d.Graphics)
	for i := range d.Graphics {
		g := &d.Graphics[i]
		if len(g.PNG) == 0 {
			continue
		}
		id, err := addGraphic(ctx, tx, g.PNG)
		if err != nil {
			return err
		}
		d.RenameGraphic(g.ID, id)
	}
	return nil
}

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
	return s.graphic(ctx, s.db, id)
}

func (s *Store) graphic(ctx context.Context, db sqlx.QueryerContext, id string) ([]byte, error) {
	if b, ok := s.graphics.Get(id); ok {
		return b, nil
	}
	var b []byte
	if err := sqlx.GetContext(ctx, db, &b, `SELECT png FROM graphic WHERE id = $1`, id); err != nil {
		return nil, none(err)
	}
	s.graphics.Add(id, b)
	return b, nil
}

// AttachGraphics gives a document's graphics their pictures.
func (s *Store) AttachGraphics(ctx context.Context, d *cover.Document) error {
	return s.attachGraphics(ctx, s.db, d)
}

func (s *Store) attachGraphics(ctx context.Context, db sqlx.QueryerContext, d *cover.Document) error {
	pngs := map[string][]byte{}
	for _, g := range d.Graphics {
		b, err := s.graphic(ctx, db, g.ID)
		if err != nil && err != ErrNone {
			return err
		}
		pngs[g.ID] = b
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

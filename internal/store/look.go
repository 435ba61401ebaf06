package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Looks are what was looked at: by cover and frame, the digest of the cover as
// it stood.
type Looks map[string]map[int]string

// Looked enters frames of a cover as looked at.
func (s *Store) Looked(ctx context.Context, shot, cover, author string, frames map[int]string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var id string
		if err := tx.GetContext(ctx, &id, `SELECT id FROM shot WHERE id = $1`, shot); err != nil {
			return none(err)
		}
		var at []int32
		var digests []string
		for f, digest := range frames {
			at, digests = append(at, int32(f)), append(digests, digest)
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO look (shot, cover, frame, digest, author)
			SELECT $1, $2, f.frame, f.digest, $5 FROM unnest($3::int[], $4::text[]) AS f (frame, digest)
			ON CONFLICT (shot, cover, frame) DO UPDATE SET digest = excluded.digest, author = excluded.author, at = now()`,
			shot, cover, at, digests, author)
		if err != nil {
			return err
		}
		return notify(ctx, tx, "look", shot)
	})
}

// Looks returns what was looked at in a shot.
func (s *Store) Looks(ctx context.Context, shot string) (Looks, error) {
	var rows []struct {
		Cover  string `db:"cover"`
		Frame  int    `db:"frame"`
		Digest string `db:"digest"`
	}
	out := Looks{}
	err := s.db.SelectContext(ctx, &rows, `SELECT cover, frame, digest FROM look WHERE shot = $1`, shot)
	for _, r := range rows {
		if out[r.Cover] == nil {
			out[r.Cover] = map[int]string{}
		}
		out[r.Cover][r.Frame] = r.Digest
	}
	return out, err
}

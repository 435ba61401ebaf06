package store

import (
	"context"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"
)

// Folders are those that the database knows in the store: sources/ID and deliveries/ID.
func (s *Store) Folders(ctx context.Context) (map[string]bool, error) {
	var all []string
	err := s.db.SelectContext(ctx, &all, `SELECT 'sources/' || id FROM source UNION ALL SELECT 'deliveries/' || id
		FROM delivery`)
	return set(all), err
}

// NeededSegments are the keys of the segments that deliveries under way will join.
func (s *Store) NeededSegments(ctx context.Context) (map[string]bool, error) {
	var all []string
	err := s.db.SelectContext(ctx, &all, `SELECT DISTINCT key FROM segment
		JOIN delivery d ON d.id = segment.delivery WHERE d.state NOT IN ('done', 'failed', 'cancelled')`)
	return set(all), err
}

func set(all []string) map[string]bool {
	out := map[string]bool{}
	for _, v := range all {
		out[v] = true
	}
	return out
}

// errDry ends a transaction that was only to find out.
var errDry = errors.New("not for real")

// DropAttempts removes the attempts that ended longer ago than age and that no revision,
// and no attempt that stays, points at. It returns their ids; dry leaves them.
func (s *Store) DropAttempts(ctx context.Context, age time.Duration, dry bool) (ids []string, err error) {
	return s.drop(ctx, dry, `SELECT id FROM attempt WHERE state IN ('done', 'stopped', 'failed') AND
		coalesce(finished, created) < now() - $1::interval
			AND id NOT IN (SELECT spec->>'base' FROM attempt WHERE state IN ('queued', 'running', 'stopping')
			AND spec->>'base' IS NOT NULL) FOR UPDATE SKIP LOCKED`,
		`DELETE FROM attempt WHERE id = ANY($1) AND id NOT IN (
			SELECT t->>'attempt' FROM revision r, jsonb_array_elements(r.document->'tracks') t WHERE r.shot
			IN (SELECT shot FROM attempt WHERE id = ANY($1)) AND t->>'attempt' IS NOT NULL
			UNION ALL
			SELECT c->'proposed'->>'run' FROM revision r, jsonb_array_elements(r.document->'covers') c WHERE r.shot
			IN (SELECT shot FROM attempt WHERE id = ANY($1)) AND c->'proposed'->>'run' IS NOT NULL
		) RETURNING id`, age)
}

// DropGraphics removes the graphics that came longer ago than age and that no revision
// points at.
func (s *Store) DropGraphics(ctx context.Context, age time.Duration, dry bool) (ids []string, err error) {
	return s.drop(ctx, dry, `SELECT id FROM graphic WHERE created < now() - $1::interval FOR UPDATE SKIP LOCKED`,
		`DELETE FROM graphic WHERE id = ANY($1) AND id NOT IN (
			SELECT g->>'id' FROM revision r, jsonb_array_elements(r.document->'graphics') g
			WHERE r.document->'graphics' IS NOT NULL AND g->>'id' IS NOT NULL
		) RETURNING id`, age)
}

// drop locks what find finds and then removes those of it that nothing points at: who
// enters a pointer meanwhile holds a lock on the row, and it is left.
func (s *Store) drop(ctx context.Context, dry bool, find, remove string, age time.Duration) (ids []string, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var old []string
		if err := tx.SelectContext(ctx, &old, find, age.String()); err != nil || len(old) == 0 {
			return err
		}
		if err := tx.SelectContext(ctx, &ids, remove, old); err != nil {
			return err
		}
		if dry {
			return errDry
		}
		return nil
	})
	if errors.Is(err, errDry) {
		err = nil
	}
	return ids, err
}

// Workers lists who works on the queue.
func (s *Store) Workers(ctx context.Context) (map[string]bool, error) {
	var all []string
	err := s.db.SelectContext(ctx, &all, `SELECT id FROM worker`)
	return set(all), err
}

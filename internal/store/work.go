package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Work is something that the queue does or will do, and that takes long.
type Work struct {
	Kind      string `db:"kind" json:"kind" enum:"drawing,import,search,find,seek,draft,track,holdout,check,delivery"`
	ID        string `db:"id" json:"id" doc:"of the source, the run, the shot, the delivery or, of drafts, the programme"`
	Programme string `db:"programme" json:"programme"`
	Shot      string `db:"shot" json:"shot" doc:"empty where it concerns a whole source"`
	Name      string `db:"name" json:"name" doc:"of what it is done to"`
	State     string `db:"state" json:"state" doc:"as of the thing itself"`
	Done      int    `db:"done" json:"done" doc:"frames"`
	Frames    int    `db:"frames" json:"frames" doc:"0 where it is not known yet"`
	Waiting   string `db:"waiting" json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
	By        bool   `db:"by_the_way" json:"byTheWay" doc:"nobody asked for it"`
}

// Work lists what goes on and what waits for its turn, of all programmes, in the order in
// which it was asked for.
func (s *Store) Work(ctx context.Context) (out []Work, err error) {
	out = []Work{}
	return out, s.db.SelectContext(ctx, &out, `
		SELECT kind, id, programme, shot, name, state, done, frames, waiting, by_the_way FROM (
			SELECT 'import' AS kind, id, programme, '' AS shot, name, state, views AS done, frames, waiting,
				false AS by_the_way, created FROM source WHERE state IN ('queued', 'conforming', 'viewing')
			UNION ALL
			SELECT 'drawing', id, programme, '', title, state, done, frames, waiting, true, created FROM drawing
				WHERE state IN ('queued', 'drawing')
			UNION ALL
			SELECT 'search', id, programme, '', name, 'running', searching, frames, '', true, created FROM source
				WHERE state = 'ready' AND NOT searched AND EXISTS (SELECT 1 FROM river_job WHERE kind = 'search' AND
				args ->> 'source' = source.id AND finalized_at IS NULL)
			UNION ALL
			SELECT 'find', o.id, o.programme, '', o.name, f.state, f.reached, o.frames, f.waiting, f.by = '', f.at
				FROM find_run f JOIN source o ON o.id = f.source WHERE f.state IN ('queued', 'running')
			UNION ALL
			SELECT 'seek', o.id, o.programme, '', o.name, max(k.state), min(k.done), o.frames, max(k.waiting), true, min(k.at)
				FROM seek k JOIN source o ON o.id = k.source WHERE k.state IN ('queued', 'running') GROUP BY o.id
			UNION ALL
			SELECT 'draft', p.id, p.id, '', p.name, r.state, 0, 0, r.waiting, false, r.at FROM draft_run r
				JOIN programme p ON p.id = r.programme WHERE r.state IN ('queued', 'running')
			UNION ALL
			SELECT CASE WHEN a.spec ? 'foreground' THEN 'holdout' ELSE 'track' END, a.id, h.programme, h.id,
				a.spec -> 'track' ->> 'name', a.state, a.done, a.frames, a.waiting,
				coalesce((a.spec -> 'compare')::boolean, false), a.created FROM attempt a JOIN shot h ON h.id = a.shot
				WHERE a.state IN ('queued', 'running', 'stopping')
			UNION ALL
			SELECT 'check', h.id, h.programme, h.id, h.name, c.state, CASE c.state WHEN 'running' THEN c.done ELSE 0 END,
				c.frames, c.waiting, NOT c.awaited, c.at FROM check_run c JOIN shot h ON h.id = c.shot
				WHERE c.state IN ('queued', 'running')
			UNION ALL
			SELECT 'delivery', d.id, o.programme, coalesce(d.shot, ''), d.name, d.state,
				CASE d.state WHEN 'verifying' THEN d.verified ELSE
					coalesce((SELECT sum(g.done) FROM segment g WHERE g.delivery = d.id), 0) END,
				d.frames, d.waiting, false, d.created FROM delivery d JOIN source o ON o.id = d.source
				WHERE d.state IN ('queued', 'rendering', 'joining', 'verifying')
		) w ORDER BY created, id`)
}

// SetSearch says how far the search for cuts has come. It reports whether it is still
// wanted.
func (s *Store) SetSearch(ctx context.Context, source string, done int) (wanted bool, err error) {
	res, err := s.db.ExecContext(ctx, `UPDATE source SET searching = $2 WHERE id = $1 AND NOT searched`, source, done)
	if err != nil {
		return false, err
	}
	n, _ := res.RowsAffected()
	return n > 0, notify(ctx, s.db, "search", source)
}

// StopSearch ends the search for cuts; people find them themselves.
func (s *Store) StopSearch(ctx context.Context, source string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE source SET searched = true WHERE id = $1 AND NOT searched`, source)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return ErrNone
		}
		return notify(ctx, tx, "source", source)
	})
}

// StopCheck ends the check of a shot until it is asked for again or the shot changes.
func (s *Store) StopCheck(ctx context.Context, shot string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE check_run SET state = 'stopped', awaited = false, waiting = '', at = now()
			WHERE shot = $1 AND state IN ('queued', 'running')`, shot)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return ErrNone
		}
		return notify(ctx, tx, "check", shot)
	})
}

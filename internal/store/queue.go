package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
)

// All that knows the queue's own table stands here.

// MaxTakeovers is how often a job may lose its worker. Each is forgiven, for a machine
// may be restarted any number of times; but a job that ends every worker it meets must
// end as well.
const MaxTakeovers = 60

// Alive says that a worker is at work on some jobs, by their ids, and hands the jobs that
// nobody works on back to the queue: those of workers that have been silent for longer
// than lost, and those that the queue takes this worker to be at while it is not, since
// their end could not be written.
func (s *Store) Alive(ctx context.Context, worker string, holding []int64, lost time.Duration) (handedBack int64,
	err error,
) {
	if _, err := s.db.ExecContext(ctx, `INSERT INTO worker (id) VALUES ($1) ON CONFLICT (id) DO UPDATE
		SET seen = now()`, worker); err != nil {
		return 0, err
	}
	if _, err := s.db.ExecContext(ctx, `DELETE FROM worker WHERE seen < now() - $1::interval`, lost.String()); err != nil {
		return 0, err
	}
	if holding == nil {
		holding = []int64{}
	}
	res, err := s.db.ExecContext(ctx, `UPDATE river_job SET state = 'available', scheduled_at = now(),
		max_attempts = least(max_attempts + 1, $4)
		WHERE state = 'running' AND attempted_at < now() - $1::interval
		AND (attempted_by[array_upper(attempted_by, 1)] = $2 AND id <> ALL($3)
			OR NOT EXISTS (SELECT 1 FROM worker WHERE worker.id = attempted_by[array_upper(attempted_by, 1)]))`,
		lost.String(), worker, holding, MaxTakeovers)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}

// Gone says that a worker has ended; its jobs are free at once.
func (s *Store) Gone(ctx context.Context, worker string) {
	s.db.ExecContext(ctx, `DELETE FROM worker WHERE id = $1`, worker)
}

// unended are the things that wait for a job of the queue, and what puts it there again.
var unended = []struct {
	find string // $1: the age from which a thing without a job is stranded
	add  func(s *Store, ctx context.Context, tx *sqlx.Tx, id string) error
}{
	{
		`SELECT id FROM source t WHERE state IN ('queued', 'conforming', 'viewing') AND created < now() - $1::interval
			AND ` + jobless("ingest", "source", "id") + ` AND ` + jobless("piece", "source", "id"),
		again(func(id string) river.JobArgs { return IngestArgs{id} }),
	},
	{
		`SELECT id FROM drawing t WHERE state IN ('queued', 'drawing') AND created < now() - $1::interval AND ` +
			jobless("draw", "drawing", "id"),
		again(func(id string) river.JobArgs { return DrawArgs{id} }),
	},
	{
		`SELECT id FROM handover t WHERE state IN ('queued', 'sending') AND created < now() - $1::interval AND ` +
			jobless("hand", "handover", "id"),
		again(func(id string) river.JobArgs { return HandArgs{id} }),
	},
	{
		`SELECT id FROM attempt t WHERE state IN ('queued', 'running', 'stopping') AND created < now() - $1::interval
			AND ` + jobless("follow", "attempt", "id"),
		func(s *Store, ctx context.Context, tx *sqlx.Tx, id string) error {
			return s.queueAttempt(ctx, tx, id, false)
		},
	},
	{
		`SELECT shot FROM check_run t WHERE state IN ('queued', 'running') AND at < now() - $1::interval AND ` +
			jobless("check", "shot", "shot"),
		again(func(id string) river.JobArgs { return CheckArgs{Shot: id} }),
	},
	{
		`SELECT source FROM find_run t WHERE state IN ('queued', 'running') AND at < now() - $1::interval AND ` +
			jobless("find", "source", "source"),
		again(func(id string) river.JobArgs { return FindArgs{id} }),
	},
	{
		`SELECT DISTINCT source FROM seek t WHERE state IN ('queued', 'running') AND at < now() - $1::interval AND ` +
			jobless("seek", "source", "source"),
		again(func(id string) river.JobArgs { return SeekArgs{id} }),
	},
	{
		`SELECT programme FROM draft_run t WHERE state IN ('queued', 'running') AND at < now() - $1::interval AND ` +
			jobless("draft", "programme", "programme"),
		again(func(id string) river.JobArgs { return DraftArgs{id} }),
	},
	{
		`SELECT id FROM delivery t WHERE state IN ('joining', 'verifying') AND created < now() - $1::interval AND ` +
			jobless("finish", "delivery", "id"),
		again(func(id string) river.JobArgs { return FinishArgs{id} }),
	},
	{
		`SELECT id FROM delivery t WHERE state IN ('queued', 'rendering') AND created < now() - $1::interval AND ` +
			jobless("segment", "delivery", "id"),
		func(s *Store, ctx context.Context, tx *sqlx.Tx, id string) error { return s.queueSegments(ctx, tx, id) },
	},
}

// again puts one job into the queue for a thing.
func again(args func(id string) river.JobArgs) func(*Store, context.Context, *sqlx.Tx, string) error {
	return func(s *Store, ctx context.Context, tx *sqlx.Tx, id string) error {
		_, err := s.queue.InsertTx(ctx, tx.Tx, args(id), nil)
		return err
	}
}

// queueSegments puts the segments of a delivery that are not finished into the queue.
func (s *Store) queueSegments(ctx context.Context, tx *sqlx.Tx, delivery string) error {
	var open []int
	if err := tx.SelectContext(ctx, &open, `SELECT number FROM segment WHERE delivery = $1 AND NOT finished
		ORDER BY number`, delivery); err != nil {
		return err
	}
	var priority int
	if err := tx.GetContext(ctx, &priority, `SELECT priority FROM delivery WHERE id = $1`, delivery); err != nil {
		return none(err)
	}
	for _, n := range open {
		opts := &river.InsertOpts{Priority: priority}
		if _, err := s.queue.InsertTx(ctx, tx.Tx, SegmentArgs{delivery, n}, opts); err != nil {
			return err
		}
	}
	return nil
}

// PauseDelivery lets a delivery rest: what is finished stays, what waits leaves the queue.
func (s *Store) PauseDelivery(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := affect(ctx, tx, `UPDATE delivery SET state = 'paused', waiting = '', paused = now()
			WHERE id = $1 AND state NOT IN ('paused', 'cancelled', 'done', 'failed')`, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM river_job WHERE kind IN ('segment', 'finish')
			AND args->>'delivery' = $1 AND state IN ('available', 'retryable', 'scheduled')`, id); err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", id)
	})
}

// ResumeDelivery goes on with a delivery that rests.
func (s *Store) ResumeDelivery(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var state string
		err := tx.GetContext(ctx, &state, `UPDATE delivery SET state = CASE WHEN EXISTS (SELECT 1 FROM segment WHERE
			delivery = $1 AND NOT finished) THEN 'queued' ELSE 'joining' END,
			rested = rested + (now() - paused), paused = NULL WHERE id = $1 AND state = 'paused' RETURNING state`, id)
		if err != nil {
			return none(err)
		}
		if state == Joining {
			_, err = s.queue.InsertTx(ctx, tx.Tx, FinishArgs{id}, nil)
		} else {
			err = s.queueSegments(ctx, tx, id)
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", id)
	})
}

// Priorities of a delivery's segments: before others, in their order, and after all others.
const (
	Before = 1
	Usual  = 2
	After  = 3
)

// Prefer puts a delivery before others or after them.
func (s *Store) Prefer(ctx context.Context, id string, priority int) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := affect(ctx, tx, `UPDATE delivery SET priority = $2 WHERE id = $1 AND state NOT
			IN ('cancelled', 'done', 'failed')`, id, priority); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE river_job SET priority = $2 WHERE kind = 'segment'
			AND args->>'delivery' = $1 AND state IN ('available', 'retryable', 'scheduled')`, id, priority); err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", id)
	})
}

// jobless is the condition that no job of a kind that could still run names the thing.
func jobless(kind, arg, column string) string {
	return `NOT EXISTS (SELECT 1 FROM river_job j WHERE j.kind = '` + kind + `' AND j.args->>'` + arg + `' = t.` +
		column + `
		AND j.state IN ('available', 'pending', 'retryable', 'running', 'scheduled'))`
}

// Strand puts a job into the queue for everything that waits for one and has none. It
// returns how many there were. One process does it at a time.
func (s *Store) Strand(ctx context.Context, age time.Duration) (n int, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var mine bool
		if err := tx.GetContext(ctx, &mine, `SELECT pg_try_advisory_xact_lock($1)`, stranding); err != nil || !mine {
			return err
		}
		for _, u := range unended {
			var ids []string
			if err := tx.SelectContext(ctx, &ids, u.find, age.String()); err != nil {
				return err
			}
			for _, id := range ids {
				if err := u.add(s, ctx, tx, id); err != nil {
					return err
				}
			}
			n += len(ids)
		}
		return nil
	})
	return n, err
}

const stranding = 8420_0002

// Kinds of things that wait for the queue, for Waits.
const (
	ASource   = "source"
	ADelivery = "delivery"
	AnAttempt = "attempt"
	ACheckRun = "check_run"
	ADrawing  = "drawing"
	AHandover = "handover"
	AFindRun  = "find_run"
	ASeek     = "seek"
	ADraftRun = "draft_run"
)

// Waits enters why something does not go on for now, in words; "" that it does.
func (s *Store) Waits(ctx context.Context, kind, id, why string) error {
	key, event := "id", kind
	switch kind {
	case ACheckRun:
		key, event = "shot", "check"
	case AFindRun, ASeek:
		key, event = "source", "source"
	case ADraftRun:
		key, event = "programme", "proposals"
	}
	res, err := s.db.ExecContext(ctx, `UPDATE `+kind+` SET waiting = $2 WHERE `+key+` = $1 AND waiting <> $2`, id, why)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return nil
	}
	return notify(ctx, s.db, event, id)
}

// Depth is how many jobs of a kind are in a state of the queue.
type Depth struct {
	Kind  string `db:"kind"`
	State string `db:"state"`
	Jobs  int    `db:"jobs"`
}

// Depths counts the queue's jobs.
func (s *Store) Depths(ctx context.Context) (out []Depth, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT kind, state::text AS state, count(*) AS jobs FROM river_job
		GROUP BY kind, state`)
}

// Searching reports whether a source's boundaries are still looked for.
func (s *Store) Searching(ctx context.Context, source string) (yes bool, err error) {
	return yes, s.db.GetContext(ctx, &yes, `SELECT NOT searched AND EXISTS (SELECT 1 FROM river_job
		WHERE kind = 'search' AND args->>'source' = $1
		AND state IN ('available', 'pending', 'retryable', 'running', 'scheduled')) FROM source WHERE id = $1`, source)
}

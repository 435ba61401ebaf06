package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
)

// FindArgs asks for a source to be looked through for text, plates and faces.
type FindArgs struct {
	Source string `json:"source"`
}

func (FindArgs) Kind() string { return "find" }

// FindQueue holds what may take its time.
const FindQueue = "find"

func (FindArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: FindQueue, MaxAttempts: 5, Priority: 4}
}

// FindRun is how far a source was looked through.
type FindRun struct {
	Source  string    `db:"source" json:"source"`
	State   string    `db:"state" json:"state" enum:"queued,running,done,failed,stopped"`
	Done    int       `db:"done" json:"-"`
	Reached int       `db:"reached" json:"done" doc:"frames"`
	Looked  int       `db:"looked" json:"looked" doc:"how many of them were looked at; what was seen on them was followed over the others"`
	Error   string    `db:"error" json:"error"`
	Waiting string    `db:"waiting" json:"waiting" doc:"why it does not go on for now, in words; empty while it does"`
	By      string    `db:"by" json:"by" doc:"who asked; empty: it came after the import"`
	At      time.Time `db:"at" json:"at"`
}

// FindRuns lists a programme's, in the order of their sources.
func (s *Store) FindRuns(ctx context.Context, programme string) (out []FindRun, err error) {
	out = []FindRun{}
	return out, s.db.SelectContext(ctx, &out, `SELECT find_run.* FROM find_run JOIN source ON source.id = find_run.source
		WHERE source.programme = $1 ORDER BY source.created`, programme)
}

// FindRun returns a source's.
func (s *Store) FindRun(ctx context.Context, source string) (f FindRun, err error) {
	return f, none(s.db.GetContext(ctx, &f, `SELECT * FROM find_run WHERE source = $1`, source))
}

// Find asks for a source to be looked through; what was looked through already is looked
// through anew if afresh says so. What was decided stays.
func (s *Store) Find(ctx context.Context, source, by string, afresh bool) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var id string
		if err := tx.GetContext(ctx, &id, `SELECT id FROM source WHERE id = $1`, source); err != nil {
			return none(err)
		}
		return s.wantFind(ctx, tx, source, by, afresh)
	})
}

func (s *Store) wantFind(ctx context.Context, tx *sqlx.Tx, source, by string, afresh bool) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO find_run (source, by) VALUES ($1, $2)
		ON CONFLICT (source) DO UPDATE SET state = 'queued', by = $2, at = now(), error = '', waiting = '',
		done = CASE WHEN $3 THEN 0 ELSE find_run.done END,
		reached = CASE WHEN $3 THEN 0 ELSE find_run.done END, looked = CASE WHEN $3 THEN 0 ELSE find_run.looked END
		WHERE find_run.state IN ('failed', 'stopped') OR $3 AND find_run.state = 'done'`, source, by, afresh)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 { // it is under way, or done
		return nil
	}
	if _, err := s.queue.InsertTx(ctx, tx.Tx, FindArgs{source}, nil); err != nil {
		return err
	}
	return notify(ctx, tx, "source", source)
}

// StopFind lets a source rest that is being looked through; what was found stays.
func (s *Store) StopFind(ctx context.Context, source string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := affect(ctx, tx, `UPDATE find_run SET state = 'stopped', waiting = '', at = now()
			WHERE source = $1 AND state IN ('queued', 'running')`, source); err != nil {
			return err
		}
		return notify(ctx, tx, "source", source)
	})
}

// SetFind says which frame a run has reached. It reports whether it is still wanted.
func (s *Store) SetFind(ctx context.Context, source string, reached int) (wanted bool, err error) {
	res, err := s.db.ExecContext(ctx, `UPDATE find_run SET state = 'running', reached = $2, waiting = '', at = now()
		WHERE source = $1 AND state IN ('queued', 'running')`, source, reached)
	if err != nil {
		return false, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return false, nil
	}
	return true, notify(ctx, s.db, "source", source)
}

// EndFind enters that a source was looked through, or why that failed.
func (s *Store) EndFind(ctx context.Context, source, state, why string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE find_run SET state = $2, error = $3, waiting = '', at = now()
		WHERE source = $1 AND state IN ('queued', 'running')`, source, state, why)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "source", source)
}

// Looking reports whether a programme's sources are being looked through, for whatever it is.
func (s *Store) Looking(ctx context.Context, programme string) (yes bool, err error) {
	return yes, s.db.GetContext(ctx, &yes, `SELECT EXISTS (SELECT 1 FROM find_run
		JOIN source ON source.id = find_run.source
		WHERE source.programme = $1 AND find_run.state IN ('queued', 'running'))
		OR EXISTS (SELECT 1 FROM seek JOIN source ON source.id = seek.source
		WHERE source.programme = $1 AND seek.state IN ('queued', 'running'))`, programme)
}

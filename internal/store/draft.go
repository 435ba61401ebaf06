package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
)

// DraftArgs asks for a programme's drafts to be made and taken further.
type DraftArgs struct {
	Programme string `json:"programme"`
}

func (DraftArgs) Kind() string { return "draft" }

func (DraftArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: DraftQueue, MaxAttempts: 5}
}

// DraftQueue holds what says what is made next, and makes little itself.
const DraftQueue = "draft"

// DraftRun is how far a programme's drafts have come.
type DraftRun struct {
	Programme string         `db:"programme" json:"-"`
	Items     JSON[[]string] `db:"items" json:"-"`
	State     string         `db:"state" json:"state" enum:"queued,running,done,failed,stopped"`
	Error     string         `db:"error" json:"error"`
	Waiting   string         `db:"waiting" json:"waiting" doc:"why it does not go on for now"`
	By        string         `db:"by" json:"by"`
	At        time.Time      `db:"at" json:"at"`
	Done      int            `db:"done" json:"done" doc:"drafts that were made, followed and looked at for what passes in front"`
	Made      int            `db:"made" json:"made" doc:"all that were begun"`
	Notes     int            `db:"notes" json:"notes" doc:"those that could not be followed, or only in part"`
}

// Draft is a proposal of which a draft is made.
type Draft struct {
	Proposal  string    `db:"proposal"`
	Programme string    `db:"programme"`
	Stage     string    `db:"stage"`
	Attempt   string    `db:"attempt"`
	Shot      string    `db:"shot"`
	Cover     string    `db:"cover"`
	Note      string    `db:"note"`
	Made      time.Time `db:"made"`
}

// The stages of a draft.
const (
	DraftMaking    = "making"
	DraftFollowing = "following"
	DraftFront     = "front" // what passes in front is looked for
	DraftDone      = "done"
)

// DraftRun returns a programme's; ErrNone says that none was asked for.
func (s *Store) DraftRun(ctx context.Context, programme string) (r DraftRun, err error) {
	return r, none(s.db.GetContext(ctx, &r, `SELECT draft_run.*,
		(SELECT count(*) FROM draft WHERE draft.programme = $1) AS made,
		(SELECT count(*) FROM draft WHERE draft.programme = $1 AND stage = 'done') AS done,
		(SELECT count(*) FROM draft WHERE draft.programme = $1 AND note <> '') AS notes
		FROM draft_run WHERE programme = $1`, programme))
}

// WantDrafts asks for drafts of what the list asks for: of some items, or of all. What is under way goes on.
func (s *Store) WantDrafts(ctx context.Context, programme, by string, items []string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var id string
		if err := tx.GetContext(ctx, &id, `SELECT id FROM programme WHERE id = $1`, programme); err != nil {
			return none(err)
		}
		if items == nil {
			items = []string{}
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO draft_run (programme, items, by) VALUES ($1, $2, $3)
			ON CONFLICT (programme) DO UPDATE SET items = $2, by = $3, state = 'queued', error = '', waiting = '', at = now()`,
			programme, JSON[[]string]{items}, by); err != nil {
			return err
		}
		// What could not be made of something before is tried again.
		if _, err := tx.ExecContext(ctx, `DELETE FROM draft WHERE programme = $1 AND cover = '' AND note <> ''`,
			programme); err != nil {
			return err
		}
		var waits bool
		if err := tx.GetContext(ctx, &waits, `SELECT EXISTS (SELECT 1 FROM river_job WHERE kind = 'draft'
			AND args ->> 'programme' = $1 AND state IN ('available', 'scheduled', 'retryable', 'running'))`,
			programme); err != nil {
			return err
		}
		if !waits {
			if _, err := s.queue.InsertTx(ctx, tx.Tx, DraftArgs{programme}, nil); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "proposals", programme)
	})
}

// SetDrafts enters that drafts are under way, stopped, or over.
func (s *Store) SetDrafts(ctx context.Context, programme, state, why string) error {
	from := []string{Queued, Running}
	res, err := s.db.ExecContext(ctx, `UPDATE draft_run SET state = $2, error = $3, waiting = '', at = now()
		WHERE programme = $1 AND state = ANY($4) AND (state <> $2 OR error <> $3)`, programme, state, why, from)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return nil
	}
	return notify(ctx, s.db, "proposals", programme)
}

// StopDrafts makes no more of them; those that were begun stay, and what is followed for them goes on.
func (s *Store) StopDrafts(ctx context.Context, programme string) error {
	return s.SetDrafts(ctx, programme, Stopped, "")
}

// DraftsOf lists a programme's drafts that are under way, in the order in which they were begun.
func (s *Store) DraftsOf(ctx context.Context, programme string) (out []Draft, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM draft WHERE programme = $1 AND stage <> 'done'
		ORDER BY made, proposal`, programme)
}

// RefusedDrafts are the proposals of which no draft could be made, by their ids.
func (s *Store) RefusedDrafts(ctx context.Context, programme string) (map[string]bool, error) {
	var ids []string
	err := s.db.SelectContext(ctx, &ids, `SELECT proposal FROM draft WHERE programme = $1 AND stage = 'done'
		AND cover = '' AND note <> ''`, programme)
	out := map[string]bool{}
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}

// SetDraft enters how far a draft has come.
func (s *Store) SetDraft(ctx context.Context, d Draft) error {
	_, err := s.db.NamedExecContext(ctx, `INSERT INTO draft (proposal, programme, stage, attempt, shot, cover, note)
		VALUES (:proposal, :programme, :stage, :attempt, :shot, :cover, :note)
		ON CONFLICT (proposal) DO UPDATE SET stage = :stage, attempt = :attempt, shot = :shot, cover = :cover,
		note = :note`, d)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "proposals", d.Programme)
}

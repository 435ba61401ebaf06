package store

import (
	"context"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/core/cover"
)

// Piece is a stretch of a long source that is brought in by itself.
type Piece struct {
	Source   string `db:"source"`
	Number   int    `db:"number"`
	First    int    `db:"first"`
	Last     int    `db:"last"`
	Done     int    `db:"done"`
	Finished bool   `db:"finished"`
}

// PieceArgs asks for a piece of a source.
type PieceArgs struct {
	Source string `json:"source"`
	Number int    `json:"number"`
}

func (PieceArgs) Kind() string { return "piece" }

func (PieceArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: IngestQueue, MaxAttempts: 5, Priority: 2}
}

// Pieces lists a source's, in order.
func (s *Store) Pieces(ctx context.Context, source string) (out []Piece, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM piece WHERE source = $1 ORDER BY number`, source)
}

// QueuePieces puts a source's pieces into the queue that are not finished; where there are none yet, those of
// spans.
func (s *Store) QueuePieces(ctx context.Context, source string, spans []cover.Span) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		for n, p := range spans {
			if _, err := tx.ExecContext(ctx, `INSERT INTO piece (source, number, first, last) VALUES ($1, $2, $3, $4)
				ON CONFLICT DO NOTHING`, source, n, p.First, p.Last); err != nil {
				return err
			}
		}
		var open []int
		if err := tx.SelectContext(ctx, &open, `SELECT number FROM piece p WHERE source = $1 AND NOT finished AND NOT EXISTS
			(SELECT 1 FROM river_job WHERE kind = 'piece' AND args->>'source' = $1 AND (args->>'number')::integer = p.number
			AND finalized_at IS NULL) ORDER BY number`, source); err != nil {
			return err
		}
		for _, n := range open {
			if _, err := s.queue.InsertTx(ctx, tx.Tx, PieceArgs{source, n}, nil); err != nil {
				return err
			}
		}
		if _, err := tx.ExecContext(ctx, `UPDATE source SET state = 'viewing', waiting = '' WHERE id = $1`,
			source); err != nil {
			return err
		}
		return notify(ctx, tx, "source", source)
	})
}

// SetPiece says how far a piece has come.
func (s *Store) SetPiece(ctx context.Context, p Piece, done int) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE piece SET done = least($3, last - first + 1) WHERE source = $1
			AND number = $2`, p.Source, p.Number, done); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE source SET waiting = '', views = greatest(views, (SELECT sum(done) FROM piece
			WHERE source = $1)) WHERE id = $1 AND state = 'viewing'`, p.Source); err != nil {
			return err
		}
		return notify(ctx, tx, "source", p.Source)
	})
}

// FinishPiece enters a finished piece; the last one puts the source's end into the queue.
func (s *Store) FinishPiece(ctx context.Context, p Piece) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var state string // one after the other, so that one of them is the last
		if err := tx.GetContext(ctx, &state, `SELECT state FROM source WHERE id = $1 FOR UPDATE`, p.Source); err != nil {
			return none(err)
		}
		res, err := tx.ExecContext(ctx, `UPDATE piece SET finished = true, done = last - first + 1 WHERE source = $1
			AND number = $2 AND NOT finished`, p.Source, p.Number)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return nil
		}
		var open int
		if err := tx.GetContext(ctx, &open, `SELECT count(*) FROM piece WHERE source = $1 AND NOT finished`,
			p.Source); err != nil {
			return err
		}
		if open == 0 {
			if _, err := s.queue.InsertTx(ctx, tx.Tx, IngestArgs{p.Source}, nil); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "source", p.Source)
	})
}

// InOnePiece gives up bringing a source in in pieces: it cannot be leaped into.
func (s *Store) InOnePiece(ctx context.Context, source string, frames int) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM piece WHERE source = $1`, source); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO piece (source, number, first, last, finished)
			SELECT id, 0, 0, $2 - 1, true FROM source WHERE id = $1`, source, frames); err != nil {
			return err
		}
		_, err := s.queue.InsertTx(ctx, tx.Tx, IngestArgs{source}, nil)
		return err
	})
}

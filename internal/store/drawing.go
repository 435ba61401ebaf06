package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
)

// Drawing is footage of the demo programme that is being drawn; it ends as a source.
type Drawing struct {
	ID        string    `db:"id" json:"id"`
	Programme string    `db:"programme" json:"programme"`
	Footage   string    `db:"footage" json:"footage"`
	Title     string    `db:"title" json:"title"`
	Frames    int       `db:"frames" json:"frames"`
	Done      int       `db:"done" json:"done" doc:"frames"`
	State     string    `db:"state" json:"state" enum:"queued,drawing,failed"`
	Waiting   string    `db:"waiting" json:"waiting" doc:"why it does not go on for now, in words"`
	Error     string    `db:"error" json:"error"`
	Created   time.Time `db:"created" json:"created"`
}

// DrawArgs asks for footage of the demo programme.
type DrawArgs struct {
	Drawing string `json:"drawing"`
}

func (DrawArgs) Kind() string { return "draw" }

// DrawQueue is that of drawing, which goes on beside all else.
const DrawQueue = "draw"

func (DrawArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: DrawQueue, MaxAttempts: 5}
}

// BeingDrawn is the state of a drawing that has begun.
const BeingDrawn = "drawing"

// AddDrawings puts footage into the queue, in the order in which it will stand in the programme. What is
// there already is left.
func (s *Store) AddDrawings(ctx context.Context, list []Drawing) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		begun := time.Now()
		for i, d := range list {
			d.Created = begun.Add(time.Duration(i) * time.Millisecond)
			res, err := tx.NamedExecContext(ctx, `INSERT INTO drawing (id, programme, footage, title, frames, created)
				VALUES (:id, :programme, :footage, :title, :frames, :created) ON CONFLICT DO NOTHING`, d)
			if err != nil {
				return err
			}
			if n, _ := res.RowsAffected(); n == 0 {
				continue
			}
			if _, err := s.queue.InsertTx(ctx, tx.Tx, DrawArgs{d.ID}, nil); err != nil {
				return err
			}
		}
		return nil
	})
}

// Drawing returns one.
func (s *Store) Drawing(ctx context.Context, id string) (d Drawing, err error) {
	return d, none(s.db.GetContext(ctx, &d, `SELECT * FROM drawing WHERE id = $1`, id))
}

// Drawings lists what is drawn for a programme.
func (s *Store) Drawings(ctx context.Context, programme string) (out []Drawing, err error) {
	out = []Drawing{}
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM drawing WHERE programme = $1 ORDER BY created`, programme)
}

// SetDrawing says how far a drawing has come. It reports whether it is still wanted.
func (s *Store) SetDrawing(ctx context.Context, id string, done int) (wanted bool, err error) {
	err = s.alter(ctx, "drawing", id, `UPDATE drawing SET state = 'drawing', done = $2, waiting = '' WHERE id = $1`, id,
		done)
	return err == nil, there(err)
}

// FailDrawing enters why footage could not be drawn.
func (s *Store) FailDrawing(ctx context.Context, id, why string) error {
	return there(s.alter(ctx, "drawing", id,
		`UPDATE drawing SET state = 'failed', error = $2, waiting = '' WHERE id = $1`, id, why))
}

// RetryDrawing puts a drawing that failed into the queue again.
func (s *Store) RetryDrawing(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := affect(ctx, tx, `UPDATE drawing SET state = 'queued', error = '' WHERE id = $1
			AND state = 'failed'`, id); err != nil {
			return err
		}
		if _, err := s.queue.InsertTx(ctx, tx.Tx, DrawArgs{id}, nil); err != nil {
			return err
		}
		return notify(ctx, tx, "drawing", id)
	})
}

// EndDrawing takes a drawing away: it is a source now, or not wanted any more.
func (s *Store) EndDrawing(ctx context.Context, id string) error {
	return s.alter(ctx, "drawing", id, `DELETE FROM drawing WHERE id = $1`, id)
}

package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/internal/certificate"
	"celator/internal/deliver"
	"celator/internal/media"
)

// The queue's jobs.
type (
	// IngestArgs asks for a source's conformed copy and view frames.
	IngestArgs struct {
		Source string `json:"source"`
	}
	// SegmentArgs asks for one segment of a delivery.
	SegmentArgs struct {
		Delivery string `json:"delivery"`
		Number   int    `json:"number"`
	}
	// FinishArgs asks for a delivery's segments to be joined and verified.
	FinishArgs struct {
		Delivery string `json:"delivery"`
	}
)

func (IngestArgs) Kind() string  { return "ingest" }
func (SegmentArgs) Kind() string { return "segment" }
func (FinishArgs) Kind() string  { return "finish" }

// Queues by what they load: ingesting and rendering do not wait for each other.
const (
	IngestQueue = "ingest"
	RenderQueue = "render"
)

func (IngestArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: IngestQueue, MaxAttempts: 5}
}

func (SegmentArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: RenderQueue, MaxAttempts: 5, Priority: 2}
}

func (FinishArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: RenderQueue, MaxAttempts: 5, Priority: 1}
}

// States of a delivery beside Queued and Failed.
const (
	Rendering = "rendering"
	Joining   = "joining"
	Verifying = "verifying"
	Done      = "done"
	Cancelled = "cancelled"
	Paused    = "paused"
)

// Delivery is a rendered, verified result, or the way to it.
type Delivery struct {
	ID       string               `db:"id"`
	Source   string               `db:"source"`
	Shot     string               `db:"shot"`     // "" of one of a source, with its shots, and of a reel
	Reel     bool                 `db:"reel"`     // whole shots one after another; Source is the first's
	Contents JSON[[]Content]      `db:"contents"` // those, as they were when it was ordered
	Revision int                  `db:"revision"`
	Preset   string               `db:"preset"`
	Recipe   JSON[*media.Recipe]  `db:"recipe"` // of a house preset, as it was when it was ordered
	Name     string               `db:"name"`
	State    string               `db:"state"`
	First    int                  `db:"first"` // of the shot's frames, or the source's; 0 of a reel
	Frames   int                  `db:"frames"`
	Matte    bool                 `db:"matte"` // its matte instead of its pictures
	Priority int                  `db:"priority"`
	Rested   float64              `db:"rested"` // seconds
	Verified int                  `db:"verified"`
	Error    string               `db:"error"`
	Waiting  string               `db:"waiting"` // why it does not go on for now
	Proof    JSON[*deliver.Proof] `db:"proof"`
	Size     int64                `db:"size"`
	SHA256   string               `db:"sha256"`
	Created  time.Time            `db:"created"`
	Started  *time.Time           `db:"started"`
	Finished *time.Time           `db:"finished"`
	Rendered int                  `db:"rendered"` // frames, over all segments
	Reused   int                  `db:"reused"`   // of them found finished
}

// Content is a shot in a delivery, as it was when that was ordered.
type Content struct {
	Shot     string        `json:"shot"`
	Name     string        `json:"name"`
	Revision int           `json:"revision"`
	First    int           `json:"first" doc:"frames of the source, both included"`
	Last     int           `json:"last"`
	Covers   int           `json:"covers"`
	Items    []ContentItem `json:"items"`
	Severe   int           `json:"severe" doc:"open findings"`
	Minor    int           `json:"minor"`
	// What the check found in it, and what became of that.
	Findings []certificate.Found `json:"findings"`
}

// ContentItem is an item in such a shot.
type ContentItem struct {
	Name    string `json:"name"`
	State   string `json:"state" doc:"in words"`
	Settled bool   `json:"settled" doc:"approved or waived"`
	// How it came to that state.
	Decisions []certificate.Decided `json:"decisions"`
}

// Way is the preset that the delivery of a source goes by.
func (d Delivery) Way(i media.Info) (media.Preset, error) {
	if d.Recipe.V != nil {
		return d.Recipe.V.Preset()
	}
	return i.For(d.Preset)
}

// Ended reports whether nothing will change the delivery any more.
func (d Delivery) Ended() bool { return d.State == Done || d.State == Failed || d.State == Cancelled }

// Segment is a stretch of a delivery.
type Segment struct {
	Delivery string `db:"delivery"`
	Number   int    `db:"number"`
	First    int    `db:"first"`
	Last     int    `db:"last"`
	Key      string `db:"key"`
	Done     int    `db:"done"`
	Reused   bool   `db:"reused"`
	Finished bool   `db:"finished"`
}

const deliveryColumns = `d.id, d.source, coalesce(d.shot, '') AS shot, d.reel, d.contents, d.revision, d.preset,
	d.recipe, d.name, d.state, d.first, d.frames, d.matte, d.priority,
	extract(epoch FROM d.rested + coalesce(now() - d.paused, interval '0'))::float8 AS rested,
	d.verified, d.error, d.waiting, d.proof, d.size, d.sha256, d.created,
	d.started, d.finished, coalesce((SELECT sum(done) FROM segment g WHERE g.delivery = d.id), 0) AS rendered,
	coalesce((SELECT sum(done) FROM segment g WHERE g.delivery = d.id AND g.reused), 0) AS reused`

// AddDelivery enters a delivery with its segments and puts them into the queue.
func (s *Store) AddDelivery(ctx context.Context, d Delivery, segments []Segment) error {
	if d.Contents.V == nil {
		d.Contents.V = []Content{}
	}
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO delivery
			(id, source, shot, reel, contents, revision, preset, recipe, name, first, frames, matte)
			VALUES (:id, coalesce(nullif(:source, ''), (SELECT source FROM shot WHERE id = :shot)), nullif(:shot, ''),
			:reel, :contents, :revision, :preset, :recipe, :name, :first, :frames, :matte)`, d)
		if err != nil {
			return err
		}
		for _, g := range segments {
			g.Delivery = d.ID
			if _, err := tx.NamedExecContext(ctx, `INSERT INTO segment (delivery, number, first, last, key)
				VALUES (:delivery, :number, :first, :last, :key)`, g); err != nil {
				return err
			}
		}
		if err := s.queueSegments(ctx, tx, d.ID); err != nil {
			return err
		}
		if len(segments) == 0 { // of sound alone, which is joined at once
			if _, err := tx.ExecContext(ctx, `UPDATE delivery SET state = 'joining', started = now() WHERE id = $1`,
				d.ID); err != nil {
				return err
			}
			if _, err := s.queue.InsertTx(ctx, tx.Tx, FinishArgs{d.ID}, nil); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "delivery", d.ID)
	})
}

// Delivery returns one.
func (s *Store) Delivery(ctx context.Context, id string) (d Delivery, err error) {
	return d, none(s.db.GetContext(ctx, &d, `SELECT `+deliveryColumns+` FROM delivery d WHERE id = $1`, id))
}

// Deliveries lists a programme's, the newest first.
func (s *Store) Deliveries(ctx context.Context, programme string) (out []Delivery, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT `+deliveryColumns+
		` FROM delivery d JOIN source ON source.id = d.source WHERE source.programme = $1 ORDER BY d.created DESC`, programme)
}

// Segments lists a delivery's, in order.
func (s *Store) Segments(ctx context.Context, delivery string) (out []Segment, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM segment WHERE delivery = $1 ORDER BY number`, delivery)
}

// SegmentProgress enters the frames done of a segment. It reports whether the
// delivery is still wanted.
func (s *Store) SegmentProgress(ctx context.Context, g Segment, done int) (wanted bool, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var state string
		if err := tx.GetContext(ctx, &state, `UPDATE delivery SET state = CASE state WHEN 'queued' THEN 'rendering'
			ELSE state END, waiting = '',
			started = coalesce(started, now()) WHERE id = $1 RETURNING state`, g.Delivery); err != nil {
			return none(err)
		}
		if wanted = state == Rendering; !wanted {
			return nil
		}
		if _, err := tx.ExecContext(ctx, `UPDATE segment SET done = $3 WHERE delivery = $1 AND number = $2`, g.Delivery,
			g.Number, done); err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", g.Delivery)
	})
	return wanted, err
}

// FinishSegment enters a finished segment; the last one puts the delivery's
// finish into the queue.
func (s *Store) FinishSegment(ctx context.Context, g Segment, reused bool) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var state string
		if err := tx.GetContext(ctx, &state, `SELECT state FROM delivery WHERE id = $1 FOR UPDATE`, g.Delivery); err != nil {
			return none(err)
		}
		res, err := tx.ExecContext(ctx, `UPDATE segment SET done = last - first + 1, finished = true, reused = $3
			WHERE delivery = $1 AND number = $2 AND NOT finished`, g.Delivery, g.Number, reused)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 || state != Rendering {
			return nil
		}
		var open int
		if err := tx.GetContext(ctx, &open, `SELECT count(*) FROM segment WHERE delivery = $1 AND NOT finished`,
			g.Delivery); err != nil {
			return err
		}
		if open == 0 {
			if _, err := tx.ExecContext(ctx, `UPDATE delivery SET state = 'joining' WHERE id = $1`, g.Delivery); err != nil {
				return err
			}
			if _, err := s.queue.InsertTx(ctx, tx.Tx, FinishArgs{g.Delivery}, nil); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "delivery", g.Delivery)
	})
}

// ReopenSegment puts a finished segment whose file is gone into the queue again, and its
// delivery with it.
func (s *Store) ReopenSegment(ctx context.Context, g Segment) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE delivery SET state = 'rendering' WHERE id = $1 AND state NOT
			IN ('paused', 'cancelled', 'done', 'failed')`, g.Delivery)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return nil
		}
		if _, err := tx.ExecContext(ctx, `UPDATE segment SET done = 0, finished = false, reused = false
			WHERE delivery = $1 AND number = $2`, g.Delivery, g.Number); err != nil {
			return err
		}
		if err := s.queueSegments(ctx, tx, g.Delivery); err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", g.Delivery)
	})
}

// SetDelivery moves a delivery on, unless it was cancelled or has ended; moved
// reports whether it did.
func (s *Store) SetDelivery(ctx context.Context, id, state string, verified int) (moved bool, err error) {
	res, err := s.db.ExecContext(ctx, `UPDATE delivery SET state = $2, verified = $3, waiting = '' WHERE id = $1
		AND state NOT IN ('paused', 'cancelled', 'done', 'failed')`, id, state, verified)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	if err != nil || n == 0 {
		return false, err
	}
	return true, notify(ctx, s.db, "delivery", id)
}

// EndDelivery enters the end: why it failed, or what was proved.
func (s *Store) EndDelivery(ctx context.Context, id, why string, proof *deliver.Proof, size int64, sha string) error {
	state := Done
	if why != "" {
		state = Failed
	}
	_, err := s.db.ExecContext(ctx, `UPDATE delivery SET state = $2, error = $3, proof = $4, size = $5, sha256 = $6,
		waiting = '', finished = now()
		WHERE id = $1 AND state NOT IN ('cancelled', 'done', 'failed')`, id, state, why, JSON[*deliver.Proof]{proof},
		size, sha)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "delivery", id)
}

// CancelDelivery stops a delivery that has not ended. Finished segments stay for
// a later one.
func (s *Store) CancelDelivery(ctx context.Context, id string) error {
	res, err := s.db.ExecContext(ctx, `UPDATE delivery SET state = 'cancelled', waiting = '', finished = now()
		WHERE id = $1 AND state NOT IN ('cancelled', 'done', 'failed')`, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNone
	}
	return notify(ctx, s.db, "delivery", id)
}

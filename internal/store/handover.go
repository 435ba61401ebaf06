package store

import (
	"context"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"
)

// Handover is a finished delivery on its way to an intake.
type Handover struct {
	ID       string     `db:"id" json:"id"`
	Delivery string     `db:"delivery" json:"delivery"`
	Intake   string     `db:"intake" json:"intake"`
	Address  string     `db:"address" json:"-"`
	Upload   string     `db:"upload" json:"-"`
	State    string     `db:"state" json:"state" enum:"queued,sending,acknowledged,refused,failed,cancelled"`
	Sent     int64      `db:"sent" json:"sent" doc:"bytes"`
	Reason   string     `db:"reason" json:"reason" doc:"why it was refused or failed, in words"`
	Waiting  string     `db:"waiting" json:"waiting" doc:"why it does not go on for now, in words"`
	By       string     `db:"by" json:"by"`
	Created  time.Time  `db:"created" json:"created"`
	Finished *time.Time `db:"finished" json:"finished"`
}

// States of a handover beside Queued, Failed and Cancelled.
const (
	Sending      = "sending"
	Acknowledged = "acknowledged"
	TurnedDown   = "refused" // by the intake
)

// Ended reports whether nothing will change the handover any more.
func (h Handover) Ended() bool { return h.State != Queued && h.State != Sending }

// HandArgs asks for a delivery to be handed over.
type HandArgs struct {
	Handover string `json:"handover"`
}

func (HandArgs) Kind() string { return "hand" }

// HandQueue is that of handing over, which loads the network.
const HandQueue = "hand"

// handTries are so many that an intake may be away for hours.
const handTries = 500

func (HandArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: HandQueue, MaxAttempts: handTries}
}

// AddHandover puts a handover into the queue.
func (s *Store) AddHandover(ctx context.Context, h Handover) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO handover (id, delivery, intake, address, by)
			VALUES (:id, :delivery, :intake, :address, :by)`, h); err != nil {
			return err
		}
		if _, err := s.queue.InsertTx(ctx, tx.Tx, HandArgs{h.ID}, nil); err != nil {
			return err
		}
		return notify(ctx, tx, "delivery", h.Delivery)
	})
}

// Handover returns one.
func (s *Store) Handover(ctx context.Context, id string) (h Handover, err error) {
	return h, none(s.db.GetContext(ctx, &h, `SELECT * FROM handover WHERE id = $1`, id))
}

// Handovers lists those of a delivery, or of a programme's deliveries, the newest first.
func (s *Store) Handovers(ctx context.Context, delivery, programme string) (out []Handover, err error) {
	out = []Handover{}
	return out, s.db.SelectContext(ctx, &out, `SELECT h.* FROM handover h JOIN delivery d ON d.id = h.delivery
		JOIN source o ON o.id = d.source WHERE d.id = $1 OR o.programme = $2 ORDER BY h.created DESC`, delivery, programme)
}

// SetHandover says how far a handover has come, and where it can be gone on with. It reports whether it is
// still wanted.
func (s *Store) SetHandover(ctx context.Context, h Handover, sent int64, upload string) (wanted bool, err error) {
	err = s.alter(ctx, "delivery", h.Delivery, `UPDATE handover SET state = 'sending', sent = $2, waiting = '',
		upload = coalesce(nullif($3, ''), upload) WHERE id = $1 AND state IN ('queued', 'sending')`, h.ID, sent, upload)
	return err == nil, there(err)
}

// EndHandover enters what became of a handover, which has not ended before. ErrNone says that it has.
func (s *Store) EndHandover(ctx context.Context, h Handover, state, reason string) error {
	return s.alter(ctx, "delivery", h.Delivery, `UPDATE handover SET state = $2, reason = $3, waiting = '',
		finished = now() WHERE id = $1 AND state IN ('queued', 'sending')`, h.ID, state, reason)
}

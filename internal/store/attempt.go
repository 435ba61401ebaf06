package store

import (
	"context"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/core/cover"
	"celator/core/track"
)

// FollowArgs asks for an attempt to be run.
type FollowArgs struct {
	Attempt string `json:"attempt"`
}

func (FollowArgs) Kind() string { return "follow" }

// FollowQueue holds what an editor waits for; CompareQueue what may take its time.
const (
	FollowQueue  = "follow"
	CompareQueue = "compare"
)

func (FollowArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: FollowQueue, MaxAttempts: 5}
}

// States of an attempt beside Queued, Done and Failed.
const (
	Running  = "running"
	Stopping = "stopping"
	Stopped  = "stopped"
)

// AttemptSpec is what an attempt is asked for.
type AttemptSpec struct {
	Track   cover.Track `json:"track"`
	From    int         `json:"from"`
	To      int         `json:"to"`   // both included
	Base    string      `json:"base"` // the attempt whose poses hold elsewhere, if any
	Ride    string      `json:"ride"` // a cover that is then put on the track
	At      cover.Time  `json:"at"`   // as it lies on this frame
	Take    bool        `json:"take"` // the document takes the poses when it has ended
	Compare bool        `json:"compare"`
	Later   bool        `json:"later,omitempty"`  // nobody waits for it
	Fields  bool        `json:"fields,omitempty"` // mattes are of fields, two for each frame
	Author  string      `json:"author"`
	// Then is the id of the run that begins when this one is done: it looks for what passes in front of what Ride hides.
	Then string `json:"then,omitempty"`
	// Foreground, when given, makes it a run that looks for what passes in front of the
	// track's surface, instead of following it.
	Foreground *ForegroundSpec `json:"foreground,omitempty"`
}

// Attempt is one run of a tracker.
type Attempt struct {
	ID       string               `db:"id"`
	Shot     string               `db:"shot"`
	Track    string               `db:"track"`
	Spec     JSON[AttemptSpec]    `db:"spec"`
	State    string               `db:"state"`
	Note     string               `db:"note"`
	Waiting  string               `db:"waiting"` // why it does not go on for now
	Frames   int                  `db:"frames"`
	Done     int                  `db:"done"`
	At       int                  `db:"at"` // the frame that a run has come to
	Poses    JSON[*cover.Poses]   `db:"poses"`
	Figures  JSON[*track.Figures] `db:"figures"`
	Created  time.Time            `db:"created"`
	Started  *time.Time           `db:"started"`
	Finished *time.Time           `db:"finished"`
}

// Ended reports whether nothing will change the attempt any more.
func (a Attempt) Ended() bool { return a.State == Done || a.State == Failed || a.State == Stopped }

// AddAttempt enters an attempt: into the queue, or with its poses as one that has
// ended.
func (s *Store) AddAttempt(ctx context.Context, a Attempt) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error { return s.addAttempt(ctx, tx, a) })
}

func (s *Store) addAttempt(ctx context.Context, tx *sqlx.Tx, a Attempt) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO attempt (id, shot, track, spec, state, frames, done, poses,
		figures) VALUES (:id, :shot, :track, :spec, :state, :frames, :done, :poses, :figures)`, a)
	if err != nil {
		return err
	}
	if a.State == Queued {
		if err := s.queueAttempt(ctx, tx, a.ID, a.Spec.V.Compare || a.Spec.V.Later); err != nil {
			return err
		}
	}
	return notify(ctx, tx, "attempt", a.ID)
}

func (s *Store) queueAttempt(ctx context.Context, tx *sqlx.Tx, id string, later bool) error {
	opts := FollowArgs{}.InsertOpts()
	if later {
		opts.Queue = CompareQueue
	}
	_, err := s.queue.InsertTx(ctx, tx.Tx, FollowArgs{id}, &opts)
	return err
}

// Attempt returns one with its poses.
func (s *Store) Attempt(ctx context.Context, id string) (a Attempt, err error) {
	return a, none(s.db.GetContext(ctx, &a, `SELECT * FROM attempt WHERE id = $1`, id))
}

// FirstAttempt is the one by which a track was begun. ErrNone says that there is none.
func (s *Store) FirstAttempt(ctx context.Context, shot, track string) (id string, err error) {
	return id, none(s.db.GetContext(ctx, &id, `SELECT id FROM attempt WHERE shot = $1 AND track = $2
		ORDER BY created, id LIMIT 1`, shot, track))
}

// Attempts lists so many of a shot's without their poses, the newest first; before is the
// id of the one to go on from, empty for the newest.
func (s *Store) Attempts(ctx context.Context, shot, before string, limit int) (out []Attempt, err error) {
	return out, s.db.SelectContext(ctx, &out, `
		SELECT id, shot, track, spec, state, note, waiting, frames, done, at, figures, created, started, finished
		FROM attempt
		WHERE shot = $1 AND ($2 = '' OR (created, id) < (SELECT created, id FROM attempt WHERE id = $2))
		ORDER BY created DESC, id DESC LIMIT $3`, shot, before, limit)
}

// AttemptProgress enters the poses found so far. It reports whether the attempt is
// still wanted.
func (s *Store) AttemptProgress(ctx context.Context, id string, done, at int, poses *cover.Poses) (wanted bool,
	err error,
) {
	res, err := s.db.ExecContext(ctx, `UPDATE attempt SET state = 'running', waiting = '', done = $2, poses = $3,
		at = $4, started = coalesce(started, now()) WHERE id = $1 AND state IN ('queued', 'running')`,
		id, done, JSON[*cover.Poses]{poses}, at)
	if err != nil {
		return false, err
	}
	if n, err := res.RowsAffected(); n == 0 || err != nil {
		return false, err
	}
	return true, notify(ctx, s.db, "attempt", id)
}

// KeepPoses enters all poses of an attempt that is about to end.
func (s *Store) KeepPoses(ctx context.Context, id string, done, at int, poses *cover.Poses) error {
	_, err := s.db.ExecContext(ctx, `UPDATE attempt SET done = $2, poses = $3, at = $4 WHERE id = $1`, id, done,
		JSON[*cover.Poses]{poses}, at)
	return err
}

// EndAttempt enters the end of an attempt that has not ended.
func (s *Store) EndAttempt(ctx context.Context, id, state, note string, done int, poses *cover.Poses,
	figures *track.Figures,
) error {
	_, err := s.db.ExecContext(ctx, `UPDATE attempt SET state = $2, note = $3, waiting = '', done = $4, poses = $5,
		figures = $6, started = coalesce(started, now()), finished = now()
		WHERE id = $1 AND state IN ('queued', 'running', 'stopping')`, id, state, note, done, JSON[*cover.Poses]{poses},
		JSON[*track.Figures]{figures})
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "attempt", id)
}

// StopAttempt asks a running attempt to stop; one still waiting has stopped.
func (s *Store) StopAttempt(ctx context.Context, id string) error {
	res, err := s.db.ExecContext(ctx, `UPDATE attempt SET state = CASE state WHEN 'queued' THEN 'stopped'
		ELSE 'stopping' END WHERE id = $1 AND state IN ('queued', 'running')`, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNone
	}
	return notify(ctx, s.db, "attempt", id)
}

// attempts are the runs whose poses and mattes a document points at.
func attempts(d *cover.Document) (ids []string) {
	add := func(id string) {
		if id != "" && !slices.Contains(ids, id) {
			ids = append(ids, id)
		}
	}
	for _, t := range d.Tracks {
		add(t.Attempt)
	}
	for _, c := range d.Covers {
		if c.Proposed != nil {
			add(c.Proposed.Run)
		}
	}
	return ids
}

// attach gives a document's tracks the poses of their attempts, and its proposed
// holdouts the mattes of their runs.
func (s *Store) attach(ctx context.Context, tx *sqlx.Tx, shot string, d *cover.Document) error {
	if err := s.attachGraphics(ctx, tx, d); err != nil {
		return err
	}
	var runs []string
	for _, c := range d.Covers {
		if c.Proposed != nil && c.Proposed.Run != "" {
			runs = append(runs, c.Proposed.Run)
		}
	}
	mattes, err := s.mattes(ctx, tx, runs, true)
	if err != nil {
		return err
	}
	d.AttachMattes(func(run string) *cover.Mattes { return mattes[run] })
	if len(d.Tracks) == 0 {
		return nil
	}
	var rows []struct {
		ID    string             `db:"id"`
		Poses JSON[*cover.Poses] `db:"poses"`
	}
	if err := tx.SelectContext(ctx, &rows, `SELECT id, poses FROM attempt WHERE shot = $1 AND id = ANY($2)`, shot,
		attempts(d)); err != nil {
		return err
	}
	poses := map[string]*cover.Poses{}
	for _, r := range rows {
		poses[r.ID] = r.Poses.V
	}
	d.Attach(func(id string) *cover.Poses { return poses[id] })
	return nil
}

package store

import (
	"context"
	"errors"
	"image"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/core/check"
	"celator/core/cover"
)

// CheckArgs asks for what changed in a shot to be checked.
type CheckArgs struct {
	Shot string `json:"shot"`
	// Now: somebody asked for it. It does not wait for the editor to pause.
	Now bool `json:"now,omitempty"`
}

func (CheckArgs) Kind() string { return "check" }

// Checks that follow edits and those that somebody asked for are worked apart, one shot of
// each at a time: who asks does not wait for what is checked by the way.
const (
	CheckQueue = "check"
	AskedQueue = "check-asked"
)

func (CheckArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: CheckQueue, MaxAttempts: 3, Priority: 3}
}

// CheckAfter is how long an editor must have changed nothing before a check begins.
func (s *Store) CheckAfter() time.Duration { return s.checkAfter }

// Finding is something that the check found.
type Finding struct {
	ID        string             `db:"id" json:"id"`
	Shot      string             `db:"shot" json:"shot"`
	Cover     string             `db:"cover" json:"cover" doc:"its id; empty where it concerns the whole shot"`
	Item      string             `db:"item" json:"item"`
	Kind      check.Kind         `db:"kind" json:"kind"`
	Severity  check.Severity     `db:"severity" json:"severity" enum:"severe,minor"`
	Figure    float64            `db:"figure" json:"figure"`
	Says      string             `db:"says" json:"says"`
	Frames    JSON[[]cover.Span] `db:"frames" json:"-"`
	Frame     int                `db:"frame" json:"frame"`
	Place     JSON[*[4]int]      `db:"place" json:"-"`
	Evidence  string             `db:"evidence" json:"evidence" doc:"what a machine read"`
	HasPic    bool               `db:"has_picture" json:"recovered" doc:"there is a picture of what was made out"`
	State     check.State        `db:"state" json:"state" enum:"open,waived,mended"`
	Revision  int                `db:"revision" json:"revision"`
	Found     time.Time          `db:"found" json:"found"`
	Reason    string             `db:"reason" json:"reason"`
	By        string             `db:"by" json:"by"`
	At        *time.Time         `db:"at" json:"at,omitempty"`
	Recovered []byte             `db:"-" json:"-"`
}

const findingColumns = `id, shot, cover, item, kind, severity, figure, says, frames, frame, place, evidence,
	recovered IS NOT NULL AS has_picture, state, revision, found, reason, by, at`

// CheckRun is how far the check of a shot has come.
type CheckRun struct {
	Shot     string                  `db:"shot" json:"shot"`
	State    string                  `db:"state" json:"state" enum:"queued,running,done,failed,stopped"`
	Revision int                     `db:"revision" json:"revision" doc:"that was checked last"`
	Done     int                     `db:"done" json:"done"`
	Frames   int                     `db:"frames" json:"frames"`
	Error    string                  `db:"error" json:"error"`
	Waiting  string                  `db:"waiting" json:"waiting" doc:"why it does not go on for now"`
	Covers   JSON[map[string]string] `db:"covers" json:"-"`
	Items    JSON[map[string]string] `db:"items" json:"-"`
	Awaited  bool                    `db:"awaited" json:"awaited" doc:"somebody asked for it"`
	At       time.Time               `db:"at" json:"at"`
}

// Findings lists a shot's that are not mended, the worst first.
func (s *Store) Findings(ctx context.Context, shot string) (out []Finding, err error) {
	out = []Finding{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+findingColumns+
		` FROM finding WHERE shot = $1 AND state <> 'mended' ORDER BY severity DESC, frame, id`, shot)
}

// ProgrammeFindings lists a programme's, mended ones too.
func (s *Store) ProgrammeFindings(ctx context.Context, programme string) (out []Finding, err error) {
	out = []Finding{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+findingColumns+
		` FROM finding WHERE shot IN (SELECT id FROM shot WHERE programme = $1) ORDER BY severity DESC, frame, id`, programme)
}

// Finding returns one.
func (s *Store) Finding(ctx context.Context, id string) (f Finding, err error) {
	return f, none(s.db.GetContext(ctx, &f, `SELECT `+findingColumns+` FROM finding WHERE id = $1`, id))
}

// RecoveredPicture returns what was made out, as a PNG.
func (s *Store) RecoveredPicture(ctx context.Context, id string) (b []byte, err error) {
	return b, none(s.db.GetContext(ctx, &b, `SELECT recovered FROM finding WHERE id = $1 AND recovered IS NOT NULL`, id))
}

// Waive lets a finding stand for a reason; without one it is open again.
func (s *Store) Waive(ctx context.Context, id, by, reason string) (f Finding, err error) {
	state := check.Waived
	if reason == "" {
		state = check.Open
	}
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		err := tx.GetContext(ctx, &f, `
			UPDATE finding SET state = $2, by = $3, reason = $4, at = now()
			WHERE id = $1 AND state <> 'mended' RETURNING `+findingColumns, id, state, by, reason)
		if err != nil {
			return none(err)
		}
		return errors.Join(notify(ctx, tx, "check", f.Shot), listChanged(ctx, tx, []Row{{Shot: f.Shot}}))
	})
	return f, err
}

// CheckRun returns how far the check of a shot has come; the zero state says that it
// was never asked for.
func (s *Store) CheckRun(ctx context.Context, shot string) (i CheckRun, err error) {
	err = s.db.GetContext(ctx, &i, `SELECT * FROM check_run WHERE shot = $1`, shot)
	if none(err) == ErrNone {
		return CheckRun{Shot: shot, Revision: -1}, nil
	}
	return i, err
}

// wantCheck puts the check of a shot into the queue, unless one waits there already. One
// that is running may have read what was before: another follows it.
func (s *Store) wantCheck(ctx context.Context, tx *sqlx.Tx, shot string, after time.Duration) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO check_run (shot, state, awaited) VALUES ($1, 'queued', $2)
		ON CONFLICT (shot) DO UPDATE SET state = 'queued', awaited = check_run.awaited OR $2, error = '', at = now()
		WHERE check_run.state <> 'queued' OR $2 AND NOT check_run.awaited`, shot, after == 0)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 && after > 0 {
		return nil
	}
	opts := CheckArgs{}.InsertOpts()
	opts.ScheduledAt = time.Now().Add(after)
	if after == 0 {
		opts.Queue = AskedQueue
	}
	_, err = s.queue.InsertTx(ctx, tx.Tx, CheckArgs{Shot: shot, Now: after == 0}, &opts)
	return err
}

// Check asks for a shot to be checked now; afresh also what was checked before.
func (s *Store) Check(ctx context.Context, shot string, afresh bool) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var id string
		if err := tx.GetContext(ctx, &id, `SELECT id FROM shot WHERE id = $1`, shot); err != nil {
			return none(err)
		}
		if afresh {
			if _, err := tx.ExecContext(ctx, `UPDATE check_run SET covers = '{}', items = '{}' WHERE shot = $1`,
				shot); err != nil {
				return err
			}
		}
		if err := s.wantCheck(ctx, tx, shot, 0); err != nil {
			return err
		}
		return notify(ctx, tx, "check", shot)
	})
}

// CheckAwaited says whether somebody waits for the check of a shot.
func (s *Store) CheckAwaited(ctx context.Context, shot string) (yes bool, err error) {
	return yes, none(s.db.GetContext(ctx, &yes, `SELECT awaited FROM check_run WHERE shot = $1`, shot))
}

// BeginCheckRun says that a check is running.
func (s *Store) BeginCheckRun(ctx context.Context, shot string) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO check_run (shot, state) VALUES ($1, 'running') ON CONFLICT (shot)
		DO UPDATE SET state = 'running', done = 0, frames = 0, error = '', waiting = '', at = now()`, shot)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "check", shot)
}

// SetCheckRun says how far a running check has come. It reports whether it is still wanted.
func (s *Store) SetCheckRun(ctx context.Context, shot string, done, frames int) (wanted bool, err error) {
	res, err := s.db.ExecContext(ctx, `UPDATE check_run SET done = $2, frames = $3, at = now()
		WHERE shot = $1 AND state <> 'stopped'`, shot, done, frames)
	if err != nil {
		return false, err
	}
	n, _ := res.RowsAffected()
	return n > 0, notify(ctx, s.db, "check", shot)
}

// FailCheckRun says why a check failed.
func (s *Store) FailCheckRun(ctx context.Context, shot, why string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE check_run SET state = 'failed', awaited = false, error = $2,
		waiting = '', at = now()
		WHERE shot = $1`, shot, why)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "check", shot)
}

// Result is what a check of some of a shot's covers found.
type Result struct {
	Shot     string
	Revision int
	Covers   map[string]string // all covers of the shot, by id: what decides them
	Items    map[string]string // the same for items
	ItemOf   map[string]string // by cover
	Checked  map[string]bool   // the covers that were looked at; the others' findings stay
	Found    []Finding         // of those, and of the shot as a whole (without a cover)
}

// Found keeps what a check found: findings that are there again stay the rows that they
// were, waived ones waived unless it is worse now; those that are not there any more are
// mended.
func (s *Store) Found(ctx context.Context, r Result) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var old []Finding
		if err := tx.SelectContext(ctx, &old, `SELECT `+findingColumns+
			` FROM finding WHERE shot = $1 AND state <> 'mended' FOR UPDATE`, r.Shot); err != nil {
			return err
		}
		var left []check.Kept
		var found []check.Finding
		for _, o := range old {
			left = append(left, check.Kept{ID: o.ID, State: o.State, Finding: o.plain()})
		}
		for _, f := range r.Found {
			found = append(found, f.plain())
		}
		now, mended := check.Keep(left, found, func(c string) bool {
			_, there := r.Covers[c]
			return !there || r.Checked[c] // what is said of the whole shot is always looked for
		})
		for i, f := range r.Found {
			f.Item, f.ID, f.State = r.ItemOf[f.Cover], now[i].ID, now[i].State
			do := `UPDATE finding SET item = :item, severity = :severity, figure = :figure, says = :says,
				frames = :frames, frame = :frame, place = :place,
				evidence = :evidence, revision = :revision, state = :state WHERE id = :id`
			if f.ID == "" {
				f.ID = NewID()
				do = `INSERT INTO finding (id, shot, cover, item, kind, severity, figure, says, frames, frame, place,
					evidence, revision)
					VALUES (:id,:shot,:cover,:item,:kind,:severity,:figure,:says,:frames,:frame,:place,:evidence,:revision)`
			}
			if _, err := tx.NamedExecContext(ctx, do, f); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `UPDATE finding SET recovered = $2 WHERE id = $1`, f.ID, f.Recovered); err != nil {
				return err
			}
		}
		for _, id := range mended {
			if _, err := tx.ExecContext(ctx, `UPDATE finding SET state = 'mended', at = now() WHERE id = $1`, id); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO check_run (shot, state, revision, covers, items)
			VALUES ($1, 'done', $2, $3, $4)
			ON CONFLICT (shot) DO UPDATE SET state = CASE check_run.state WHEN 'queued' THEN 'queued'
			ELSE 'done' END, awaited = check_run.awaited AND check_run.state = 'queued',
			revision = $2, covers = $3, items = $4, error = '', at = now()`,
			r.Shot, r.Revision, JSON[map[string]string]{r.Covers}, JSON[map[string]string]{r.Items})
		if err != nil {
			return err
		}
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM shot WHERE id = $1`, r.Shot); err != nil {
			return err
		}
		return errors.Join(notify(ctx, tx, "check", r.Shot), notify(ctx, tx, "programme", programme))
	})
}

// plain is a finding as the check knows it.
func (f Finding) plain() check.Finding {
	return check.Finding{
		Kind: f.Kind, Cover: f.Cover, Frames: f.Frames.V, Frame: f.Frame, Severity: f.Severity,
		Figure: f.Figure, Says: f.Says,
	}
}

// PlaceOf is a rectangle as a finding keeps it.
func PlaceOf(r image.Rectangle) *[4]int {
	if r.Empty() {
		return nil
	}
	return &[4]int{r.Min.X, r.Min.Y, r.Dx(), r.Dy()}
}

// LatestDelivery returns the revision and the name of a shot's newest finished delivery, its own or that of its
// source.
func (s *Store) LatestDelivery(ctx context.Context, shot string) (revision int, name string, err error) {
	var d struct {
		Revision int    `db:"revision"`
		Name     string `db:"name"`
	}
	err = none(s.db.GetContext(ctx, &d, `SELECT coalesce((c ->> 'revision')::integer, d.revision) AS revision, d.name
		FROM delivery d LEFT JOIN LATERAL jsonb_array_elements(d.contents) c ON c ->> 'shot' = $1
		WHERE (d.shot = $1 OR c IS NOT NULL) AND d.state = 'done' AND NOT d.matte ORDER BY d.created DESC LIMIT 1`, shot))
	return d.Revision, d.Name, err
}

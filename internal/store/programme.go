package store

import (
	"context"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
	"celator/core/cut"
	"celator/core/proposal"
	"celator/internal/media"
)

// Programme is what is being cleared.
type Programme struct {
	ID      string    `db:"id" json:"id"`
	Name    string    `db:"name" json:"name"`
	Created time.Time `db:"created" json:"created"`
	// SettledOnly forbids deliveries of what is not settled.
	SettledOnly bool `db:"settled_only" json:"settledOnly" doc:"nothing that is doubted goes out, but for review"`
	// Offers are the rules of what is proposed.
	Offers JSON[proposal.Rules] `db:"offers" json:"-"`
}

// States of a source.
const (
	Queued     = "queued"
	Conforming = "conforming"
	Viewing    = "viewing"
	Ready      = "ready"
	Failed     = "failed"
)

// What is known of damage to a source's pictures: nothing, that there is some, for which it
// failed, or that it is taken as it is.
const (
	DamageFound = "found"
	DamageTaken = "taken"
)

// Source is one media file.
type Source struct {
	ID        string            `db:"id"`
	Programme string            `db:"programme"`
	Name      string            `db:"name"`
	Place     string            `db:"place"`
	Path      string            `db:"path"`
	State     string            `db:"state"`
	Error     string            `db:"error"`
	Waiting   string            `db:"waiting"` // why it does not go on for now
	Info      JSON[media.Info]  `db:"info"`
	ReadInfo  JSON[*media.Info] `db:"read_info"`
	Damage    string            `db:"damage"`
	Frames    int               `db:"frames"`
	Views     int               `db:"views"`
	Digest    string            `db:"digest"`
	// Where its shots begin, found and corrected, once it was searched.
	Boundaries JSON[[]cut.Boundary] `db:"boundaries"`
	Searched   bool                 `db:"searched"`
	Searching  int                  `db:"searching"` // frames that were searched so far
	Created    time.Time            `db:"created"`
}

// Reading is the info of the file that is read: the conformed copy, or the
// source itself.
func (s Source) Reading() media.Info {
	if s.ReadInfo.V != nil {
		return *s.ReadInfo.V
	}
	return s.Info.V
}

// Shot is a range of a source's frames.
type Shot struct {
	ID        string    `db:"id" json:"id"`
	Programme string    `db:"programme" json:"programme"`
	Source    string    `db:"source" json:"source"`
	Name      string    `db:"name" json:"name"`
	First     int       `db:"first" json:"first" doc:"the source's frame that is the shot's frame 0"`
	Frames    int       `db:"frames" json:"frames"`
	Created   time.Time `db:"created" json:"created"`
}

// Last is the shot's last frame, counted in the source.
func (s Shot) Last() int { return s.First + s.Frames - 1 }

// shots are the columns of Shot, from shot and source.
const shots = `SELECT shot.id, shot.programme, shot.source, shot.name, shot.first,
	coalesce(shot.last, source.frames - 1) - shot.first + 1 AS frames, shot.created
	FROM shot JOIN source ON source.id = shot.source`

// Programmes lists all, the newest first.
func (s *Store) Programmes(ctx context.Context) (out []Programme, err error) {
	out = []Programme{}
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM programme ORDER BY created DESC`)
}

// Programme returns one.
func (s *Store) Programme(ctx context.Context, id string) (p Programme, err error) {
	return p, none(s.db.GetContext(ctx, &p, `SELECT * FROM programme WHERE id = $1`, id))
}

// AddProgramme makes one.
func (s *Store) AddProgramme(ctx context.Context, name string) (p Programme, err error) {
	return p, s.db.GetContext(ctx, &p, `INSERT INTO programme (id, name) VALUES ($1, $2) RETURNING *`, NewID(), name)
}

// ChangeProgramme gives a programme its name, and says whether only what is settled is delivered.
func (s *Store) ChangeProgramme(ctx context.Context, p Programme) error {
	return s.alter(ctx, "programme", p.ID, `UPDATE programme SET name = $2, settled_only = $3 WHERE id = $1`, p.ID,
		p.Name, p.SettledOnly)
}

// Sources lists a programme's, in the order they came.
func (s *Store) Sources(ctx context.Context, programme string) (out []Source, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT * FROM source WHERE programme = $1 ORDER BY created`, programme)
}

// Source returns one.
func (s *Store) Source(ctx context.Context, id string) (src Source, err error) {
	return src, none(s.db.GetContext(ctx, &src, `SELECT * FROM source WHERE id = $1`, id))
}

// AddSource enters a probed file with a shot over the whole of it and puts the
// making of its view frames into the queue, unless it failed already.
func (s *Store) AddSource(ctx context.Context, src Source) (Shot, error) {
	var shot Shot
	if src.Created.IsZero() {
		src.Created = time.Now()
	}
	err := s.tx(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO source (id, programme, name, place, path, info, frames,
			state, error, damage, created) VALUES (:id, :programme, :name, :place, :path, :info, :frames,
			coalesce(nullif(:state, ''), 'queued'), :error, :damage, :created)`, src)
		if err != nil {
			return err
		}
		id := NewID()
		if _, err = tx.ExecContext(ctx, `INSERT INTO shot (id, programme, source, name) VALUES ($1, $2, $3, $4)`, id,
			src.Programme, src.ID, src.Name); err != nil {
			return err
		}
		if err = tx.GetContext(ctx, &shot, shots+` WHERE shot.id = $1`, id); err != nil {
			return err
		}
		if src.State != Failed {
			if _, err := s.queue.InsertTx(ctx, tx.Tx, IngestArgs{src.ID}, nil); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "programme", src.Programme)
	})
	return shot, err
}

// SetSource says how far a source has come; fields at their zero are left.
func (s *Store) SetSource(ctx context.Context, id, state string, views int) error {
	_, err := s.db.ExecContext(ctx, `UPDATE source SET state = $2, views = greatest(views, $3), waiting = ''
		WHERE id = $1`, id, state, views)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "source", id)
}

// FinishSource enters what decoding the whole source found: its info and, where not the file
// itself is read, that of what is, its number of frames and its digest.
func (s *Store) FinishSource(ctx context.Context, src Source) error {
	id, frames := src.ID, src.Frames
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE source SET state = $2, waiting = '', error = '', read_info = $3,
			frames = $4, views = $4, digest = $5, info = $6,
			damage = CASE damage WHEN 'found' THEN '' ELSE damage END WHERE id = $1`,
			id, Ready, src.ReadInfo, frames, src.Digest, src.Info)
		if err != nil {
			return err
		}
		if frames > 1 {
			if err := s.wantSearch(ctx, tx, id); err != nil {
				return err
			}
		}
		if s.findImported {
			if err := s.wantFind(ctx, tx, id, "", false); err != nil {
				return err
			}
			if err := s.seekMarks(ctx, tx, id); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "source", id)
	})
}

// FailSource enters why a source cannot be used, and whether that is damage for which it can
// still be taken as it is. Its file stays.
func (s *Store) FailSource(ctx context.Context, id, why string, damaged bool) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM piece WHERE source = $1`, id); err != nil {
		return err
	}
	_, err := s.db.ExecContext(ctx, `UPDATE source SET state = $2, error = $3, views = 0, waiting = '',
		damage = CASE WHEN $4 AND damage = '' THEN 'found' ELSE damage END WHERE id = $1`, id, Failed, why, damaged)
	if err != nil {
		return err
	}
	return notify(ctx, s.db, "source", id)
}

// RetrySource puts a source that failed into the queue again. One that is damaged is brought in
// as it is if asIs says so; else its file is looked at anew, for it may have been put right.
func (s *Store) RetrySource(ctx context.Context, id string, asIs bool) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE source SET state = 'queued', error = '', views = 0,
			damage = CASE WHEN $2 THEN 'taken' WHEN damage = '' THEN '' ELSE 'found' END WHERE id = $1 AND state = 'failed'
			AND (NOT $2 OR damage <> '')`, id, asIs)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			return ErrNone
		}
		if _, err := s.queue.InsertTx(ctx, tx.Tx, IngestArgs{id}, nil); err != nil {
			return err
		}
		return notify(ctx, tx, "source", id)
	})
}

// RemoveSource takes a source and its shots out.
func (s *Store) RemoveSource(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `DELETE FROM source WHERE id = $1 RETURNING programme`, id); err != nil {
			return none(err)
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Shots lists a programme's in their order.
func (s *Store) Shots(ctx context.Context, programme string) (out []Shot, err error) {
	out = []Shot{}
	return out, s.db.SelectContext(ctx, &out, shots+
		` WHERE shot.programme = $1 ORDER BY nullif(shot.position, 0), source.created, shot.first, shot.created`, programme)
}

// ShotsOf lists a source's, as they follow each other.
func (s *Store) ShotsOf(ctx context.Context, source string) (out []Shot, err error) {
	out = []Shot{}
	return out, s.db.SelectContext(ctx, &out, shots+` WHERE shot.source = $1 ORDER BY shot.first, shot.created`, source)
}

// OrderShots puts a programme's shots in an order, each by its id; without ids they stand
// in the order of the master again. A shot that is not named goes to the end, and
// so does one that comes later. ErrNone
// says that one of them is not the programme's.
func (s *Store) OrderShots(ctx context.Context, programme string, ids []string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE shot SET position = 0 WHERE programme = $1`, programme); err != nil {
			return err
		}
		r, err := tx.ExecContext(ctx, `UPDATE shot SET position = o.position
			FROM unnest($2::text[]) WITH ORDINALITY AS o (id, position) WHERE shot.id = o.id AND shot.programme = $1`,
			programme, ids)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || int(n) != len(ids) {
			return errors.Join(err, ErrNone)
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Shot returns one.
func (s *Store) Shot(ctx context.Context, id string) (sh Shot, err error) {
	return sh, none(s.db.GetContext(ctx, &sh, shots+` WHERE shot.id = $1`, id))
}

// WithSource returns a shot with its source.
func (s *Store) WithSource(ctx context.Context, shot string) (sh Shot, src Source, err error) {
	if sh, err = s.Shot(ctx, shot); err == nil {
		src, err = s.Source(ctx, sh.Source)
	}
	return sh, src, err
}

// Document returns an empty document for some of a source's pictures.
func (s Source) Document(frames int) *cover.Document {
	d := cover.New(s.Info.V.Width, s.Info.V.Height, frames)
	d.Fields = s.Info.V.First() != ""
	return d
}

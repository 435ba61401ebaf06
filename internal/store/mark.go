package store

import (
	"context"
	"errors"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"celator/core/geom"
	"celator/core/proposal"
)

// Mark is what a thing that is looked for by its picture looks like.
type Mark struct {
	ID      string          `db:"id" json:"id"`
	Item    string          `db:"item" json:"item"`
	Name    string          `db:"name" json:"name" doc:"of the shot or the file that it is from"`
	Picture []byte          `db:"picture" json:"-"` // PNG
	Quad    JSON[geom.Quad] `db:"quad" json:"-"`    // the surface's corners on it
	Shot    *string         `db:"shot" json:"shot,omitempty" doc:"where it was covered; absent: its picture was given"`
	Cover   string          `db:"cover" json:"cover,omitempty"`
	Frame   int             `db:"frame" json:"frame" doc:"of the shot"`
	At      JSON[geom.Map]  `db:"at" json:"-"` // the frame's places to the picture's
	By      string          `db:"by" json:"by"`
	Made    time.Time       `db:"made" json:"made"`
}

// MarkRow is a mark, and how far it was looked for.
type MarkRow struct {
	Mark
	Sources int    `db:"sources" json:"sources" doc:"that it is looked for in"`
	Done    int    `db:"done" json:"done" doc:"of them, those that were looked through"`
	Going   int    `db:"going" json:"going" doc:"and those that are yet to be"`
	Waiting string `db:"waiting" json:"waiting" doc:"why it does not go on for now"`
	Error   string `db:"error" json:"error"`
}

// SeekArgs asks for a source to be looked through for the marks that wait for it.
type SeekArgs struct {
	Source string `json:"source"`
}

func (SeekArgs) Kind() string { return "seek" }

func (SeekArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: FindQueue, MaxAttempts: 5, Priority: 3}
}

const markColumns = `mark.id, mark.item, mark.name, mark.quad, mark.shot, mark.cover, mark.frame, mark.at, mark.by,
	mark.made`

// Marks lists a programme's, without their pictures.
func (s *Store) Marks(ctx context.Context, programme string) (out []MarkRow, err error) {
	out = []MarkRow{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+markColumns+`, count(seek.mark) AS sources,
		count(*) FILTER (WHERE seek.state = 'done') AS done,
		count(*) FILTER (WHERE seek.state IN ('queued', 'running')) AS going,
		coalesce(max(seek.waiting), '') AS waiting, coalesce(max(seek.error), '') AS error
		FROM mark JOIN item ON item.id = mark.item LEFT JOIN seek ON seek.mark = mark.id
		WHERE item.programme = $1 GROUP BY mark.id ORDER BY mark.made, mark.id`, programme)
}

// Mark returns one with its picture.
func (s *Store) Mark(ctx context.Context, id string) (m Mark, err error) {
	return m, none(s.db.GetContext(ctx, &m, `SELECT * FROM mark WHERE id = $1`, id))
}

// MarkOf returns the mark that was made of a cover. ErrNone says that there is none.
func (s *Store) MarkOf(ctx context.Context, shot, cover string) (m Mark, err error) {
	return m, none(s.db.GetContext(ctx, &m, `SELECT * FROM mark WHERE shot = $1 AND cover = $2`, shot, cover))
}

// AddMark enters a mark, instead of the one of the same cover, and has all sources of its programme looked through for
// it. Queued is in how many.
func (s *Store) AddMark(ctx context.Context, m Mark) (queued int, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM item WHERE id = $1 FOR KEY SHARE`,
			m.Item); err != nil {
			return none(err)
		}
		if m.Cover != "" { // what was decided of what the old one found stays
			if err := s.replaceMark(ctx, tx, m); err != nil {
				return err
			}
		} else if err := insertMark(ctx, tx, m); err != nil {
			return err
		}
		var sources []string
		if err := tx.SelectContext(ctx, &sources, `SELECT id FROM source WHERE programme = $1 AND state <> 'failed'
			ORDER BY created, id`, programme); err != nil {
			return err
		}
		queued = len(sources)
		for _, src := range sources {
			if err := s.wantSeek(ctx, tx, m.ID, src); err != nil {
				return err
			}
		}
		return notify(ctx, tx, "proposals", programme)
	})
	return queued, err
}

func insertMark(ctx context.Context, tx *sqlx.Tx, m Mark) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO mark (id, item, name, picture, quad, shot, cover, frame, at, by)
		VALUES (:id, :item, :name, :picture, :quad, :shot, :cover, :frame, :at, :by)`, m)
	return err
}

// replaceMark enters the mark of a cover; what hangs on the one before goes over to it.
func (s *Store) replaceMark(ctx context.Context, tx *sqlx.Tx, m Mark) error {
	var old string
	err := tx.GetContext(ctx, &old, `UPDATE mark SET cover = '' WHERE shot = $1 AND cover = $2 RETURNING id`, m.Shot,
		m.Cover)
	if none(err) != nil && none(err) != ErrNone {
		return err
	}
	if err := insertMark(ctx, tx, m); err != nil || old == "" {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE proposal SET mark = $2 WHERE mark = $1 AND state <> 'open'`, old,
		m.ID); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `DELETE FROM mark WHERE id = $1`, old)
	return err
}

func (s *Store) wantSeek(ctx context.Context, tx *sqlx.Tx, mark, source string) error {
	if _, err := tx.ExecContext(ctx, `INSERT INTO seek (mark, source) VALUES ($1, $2)
		ON CONFLICT (mark, source) DO UPDATE SET state = 'queued', error = '', waiting = '', at = now()
		WHERE seek.state IN ('failed', 'stopped')`, mark, source); err != nil {
		return err
	}
	// One job for all marks that wait: it takes them together. One that is running may have read what was before.
	var waits bool
	if err := tx.GetContext(ctx, &waits, `SELECT EXISTS (SELECT 1 FROM river_job WHERE kind = 'seek'
		AND args ->> 'source' = $1 AND state IN ('available', 'scheduled', 'retryable'))`, source); err != nil || waits {
		return err
	}
	_, err := s.queue.InsertTx(ctx, tx.Tx, SeekArgs{source}, nil)
	return err
}

// seekMarks has every mark of a programme looked for in a source that came later.
func (s *Store) seekMarks(ctx context.Context, tx *sqlx.Tx, source string) error {
	var ids []string
	if err := tx.SelectContext(ctx, &ids, `SELECT mark.id FROM mark JOIN item ON item.id = mark.item
		JOIN source ON source.programme = item.programme WHERE source.id = $1`, source); err != nil {
		return err
	}
	for _, id := range ids {
		if err := s.wantSeek(ctx, tx, id, source); err != nil {
			return err
		}
	}
	return nil
}

// SeekAgain has what was stopped, or failed, looked for again.
func (s *Store) SeekAgain(ctx context.Context, mark string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var sources []string
		if err := tx.SelectContext(ctx, &sources, `SELECT source FROM seek WHERE mark = $1
			AND state IN ('failed', 'stopped') ORDER BY source`, mark); err != nil {
			return err
		}
		for _, src := range sources {
			if err := s.wantSeek(ctx, tx, mark, src); err != nil {
				return err
			}
		}
		return s.markChanged(ctx, tx, mark)
	})
}

// StopSeek lets a mark rest.
func (s *Store) StopSeek(ctx context.Context, mark string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE seek SET state = 'stopped', waiting = '', at = now()
			WHERE mark = $1 AND state IN ('queued', 'running')`, mark); err != nil {
			return err
		}
		return s.markChanged(ctx, tx, mark)
	})
}

// RemoveMark lets a mark go, and what it found that nobody decided about; the rest stays.
func (s *Store) RemoveMark(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := s.markChanged(ctx, tx, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE proposal SET mark = NULL WHERE mark = $1
			AND state IN ('accepted', 'unneeded')`, id); err != nil {
			return err
		}
		return affect(ctx, tx, `DELETE FROM mark WHERE id = $1`, id)
	})
}

func (s *Store) markChanged(ctx context.Context, tx *sqlx.Tx, mark string) error {
	var programme string
	if err := tx.GetContext(ctx, &programme, `SELECT programme FROM item JOIN mark ON mark.item = item.id
		WHERE mark.id = $1`, mark); err != nil {
		return none(err)
	}
	return notify(ctx, tx, "proposals", programme)
}

// Sought is a mark that waits for a source, and from which frame on.
type Sought struct {
	Mark
	From int `db:"done"`
}

// SoughtIn lists the marks that wait for a source, with their pictures.
func (s *Store) SoughtIn(ctx context.Context, source string) (out []Sought, err error) {
	return out, s.db.SelectContext(ctx, &out, `SELECT `+markColumns+`, mark.picture, seek.done FROM mark
		JOIN seek ON seek.mark = mark.id WHERE seek.source = $1 AND seek.state IN ('queued', 'running')
		ORDER BY seek.done, mark.made, mark.id`, source)
}

// SetSeek says that marks are being looked for in a source. It reports how many of them still are to be.
func (s *Store) SetSeek(ctx context.Context, source string, marks []string) (wanted int, err error) {
	res, err := s.db.ExecContext(ctx, `UPDATE seek SET state = 'running', waiting = '', at = now() WHERE source = $1
		AND mark = ANY($2) AND state IN ('queued', 'running')`, source, marks)
	if err != nil {
		return 0, err
	}
	n, err := res.RowsAffected()
	return int(n), err
}

// EndSeek enters that a source was looked through for marks, or why that failed; none stands for all that wait.
func (s *Store) EndSeek(ctx context.Context, source string, marks []string, state, why string) error {
	if _, err := s.db.ExecContext(ctx, `UPDATE seek SET state = $3, error = $4, waiting = '', at = now()
		WHERE source = $1 AND ($2::text[] IS NULL OR mark = ANY($2)) AND state IN ('queued', 'running')`, source, marks,
		state, why); err != nil {
		return err
	}
	return s.notifyProgramme(ctx, source)
}

func (s *Store) notifyProgramme(ctx context.Context, source string) error {
	var programme string
	if err := s.db.GetContext(ctx, &programme, `SELECT programme FROM source WHERE id = $1`, source); err != nil {
		return none(err)
	}
	return notify(ctx, s.db, "proposals", programme)
}

// FoundAgain enters where marks were found in a stretch of a source, up to a frame that it does not hold any more.
// What was found before and decided stays, what was not makes way; marks that are gone meanwhile found nothing.
func (s *Store) FoundAgain(ctx context.Context, source string, marks []string, piece, to int, found []Proposal) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM source WHERE id = $1 FOR KEY SHARE`,
			source); err != nil {
			return none(err)
		}
		var left []string
		if err := tx.SelectContext(ctx, &left, `UPDATE seek SET done = $3, waiting = '', at = now() WHERE source = $1
			AND mark = ANY($2) AND state IN ('queued', 'running') RETURNING mark`, source, marks, to); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM proposal WHERE source = $1 AND mark = ANY($2) AND first >= $3
			AND first < $4 AND state = 'open'`, source, left, piece, to); err != nil {
			return err
		}
		var before []struct {
			Proposal
			Of string `db:"of"`
		}
		if err := tx.SelectContext(ctx, &before, `SELECT `+proposalColumns+`, mark.item AS of FROM proposal
			JOIN mark ON mark.id = proposal.mark WHERE source = $1 AND last >= $2 AND proposal.first < $3`, source, piece,
			to); err != nil {
			return err
		}
		wanted := map[string]bool{}
		for _, id := range left {
			wanted[id] = true
		}
		for _, p := range found {
			if p.Mark == nil || !wanted[*p.Mark] {
				continue
			}
			var item string
			if err := tx.GetContext(ctx, &item, `SELECT item FROM mark WHERE id = $1`, *p.Mark); err != nil {
				return none(err)
			}
			known := false // by another picture of the same item, or decided
			for _, b := range before {
				known = known || b.Of == item && proposal.Matches(rules([]Proposal{b.Proposal}), rules([]Proposal{p}))[0] >= 0
			}
			if known {
				continue
			}
			p.ID, p.Source, p.Piece, p.State = NewID(), source, piece, OpenProposal
			if err := insertProposal(ctx, tx, p); err != nil {
				return err
			}
		}
		return errors.Join(notify(ctx, tx, "proposals", programme))
	})
}

package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"celator/core/cover"
)

// Revision is a state of a shot's document. Revision 0 is the empty document
// before the first change.
type Revision struct {
	Number   int             `db:"number"`
	State    int             `db:"state"`
	Parent   sql.NullInt64   `db:"parent"`
	Redo     JSON[[]int]     `db:"redo"`
	Label    string          `db:"label"`
	Author   string          `db:"author"`
	At       time.Time       `db:"at"`
	Document *cover.Document `db:"-"`
}

// Conflict says that a change was made on an outdated base. Nothing was changed.
type Conflict struct {
	Base int
	Head Revision
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("the shot was changed in the meantime (%s, by %s): your change was made on revision %d, "+
		"the shot is at %d",
		c.Head.Label, c.Head.Author, c.Base, c.Head.Number)
}

// On says what a change is made on, and by whom.
type On struct {
	Base   int // the revision that it was made on; refused with *Conflict unless it is the head
	Author string
	// Key, when not empty, names the change: sent again, because its answer was lost on
	// the way, it is not made again.
	Key string
}

// ErrForeign says that a document points at tracks or mattes that are not the shot's own.
var ErrForeign = errors.New("the document points at a track or a search of another shot, or at one that is not there")

const columns = `number, state, parent, redo, label, author, at`

// Head returns a shot's newest revision with its document.
func (s *Store) Head(ctx context.Context, shot string) (r Revision, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) (err error) {
		r, err = s.head(ctx, tx, shot, "")
		return err
	})
	return r, err
}

// HeadNumber returns the number of a shot's newest revision.
func (s *Store) HeadNumber(ctx context.Context, shot string) (n int, err error) {
	return n, none(s.db.GetContext(ctx, &n, `SELECT coalesce((SELECT max(number) FROM revision WHERE shot = $1), 0)
		FROM shot WHERE id = $1`, shot))
}

// At returns a revision with its document.
func (s *Store) At(ctx context.Context, shot string, number int) (r Revision, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		if number > 0 {
			if err := tx.GetContext(ctx, &r, `SELECT `+columns+` FROM revision WHERE shot = $1 AND number = $2`, shot,
				number); err != nil {
				return none(err)
			}
		}
		return s.load(ctx, tx, shot, &r)
	})
	return r, err
}

// head reads the newest revision; lock is "FOR NO KEY UPDATE" to keep other changes out,
// while rows that belong to the shot may be added.
func (s *Store) head(ctx context.Context, tx *sqlx.Tx, shot, lock string) (r Revision, err error) {
	var id string
	if err := tx.GetContext(ctx, &id, `SELECT id FROM shot WHERE id = $1 `+lock, shot); err != nil {
		return r, none(err)
	}
	err = tx.GetContext(ctx, &r, `SELECT `+columns+` FROM revision WHERE shot = $1 ORDER BY number DESC LIMIT 1`, shot)
	if err != nil && none(err) != ErrNone {
		return r, err
	}
	return r, s.load(ctx, tx, shot, &r)
}

// load reads the document that a revision shows.
func (s *Store) load(ctx context.Context, tx *sqlx.Tx, shot string, r *Revision) error {
	if r.State == 0 {
		var src Source
		var sh Shot
		err := tx.GetContext(ctx, &src, `SELECT source.* FROM source JOIN shot ON shot.source = source.id
			WHERE shot.id = $1`, shot)
		if err == nil {
			err = tx.GetContext(ctx, &sh, shots+` WHERE shot.id = $1`, shot)
		}
		r.Document = src.Document(sh.Frames)
		return none(err)
	}
	var b []byte
	if err := tx.GetContext(ctx, &b, `SELECT document FROM revision WHERE shot = $1 AND number = $2`, shot,
		r.State); err != nil {
		return none(err)
	}
	var err error
	if r.Document, err = cover.Stored(b); err != nil {
		return err
	}
	return s.attach(ctx, tx, shot, r.Document)
}

// change adds a revision on top of its base; next fills it in from the head.
func (s *Store) change(ctx context.Context, shot string, on On,
	next func(tx *sqlx.Tx, head Revision) (Revision, error),
) (r Revision, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		head, err := s.head(ctx, tx, shot, "FOR NO KEY UPDATE")
		if err != nil {
			return err
		}
		if made, err := s.made(ctx, tx, shot, on.Key); err != nil || made != nil {
			if made != nil {
				r = *made
			}
			return err
		}
		if head.Number != on.Base {
			return &Conflict{on.Base, head}
		}
		if r, err = next(tx, head); err != nil {
			return err
		}
		return s.append(ctx, tx, shot, on, head, &r)
	})
	return r, err
}

// made returns the revision that a change with that key has made before, or nil.
func (s *Store) made(ctx context.Context, tx *sqlx.Tx, shot, key string) (*Revision, error) {
	if key == "" {
		return nil, nil
	}
	var r Revision
	err := tx.GetContext(ctx, &r, `SELECT `+columns+` FROM revision WHERE shot = $1 AND key = $2`, shot, key)
	if none(err) == ErrNone {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return &r, s.load(ctx, tx, shot, &r)
}

// append enters a revision after the head, which is locked.
func (s *Store) append(ctx context.Context, tx *sqlx.Tx, shot string, on On, head Revision, r *Revision) error {
	r.Number, r.Author, r.At = head.Number+1, on.Author, time.Now()
	var doc any
	if r.State == 0 && r.Document != nil && r.Parent.Valid { // an edit shows its own state
		r.State = r.Number
		if err := own(ctx, tx, shot, head.Document, r.Document); err != nil {
			return err
		}
		if err := adoptGraphics(ctx, tx, r.Document); err != nil {
			return err
		}
		doc = JSON[*cover.Document]{r.Document.Bare()}
		if err := s.attach(ctx, tx, shot, r.Document); err != nil { // of an attempt just taken
			return err
		}
	}
	if r.Redo.V == nil {
		r.Redo.V = []int{}
	}
	_, err := tx.ExecContext(ctx, `
		INSERT INTO revision (shot, number, state, parent, redo, label, author, at, document, key)
		VALUES ($1,$2,$3,$4,$5,$6,$7,$8,$9,nullif($10, ''))`,
		shot, r.Number, r.State, r.Parent, r.Redo, r.Label, r.Author, r.At, doc, on.Key)
	if err != nil {
		return err
	}
	if err := s.edited(ctx, tx, shot, on.Author, *r); err != nil {
		return err
	}
	return notify(ctx, tx, "shot", shot)
}

// edit is the revision that a document of an edit makes on top of the head.
func edit(head Revision, doc *cover.Document, label string) Revision {
	return Revision{Parent: sql.NullInt64{Int64: int64(head.State), Valid: true}, Label: label, Document: doc}
}

// own returns ErrForeign where a document points at attempts that it did not before and
// that are not the shot's.
func own(ctx context.Context, tx *sqlx.Tx, shot string, was, now *cover.Document) error {
	known := attempts(was)
	var fresh []string
	for _, id := range attempts(now) {
		if !slices.Contains(known, id) {
			fresh = append(fresh, id)
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	var there []string // locked, so that nobody takes them away meanwhile
	if err := tx.SelectContext(ctx, &there, `SELECT id FROM attempt WHERE shot = $1 AND id = ANY($2) FOR KEY SHARE`,
		shot, fresh); err != nil {
		return err
	}
	if len(there) != len(fresh) {
		return ErrForeign
	}
	return nil
}

// Edit adds a revision whose document apply makes from the head's.
func (s *Store) Edit(ctx context.Context, shot string, on On,
	apply func(*cover.Document) (*cover.Document, string, error),
) (Revision, error) {
	return s.change(ctx, shot, on, func(_ *sqlx.Tx, head Revision) (Revision, error) {
		doc, label, err := apply(head.Document)
		return edit(head, doc, label), err
	})
}

// Undo adds a revision that shows the state before the last edit still standing.
func (s *Store) Undo(ctx context.Context, shot string, on On) (Revision, error) {
	return s.change(ctx, shot, on, func(tx *sqlx.Tx, head Revision) (Revision, error) {
		if head.State == 0 {
			return Revision{}, ErrNothing
		}
		var undone Revision
		if err := tx.GetContext(ctx, &undone, `SELECT `+columns+` FROM revision WHERE shot = $1 AND number = $2`, shot,
			head.State); err != nil {
			return Revision{}, none(err)
		}
		r := Revision{
			State: int(undone.Parent.Int64), Redo: JSON[[]int]{append(slices.Clone(head.Redo.V), head.State)},
			Label: "undo: " + undone.Label,
		}
		return r, s.load(ctx, tx, shot, &r)
	})
}

// Redo adds a revision that shows the state last undone.
func (s *Store) Redo(ctx context.Context, shot string, on On) (Revision, error) {
	return s.change(ctx, shot, on, func(tx *sqlx.Tx, head Revision) (Revision, error) {
		n := len(head.Redo.V)
		if n == 0 {
			return Revision{}, ErrNothing
		}
		var again Revision
		if err := tx.GetContext(ctx, &again, `SELECT `+columns+` FROM revision WHERE shot = $1 AND number = $2`, shot,
			head.Redo.V[n-1]); err != nil {
			return Revision{}, none(err)
		}
		r := Revision{
			State: head.Redo.V[n-1], Redo: JSON[[]int]{slices.Clone(head.Redo.V[:n-1])},
			Label: "redo: " + again.Label,
		}
		return r, s.load(ctx, tx, shot, &r)
	})
}

// Jump adds a revision that shows the state of any earlier edit (0: before the
// first). Edits left behind can be redone one by one when they led here from
// there, and otherwise stay in the list.
func (s *Store) Jump(ctx context.Context, shot string, on On, state int) (Revision, error) {
	return s.change(ctx, shot, on, func(tx *sqlx.Tx, head Revision) (Revision, error) {
		if head.State == state {
			return Revision{}, ErrNothing
		}
		r := Revision{State: state, Label: "went to the beginning"}
		if state != 0 {
			var there Revision
			if err := tx.GetContext(ctx, &there, `SELECT `+columns+
				` FROM revision WHERE shot = $1 AND number = $2 AND state = number`, shot, state); err != nil {
				return r, none(err)
			}
			r.Label = "went to: " + there.Label
		}
		if i := slices.Index(head.Redo.V, state); i >= 0 {
			r.Redo.V = slices.Clone(head.Redo.V[:i])
		} else {
			var edits []Revision
			if err := tx.SelectContext(ctx, &edits, `SELECT `+columns+` FROM revision WHERE shot = $1 AND state = number`,
				shot); err != nil {
				return r, err
			}
			parent := map[int]int{}
			for _, e := range edits {
				parent[e.Number] = int(e.Parent.Int64)
			}
			redo, at := slices.Clone(head.Redo.V), head.State
			for at != state && at != 0 {
				redo, at = append(redo, at), parent[at]
			}
			if at == state {
				r.Redo.V = redo
			}
		}
		return r, s.load(ctx, tx, shot, &r)
	})
}

// Edits lists so many of a shot's edits without their documents, the newest first; before
// names the one to go on from, 0 the newest.
func (s *Store) Edits(ctx context.Context, shot string, before, limit int) (out []Revision, err error) {
	return out, s.db.SelectContext(ctx, &out, `
		SELECT `+columns+` FROM revision
		WHERE shot = $1 AND state = number AND ($2 = 0 OR number < $2) ORDER BY number DESC LIMIT $3`, shot, before, limit)
}

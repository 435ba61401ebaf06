package store

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"celator/core/clearance"
)

// Item is an entry of the clearance list.
type Item struct {
	ID        string `db:"id" json:"id"`
	Programme string `db:"programme" json:"programme"`
	clearance.Details
	Created time.Time `db:"created" json:"created"`
}

// Appearance is an item in a shot in which it is seen.
type Appearance struct {
	Item     string          `db:"item" json:"item"`
	Shot     string          `db:"shot" json:"shot"`
	First    int             `db:"first" json:"first" doc:"frames of the shot; -1 where they are not known"`
	Last     int             `db:"last" json:"last"`
	State    clearance.State `db:"state" json:"state" enum:"todo,work,ready,back,approved,waived"`
	Assignee string          `db:"assignee" json:"assignee"`
	Note     string          `db:"note" json:"note" doc:"of the last decision"`
	By       string          `db:"by" json:"by" doc:"who decided last"`
	At       time.Time       `db:"at" json:"at"`
	Severe   int             `db:"severe" json:"severe" doc:"open severe findings"`
	Minor    int             `db:"minor" json:"minor"`
	Covered  bool            `db:"covered" json:"covered" doc:"something hides it there"`
	Drafts   int             `db:"drafts" json:"drafts" doc:"covers that hide it and to which nobody has said yes"`
	Doubtful int             `db:"doubtful" json:"doubtful" doc:"frames on which what they ride on is weak, or was lost"`
	Checked  bool            `db:"checked" json:"checked" doc:"it was checked as it is hidden now"`
}

// Decision is a change of an item's state in a shot, or a note about it.
type Decision struct {
	ID       int64           `db:"id" json:"id"`
	Item     string          `db:"item" json:"item"`
	Shot     string          `db:"shot" json:"shot"`
	Was      clearance.State `db:"was" json:"was" enum:"todo,work,ready,back,approved,waived"`
	State    clearance.State `db:"state" json:"state" enum:"todo,work,ready,back,approved,waived"`
	By       string          `db:"by" json:"by"`
	At       time.Time       `db:"at" json:"at"`
	Note     string          `db:"note" json:"note"`
	Change   string          `db:"change" json:"change" doc:"of the shot, that led to it by itself"`
	Frame    *int            `db:"frame" json:"frame,omitempty" doc:"that the note is pinned to"`
	X        *float64        `db:"x" json:"x,omitempty" doc:"and where on it, px"`
	Y        *float64        `db:"y" json:"y,omitempty"`
	Revision int             `db:"revision" json:"revision" doc:"of the shot, that was looked at"`
}

const itemColumns = `id, programme, name, kind, description, reason, requester, due, created`

// appearanceColumns count the open findings about covers of the item: those are kept with the
// item, so that no document has to be read.
const appearanceColumns = `appearance.item, appearance.shot, appearance.first, appearance.last, appearance.s` +
	`tate, appearance.assignee, appearance.note, appearance.by, appearance.at, appearance.fingerprint <> '' AS covered,
	appearance.drafts, appearance.doubtful,
	coalesce(check_run.items ->> appearance.item = appearance.fingerprint, false) AS checked, coalesce(f.severe` +
	`, 0) AS severe, coalesce(f.minor, 0) AS minor`

const appearanceFrom = ` FROM appearance JOIN item ON item.id = appearance.item
	LEFT JOIN check_run ON check_run.shot = appearance.shot LEFT JOIN (
		SELECT shot, item, count(*) FILTER (WHERE severity = 'severe') AS severe,
		count(*) FILTER (WHERE severity <> 'severe') AS minor
		FROM finding WHERE state = 'open' GROUP BY shot, item
	) f ON f.shot = appearance.shot AND f.item = appearance.item`

// Items lists a programme's items, in the order they came.
func (s *Store) Items(ctx context.Context, programme string) (out []Item, err error) {
	out = []Item{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+itemColumns+
		` FROM item WHERE programme = $1 ORDER BY created, id`, programme)
}

// ItemsOf lists the items of a shot.
func (s *Store) ItemsOf(ctx context.Context, shot string) (out []Item, err error) {
	out = []Item{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+itemColumns+
		` FROM item WHERE id IN (SELECT item FROM appearance WHERE shot = $1) ORDER BY created, id`, shot)
}

// Appearances lists where a programme's items are seen.
func (s *Store) Appearances(ctx context.Context, programme string) (out []Appearance, err error) {
	out = []Appearance{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+appearanceColumns+appearanceFrom+
		` WHERE item.programme = $1 ORDER BY appearance.added, appearance.item`, programme)
}

// AppearancesIn lists the items of a shot.
func (s *Store) AppearancesIn(ctx context.Context, shot string) (out []Appearance, err error) {
	out = []Appearance{}
	return out, s.db.SelectContext(ctx, &out, `SELECT `+appearanceColumns+appearanceFrom+
		` WHERE appearance.shot = $1 ORDER BY appearance.added, appearance.item`, shot)
}

// AddItem enters an item that is seen in a shot.
func (s *Store) AddItem(ctx context.Context, shot string, item clearance.Details) (it Item, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT programme FROM shot WHERE id = $1`, shot); err != nil {
			return none(err)
		}
		if it, err = addItem(ctx, tx, programme, item); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO appearance (item, shot) VALUES ($1, $2)`, it.ID, shot); err != nil {
			return err
		}
		return notify(ctx, tx, "programme", programme)
	})
	return it, err
}

// AddUnplaced enters an item that is in no shot yet.
func (s *Store) AddUnplaced(ctx context.Context, programme string, item clearance.Details) (it Item, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		if it, err = addItem(ctx, tx, programme, item); err != nil {
			return err
		}
		return notify(ctx, tx, "programme", programme)
	})
	return it, err
}

func addItem(ctx context.Context, tx *sqlx.Tx, programme string, item clearance.Details) (it Item, err error) {
	return it, tx.GetContext(ctx, &it, `INSERT INTO item (id, programme, name, kind, description, reason, requester,
		due) VALUES ($1,$2,$3,$4,$5,$6,$7,$8) RETURNING `+itemColumns,
		NewID(), programme, item.Name, item.Kind, item.Description, item.Reason, item.Requester, item.Due)
}

// ChangeItem changes what an item says.
func (s *Store) ChangeItem(ctx context.Context, id string, item clearance.Details) (it Item, err error) {
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		if err := setItem(ctx, tx, id, item); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &it, `SELECT `+itemColumns+` FROM item WHERE id = $1`, id); err != nil {
			return none(err)
		}
		return notify(ctx, tx, "programme", it.Programme)
	})
	return it, err
}

func setItem(ctx context.Context, tx *sqlx.Tx, id string, item clearance.Details) error {
	_, err := tx.ExecContext(ctx, `UPDATE item SET name = $2, kind = $3, description = $4, reason = $5,
		requester = $6, due = $7 WHERE id = $1`,
		id, item.Name, item.Kind, item.Description, item.Reason, item.Requester, item.Due)
	return err
}

// RemoveItem takes an item out of the list. Covers that were made for it stay.
func (s *Store) RemoveItem(ctx context.Context, id string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `DELETE FROM item WHERE id = $1 RETURNING programme`, id); err != nil {
			return none(err)
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Place enters that an item is seen in a shot of its programme, or on which frames.
func (s *Store) Place(ctx context.Context, item, shot string, first, last int) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `SELECT item.programme FROM item
			JOIN shot ON shot.programme = item.programme WHERE item.id = $1 AND shot.id = $2`, item, shot); err != nil {
			return none(err)
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO appearance (item, shot, first, last) VALUES ($1,$2,$3,$4)
			ON CONFLICT (item, shot) DO UPDATE SET first = $3, last = $4`, item, shot, first, last)
		if err != nil {
			return err
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Unplace enters that an item is not seen in a shot.
func (s *Store) Unplace(ctx context.Context, item, shot string) error {
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var programme string
		if err := tx.GetContext(ctx, &programme, `DELETE FROM appearance USING item WHERE item.id = appearance.item
			AND appearance.item = $1 AND appearance.shot = $2 RETURNING item.programme`, item, shot); err != nil {
			return none(err)
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Row names an item in a shot.
type Row struct {
	Item string `json:"item"`
	Shot string `json:"shot"`
}

// RefusedRow is a row that could not be changed, and why.
type RefusedRow struct {
	Row
	Why error
}

// Assign says who works on items in shots, in one statement.
func (s *Store) Assign(ctx context.Context, rows []Row, who string) (changed int, refused []RefusedRow, err error) {
	items, shots := make([]string, len(rows)), make([]string, len(rows))
	for i, r := range rows {
		items[i], shots[i] = r.Item, r.Shot
	}
	err = s.tx(ctx, func(tx *sqlx.Tx) error {
		var done []Row
		err := tx.SelectContext(ctx, &done, `
			UPDATE appearance SET assignee = $3 FROM unnest($1::text[], $2::text[]) AS r (item, shot)
			WHERE appearance.item = r.item AND appearance.shot = r.shot
			RETURNING appearance.item, appearance.shot`, items, shots, who)
		if err != nil {
			return err
		}
		there := map[Row]bool{}
		for _, r := range done {
			there[r] = true
		}
		for _, r := range rows {
			if !there[r] {
				refused = append(refused, RefusedRow{r, ErrNone})
			}
		}
		changed = len(done)
		return listChanged(ctx, tx, done)
	})
	return changed, refused, err
}

// listChanged tells, once for each, of the programmes and shots whose list changed.
func listChanged(ctx context.Context, tx *sqlx.Tx, rows []Row) error {
	shots := map[string]bool{}
	for _, r := range rows {
		shots[r.Shot] = true
	}
	ids := slices.Sorted(maps.Keys(shots))
	var programmes []string
	err := tx.SelectContext(ctx, &programmes, `SELECT DISTINCT programme FROM shot WHERE id = ANY($1)`, ids)
	for _, p := range programmes {
		err = errors.Join(err, notify(ctx, tx, "programme", p))
	}
	for _, id := range ids {
		err = errors.Join(err, notify(ctx, tx, "list", id))
	}
	return err
}

// Entries returns a programme's list as the rules know it, with its shots.
func (s *Store) Entries(ctx context.Context, programme string) ([]clearance.Entry, error) {
	items, err := s.Items(ctx, programme)
	if err != nil {
		return nil, err
	}
	seen, err := s.Appearances(ctx, programme)
	if err != nil {
		return nil, err
	}
	of := map[string][]clearance.Appearance{}
	for _, v := range seen {
		of[v.Item] = append(of[v.Item], clearance.Appearance{
			Shot: v.Shot, First: v.First, Last: v.Last, State: v.State, Assignee: v.Assignee, Note: v.Note,
		})
	}
	var out []clearance.Entry
	for _, it := range items {
		out = append(out, clearance.Entry{ID: it.ID, Details: it.Details, Appearances: of[it.ID]})
	}
	return out, nil
}

// Import enters new and changed entries, all of them or none;
// was is the list that they were made of.
func (s *Store) Import(ctx context.Context, programme, by string, was []clearance.Entry,
	changed []clearance.Entry,
) error {
	before := map[string]clearance.Entry{}
	for _, e := range was {
		before[e.ID] = e
	}
	return s.tx(ctx, func(tx *sqlx.Tx) error {
		var locked string
		if err := tx.GetContext(ctx, &locked, `SELECT id FROM programme WHERE id = $1 FOR UPDATE`, programme); err != nil {
			return none(err)
		}
		for _, e := range changed {
			if e.ID == "" {
				it, err := addItem(ctx, tx, programme, e.Details)
				if err != nil {
					return err
				}
				e.ID = it.ID
			} else if err := setItem(ctx, tx, e.ID, e.Details); err != nil {
				return err
			}
			old := map[string]clearance.Appearance{}
			for _, v := range before[e.ID].Appearances {
				old[v.Shot] = v
			}
			for _, v := range e.Appearances {
				o, there := old[v.Shot]
				if there && o == v {
					continue
				}
				if !there {
					o.State = clearance.ToDo
				}
				_, err := tx.ExecContext(ctx, `INSERT INTO appearance (item, shot, first, last, assignee) VALUES ($1,$2,$3,$4,$5)
					ON CONFLICT (item, shot) DO UPDATE SET first = $3, last = $4, assignee = $5`, e.ID, v.Shot, v.First, v.Last,
					v.Assignee)
				if err != nil {
					return err
				}
				if v.State != o.State {
					var number int
					if err := tx.GetContext(ctx, &number, `SELECT coalesce(max(number), 0) FROM revision WHERE shot = $1`,
						v.Shot); err != nil {
						return err
					}
					if err := decided(ctx, tx, Decision{
						Item: e.ID, Shot: v.Shot, Was: o.State, State: v.State, By: by,
						Note: v.Note, Revision: number,
					}); err != nil {
						return err
					}
				}
			}
		}
		return notify(ctx, tx, "programme", programme)
	})
}

// Package store is the only place with SQL: programmes, sources, shots, their
// documents' revisions, deliveries, and what is put into the queue, in
// PostgreSQL.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"celator/core/cover"
	"celator/internal/budget"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database. Its connections are shared out (Config.Connections); what it
// remembers is one for all.
type Store struct {
	db                    *sqlx.DB
	requests, work, reads share
	watched               bool // Config.Nested is given
	checkAfter            time.Duration
	findImported          bool
	queue                 *river.Client[*sql.Tx] // inserts only
	held                  *budget.Cache[string, *cover.Mattes]
	graphics              *budget.Cache[string, []byte]
}

// holding is how many bytes of mattes are remembered, and of graphics.
const holding = 16 << 20

var (
	// ErrNone says that what was asked for is not there.
	ErrNone = errors.New("it is not there")
	// ErrNothing says that there is nothing to undo or redo.
	ErrNothing = errors.New("there is nothing to undo or redo")
)

// Open connects and brings the schema up to date.
func Open(ctx context.Context, c Config) (s *Store, err error) {
	s = &Store{watched: c.Nested != nil, checkAfter: cmp.Or(c.CheckAfter, DefaultCheckAfter), findImported: c.FindImported}
	defer func() {
		if err != nil {
			s.Close()
			err = fmt.Errorf("database: %w", err)
		}
	}()
	n := c.Connections
	if n == 0 {
		n = DefaultConnections
	}
	if n < 6 {
		return s, fmt.Errorf("%d connections are too few; 6 are the least", n)
	}
	if s.requests, err = c.share(ctx, n-n/3-n/6, requestTime); err != nil {
		return s, err
	}
	if s.work, err = c.share(ctx, n/3, longTime); err != nil {
		return s, err
	}
	if s.reads, err = c.share(ctx, n/6, longTime); err != nil {
		return s, err
	}
	s.db = s.requests.db
	s.held = budget.NewCache[string](holding, (*cover.Mattes).Bytes)
	s.graphics = budget.NewCache[string](holding, func(b []byte) int64 { return int64(len(b)) })
	if err := s.migrate(ctx, c); err != nil {
		return s, err
	}
	s.queue, err = river.NewClient(riverdatabasesql.New(s.db.DB), &river.Config{})
	return s, err
}

// ForQueue is the store with the connections of the queue and its jobs.
func (s *Store) ForQueue() *Store { return s.with(s.work) }

// ForReads is the store with the connections of long reads.
func (s *Store) ForReads() *Store { return s.with(s.reads) }

func (s *Store) with(sh share) *Store {
	t := *s
	t.db = sh.db
	return &t
}

// QueuePool is what the queue's own client works with.
func (s *Store) QueuePool() *pgxpool.Pool { return s.work.pool }

// migrate brings the schema up to date, one process at a time, however long it takes.
func (s *Store) migrate(ctx context.Context, c Config) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	patient, err := c.share(ctx, 4, 0)
	if err != nil {
		return err
	}
	defer patient.close()
	one, err := patient.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer one.Release()
	if _, err := one.Exec(ctx, `SET lock_timeout = 0; SET idle_in_transaction_session_timeout = 0;
		SELECT pg_advisory_lock($1)`, pgx.QueryExecModeSimpleProtocol, migrating); err != nil {
		return err
	}
	defer one.Exec(context.WithoutCancel(ctx), `SELECT pg_advisory_unlock($1)`, migrating)
	g, err := goose.NewProvider(goose.DialectPostgres, patient.db.DB, dir)
	if err != nil {
		return err
	}
	if _, err := g.Up(ctx); err != nil {
		return err
	}
	m, err := rivermigrate.New(riverpgxv5.New(patient.pool), nil)
	if err != nil {
		return err
	}
	_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// migrating is the lock of whoever changes the schema.
const migrating = 8420_0001

// Close closes all connections.
func (s *Store) Close() {
	s.requests.close()
	s.work.close()
	s.reads.close()
}

// JSON keeps a value of any type in a jsonb column.
type JSON[T any] struct{ V T }

func (j JSON[T]) Value() (driver.Value, error) {
	b, err := json.Marshal(j.V)
	return string(b), err
}

func (j *JSON[T]) Scan(v any) error {
	switch b := v.(type) {
	case nil:
		return nil
	case []byte:
		return json.Unmarshal(b, &j.V)
	case string:
		return json.Unmarshal([]byte(b), &j.V)
	}
	return fmt.Errorf("store: a %T is no JSON", v)
}

// NewID returns a fresh identifier.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

func none(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNone
	}
	return err
}

// Event tells that something changed. It carries no data: who hears it asks.
type Event struct {
	Kind string `json:"kind"` // programme, source, shot, delivery
	ID   string `json:"id"`
}

const channel = "celator"

// notify announces an event; inside a transaction it is sent at the commit.
func notify(ctx context.Context, x sqlx.ExecerContext, kind, id string) error {
	b, err := json.Marshal(Event{kind, id})
	if err != nil {
		return err
	}
	_, err = x.ExecContext(ctx, `SELECT pg_notify($1, $2)`, channel, string(b))
	return err
}

// Listen calls f for every event, from any process on this database, until the
// context ends. After a lost connection it goes on with a new one.
func (s *Store) Listen(ctx context.Context, f func(Event)) {
	for ctx.Err() == nil {
		s.listen(ctx, f)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Store) listen(ctx context.Context, f func(Event)) {
	conn, err := s.requests.pool.Acquire(ctx)
	if err != nil {
		return
	}
	// A listening connection must not go back into the pool.
	c := conn.Hijack()
	defer c.Close(context.Background())
	if _, err := c.Exec(ctx, "LISTEN "+channel); err != nil {
		return
	}
	for {
		n, err := c.WaitForNotification(ctx)
		if err != nil {
			return
		}
		var e Event
		if json.Unmarshal([]byte(n.Payload), &e) == nil {
			f(e)
		}
	}
}

// affect runs a statement on a thing; ErrNone says that it was not there, or not in a state for it.
func affect(ctx context.Context, x sqlx.ExecerContext, statement string, args ...any) error {
	res, err := x.ExecContext(ctx, statement, args...)
	if err != nil {
		return err
	}
	n, err := res.RowsAffected()
	if err == nil && n == 0 {
		err = ErrNone
	}
	return err
}

// alter is affect of one thing, of which those who listen are told.
func (s *Store) alter(ctx context.Context, event, id, statement string, args ...any) error {
	if err := affect(ctx, s.db, statement, args...); err != nil {
		return err
	}
	return notify(ctx, s.db, event, id)
}

// there leaves of an error what is not that a thing is not there.
func there(err error) error {
	if errors.Is(err, ErrNone) {
		return nil
	}
	return err
}

// FindsImported reports whether what is brought in is looked through without being asked.
func (s *Store) FindsImported() bool { return s.findImported }

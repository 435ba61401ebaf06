// Package store is the only place with SQL: programmes, sources, shots, their
// documents' revisions, deliveries, and what is put into the queue, in
// PostgreSQL.
package store

import (
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
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"celator/core/cover"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database. One pool serves it and the queue.
type Store struct {
	Pool     *pgxpool.Pool
	db       *sqlx.DB
	queue    *river.Client[*sql.Tx] // inserts only
	held     *lru.Cache[string, *cover.Mattes]
	graphics *lru.Cache[string, []byte]
}

// holding is how many runs' mattes are remembered; of graphics four times as many.
const holding = 8

var (
	// ErrNone says that what was asked for is not there.
	ErrNone = errors.New("it is not there")
	// ErrNothing says that there is nothing to undo or redo.
	ErrNothing = errors.New("there is nothing to undo or redo")
)

// Open connects and brings the schema up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	pool, err := pgxpool.New(ctx, url)
	if err != nil {
		return nil, fmt.Errorf("database: %w", err)
	}
	s := &Store{Pool: pool, db: sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx")}
	s.held, _ = lru.New[string, *cover.Mattes](holding)
	s.graphics, _ = lru.New[string, []byte](4 * holding)
	if err := s.migrate(ctx); err != nil {
		s.Close()
		return nil, fmt.Errorf("database: %w", err)
	}
	s.queue, err = river.NewClient(riverdatabasesql.New(s.db.DB), &river.Config{})
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

func (s *Store) migrate(ctx context.Context) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	g, err := goose.NewProvider(goose.DialectPostgres, s.db.DB, dir)
	if err != nil {
		return err
	}
	if _, err := g.Up(ctx); err != nil {
		return err
	}
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return err
	}
	_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// Close closes all connections.
func (s *Store) Close() {
	s.db.Close()
	s.Pool.Close()
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

// tx runs f in a transaction.
func (s *Store) tx(ctx context.Context, f func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
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
	conn, err := s.Pool.Acquire(ctx)
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

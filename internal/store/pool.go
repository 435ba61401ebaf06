package store

import (
	"bytes"
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"runtime"
	"strconv"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
)

// Config says how the database is reached.
type Config struct {
	// Address is asked at every new connection, so that a server that came back
	// elsewhere is found again.
	Address func() (string, error)
	// Connections are shared out so that none waits for another: half to requests, a
	// third to the queue and its jobs, the rest to long reads. 0 is DefaultConnections.
	Connections int
	// CheckAfter is how long an editor must have changed nothing before a shot is checked by
	// itself: editing goes first. 0 is DefaultCheckAfter.
	CheckAfter time.Duration
	// FindImported asks for every source that was brought in to be looked through for text,
	// plates and faces.
	FindImported bool
	// Nested, when given, is told where a transaction asks for a second connection: with
	// all connections held by such transactions nobody gets on. Tests fail then.
	Nested func(stack string)
}

// DefaultCheckAfter is the pause that a check waits for.
const DefaultCheckAfter = 3 * time.Second

// DefaultConnections is the size of a process's pool. The private server takes 80.
const DefaultConnections = 24

// At is a Config.Address that stays.
func At(url string) func() (string, error) { return func() (string, error) { return url, nil } }

// Times that statements may take. What a request waits for is short; the queue's work
// and long reads are not waited for in front of a screen.
const (
	requestTime = 20 * time.Second
	longTime    = 2 * time.Minute
	lockTime    = 10 * time.Second
	idleTime    = time.Minute // in a transaction that does nothing
)

// share is one part of the connections.
type share struct {
	pool *pgxpool.Pool
	db   *sqlx.DB
}

func (c Config) share(ctx context.Context, size int, statement time.Duration) (share, error) {
	url, err := c.Address()
	if err != nil {
		return share{}, err
	}
	p, err := pgxpool.ParseConfig(url)
	if err != nil {
		return share{}, err
	}
	p.MaxConns, p.MinConns = int32(size), 0
	p.ConnConfig.ConnectTimeout = 5 * time.Second
	for name, d := range map[string]time.Duration{
		"statement_timeout": statement, "lock_timeout": lockTime,
		"idle_in_transaction_session_timeout": idleTime,
	} {
		p.ConnConfig.RuntimeParams[name] = strconv.FormatInt(d.Milliseconds(), 10)
	}
	p.BeforeConnect = func(_ context.Context, cc *pgx.ConnConfig) error {
		url, err := c.Address()
		if err != nil {
			return err
		}
		now, err := pgx.ParseConfig(url)
		if err != nil {
			return err
		}
		cc.Host, cc.Port, cc.User, cc.Password, cc.Database, cc.TLSConfig, cc.Fallbacks = now.Host, now.Port, now.User,
			now.Password, now.Database, now.TLSConfig, now.Fallbacks
		return nil
	}
	if c.Nested != nil {
		p.PrepareConn = func(context.Context, *pgx.Conn) (bool, error) {
			if _, held := inside.Load(goroutine()); held {
				c.Nested(stack())
			}
			return true, nil
		}
	}
	pool, err := pgxpool.NewWithConfig(ctx, p)
	if err != nil {
		return share{}, err
	}
	return share{pool, sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx")}, nil
}

func (s share) close() {
	if s.pool != nil {
		s.db.Close()
		s.pool.Close()
	}
}

// inside holds the goroutines that are in a transaction, where Config.Nested is given.
var inside sync.Map

// goroutine is the number of the one that asks. Only tests pay for it.
func goroutine() string {
	b := make([]byte, 64)
	b, _, _ = bytes.Cut(bytes.TrimPrefix(b[:runtime.Stack(b, false)], []byte("goroutine ")), []byte(" "))
	return string(b)
}

func stack() string {
	b := make([]byte, 16<<10)
	return string(b[:runtime.Stack(b, false)])
}

// tx runs f in a transaction. f asks the transaction alone, never the store: see
// Config.Nested.
func (s *Store) tx(ctx context.Context, f func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if s.watched {
		g := goroutine()
		inside.Store(g, true)
		defer inside.Delete(g)
	}
	err = f(tx)
	if err == nil {
		err = tx.Commit()
	}
	if errors.Is(err, sql.ErrTxDone) && ctx.Err() != nil {
		return ctx.Err() // it was rolled back because nobody waits for it any more
	}
	return err
}

// Unavailable reports whether an error says that the database cannot be asked for now:
// it is away, restarting, or has no connection, time or room to spare. The same request
// may go through later.
func Unavailable(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) {
		switch said.Code[:2] {
		case "08", "53", "57", "58", "40": // connection, resources, intervention or time-out, system, serialization
			return true
		}
		return said.Code == "55P03" // the lock was not had in time
	}
	var connect *pgconn.ConnectError
	var network *net.OpError
	return errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, driver.ErrBadConn) ||
		errors.Is(err, sql.ErrConnDone) ||
		errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, errAway) || pgconn.SafeToRetry(err) ||
		err != nil && err.Error() == "conn closed"
}

// Patiently does what a program needs at its start, again for up to a minute while the database is just being
// started, or started anew in the middle of it.
func Patiently[T any](ctx context.Context, do func() (T, error)) (T, error) {
	for end := time.Now().Add(time.Minute); ; {
		v, err := do()
		if err == nil || !Unavailable(err) || ctx.Err() != nil || time.Now().After(end) {
			return v, err
		}
		time.Sleep(200 * time.Millisecond)
	}
}

var errAway = errors.New("the database's address is not known")

// Away is an error of Config.Address that passes: the database is not there yet.
func Away(err error) error { return fmt.Errorf("%w: %w", errAway, err) }

// Full reports whether the database has no room on its disk.
func Full(err error) bool {
	var said *pgconn.PgError
	return errors.As(err, &said) && said.Code == "53100"
}

// Unfit reports whether an error says that a value cannot be kept at all, such as a text
// with a zero byte.
func Unfit(err error) bool {
	var said *pgconn.PgError
	if !errors.As(err, &said) {
		return false
	}
	switch said.Code {
	case "22021", "22P05", "22P02", "22001", "22003":
		return true
	}
	return false
}

// Ready asks the database whether it answers.
func (s *Store) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	var one int
	return s.db.GetContext(ctx, &one, `SELECT 1`)
}

// Connections returns how many connections of each share are in use, and how many there
// may be.
func (s *Store) Connections() map[string][2]int {
	out := map[string][2]int{}
	for name, sh := range map[string]share{"requests": s.requests, "queue": s.work, "reads": s.reads} {
		st := sh.pool.Stat()
		out[name] = [2]int{int(st.AcquiredConns()), int(st.MaxConns())}
	}
	return out
}

// Package testdb gives tests a real database each: one server for the whole test
// program, started at the first call, and in it a database for every test.
package testdb

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"celator/internal/confine"
	"celator/internal/pgcluster"
	"celator/internal/store"
)

var (
	once    sync.Once
	server  *pgcluster.Cluster
	folder  string
	failed  error
	counter atomic.Int64
)

const template = "celator_template"

// Main runs a package's tests and ends the server. Packages that open a database call it
// from TestMain.
func Main(m *testing.M) {
	confine.Main()
	code := m.Run()
	if server != nil {
		server.Stop()
	}
	if folder != "" {
		os.RemoveAll(folder)
	}
	os.Exit(code)
}

func start() {
	ctx := context.Background()
	if folder, failed = os.MkdirTemp("", "celator-test"); failed != nil {
		return
	}
	os.Chmod(folder, 0o755) // the server's user passes through
	if server, failed = pgcluster.Start(ctx, pgcluster.Config{Dir: filepath.Join(folder, "pg")}); failed != nil {
		return
	}
	if failed = do(ctx, "CREATE DATABASE "+template); failed != nil {
		return
	}
	var st *store.Store
	if st, failed = store.Open(ctx, store.Config{Address: store.At(named(template))}); failed == nil {
		st.Close()
	}
}

func do(ctx context.Context, sql string) error {
	conn, err := pgx.Connect(ctx, server.URL())
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, sql)
	return err
}

func named(database string) string {
	u, err := url.Parse(server.URL())
	if err != nil {
		panic(err)
	}
	u.Path = "/" + database
	return u.String()
}

// URL is the address of a fresh database.
func URL(t testing.TB) string {
	t.Helper()
	if once.Do(start); failed != nil {
		t.Fatal(failed)
	}
	name := fmt.Sprintf("test_%d_%d", os.Getpid(), counter.Add(1))
	if err := do(context.Background(), "CREATE DATABASE "+name+" TEMPLATE "+template); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { do(context.Background(), "DROP DATABASE "+name+" WITH (FORCE)") })
	return named(name)
}

// Open opens a fresh database. A transaction that asks for a second connection fails the
// test.
func Open(t testing.TB) (*store.Store, string) {
	t.Helper()
	at := URL(t)
	st, err := store.Open(context.Background(), store.Config{Address: store.At(at), Nested: func(stack string) {
		t.Errorf("a transaction asks for a second connection:\n%s", stack)
	}})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	return st, at
}

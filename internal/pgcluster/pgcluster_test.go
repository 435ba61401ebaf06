package pgcluster

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"celator/internal/await"

	"github.com/jackc/pgx/v5"
)

func start(t *testing.T) *Cluster {
	t.Helper()
	dir := t.TempDir()
	os.Chmod(filepath.Dir(dir), 0o755)
	c, err := Start(context.Background(), Config{Dir: filepath.Join(dir, "pg"), Durable: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Stop)
	return c
}

func (c *Cluster) postmaster(t *testing.T) int {
	b, err := os.ReadFile(filepath.Join(c.data, "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	line, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(line)
	if err != nil {
		t.Fatal(err)
	}
	return pid
}

// What was committed is there after every way of ending the server, which comes back by
// itself, where it was.
func TestComesBack(t *testing.T) {
	ctx := context.Background()
	c := start(t)
	at := c.URL()
	do := func(sql string) error {
		conn, err := pgx.Connect(ctx, at)
		if err != nil {
			return err
		}
		defer conn.Close(ctx)
		_, err = conn.Exec(ctx, sql)
		return err
	}
	if err := do(`CREATE TABLE kept (n int)`); err != nil {
		t.Fatal(err)
	}
	for i, how := range []syscall.Signal{syscall.SIGKILL, syscall.SIGQUIT, syscall.SIGINT, syscall.SIGKILL} {
		if err := do(`INSERT INTO kept VALUES (` + strconv.Itoa(i) + `)`); err != nil {
			t.Fatal(err)
		}
		was := c.postmaster(t)
		syscall.Kill(was, how)
		gone := false
		await.True(t, fmt.Sprintf("the server after %v", how), func() bool {
			url, err := c.Address()
			gone = gone || err != nil
			if gone && err == nil && url != at {
				t.Errorf("after %v it is at another address", how)
			}
			return gone && err == nil
		})
		if c.postmaster(t) == was {
			t.Errorf("%v did not end it", how)
		}
	}
	conn, err := pgx.Connect(ctx, at)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var n int
	if err := conn.QueryRow(ctx, `SELECT count(*) FROM kept`).Scan(&n); err != nil || n != 4 {
		t.Errorf("%d rows, %v", n, err)
	}
}

// The server is of the version that the data was made by, though there may be a newer
// one; where that is not installed it is said which to install.
func TestVersionOfTheData(t *testing.T) {
	dir := t.TempDir()
	newest, err := binaries(dir)
	if err != nil {
		t.Fatal(err)
	}
	version := filepath.Base(filepath.Dir(newest))
	os.WriteFile(filepath.Join(dir, "PG_VERSION"), []byte(version+"\n"), 0o600)
	if got, err := binaries(dir); err != nil || got != newest {
		t.Errorf("%s, %v", got, err)
	}
	os.WriteFile(filepath.Join(dir, "PG_VERSION"), []byte("9\n"), 0o600)
	if _, err := binaries(dir); err == nil || !strings.Contains(err.Error(), "postgresql-9") {
		t.Errorf("%v", err)
	}
}

// Data that lies elsewhere belongs to the folder it was made for: one made anew under its name begins empty, and what
// was there is put aside; a folder that stays finds what it had, also what an earlier version made.
func TestDataElsewhereBelongsToItsFolder(t *testing.T) {
	t.Parallel()
	root := t.TempDir()
	dir, away := filepath.Join(root, "dir"), filepath.Join(root, "away")
	own := func(d string) error { return os.MkdirAll(d, 0o700) }
	made := func(path, text string) {
		t.Helper()
		if err := errors.Join(own(filepath.Dir(path)), os.WriteFile(path, []byte(text), 0o600)); err != nil {
			t.Fatal(err)
		}
	}
	has := func(path, text string) {
		t.Helper()
		if b, err := os.ReadFile(path); err != nil || string(b) != text {
			t.Errorf("%s holds %q, %v, not %q", path, b, err, text)
		}
	}
	tied := func() {
		t.Helper()
		if err := errors.Join(own(dir), tie(dir, away, own)); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(away, "data")
	made(file, "of an earlier version")
	tied()
	has(file, "of an earlier version")
	tied()
	has(file, "of an earlier version")
	for _, next := range []string{"second", "third"} {
		before, _ := os.ReadFile(file)
		if err := os.RemoveAll(dir); err != nil {
			t.Fatal(err)
		}
		tied()
		if _, err := os.Stat(file); !errors.Is(err, os.ErrNotExist) {
			t.Errorf("a new folder finds the data of one that is gone, %v", err)
		}
		has(filepath.Join(away+".aside", "data"), string(before))
		made(file, next)
		tied()
		has(file, next)
	}
}

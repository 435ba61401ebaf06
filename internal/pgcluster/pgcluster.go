// Package pgcluster runs a private PostgreSQL server from the system's packages,
// on loopback, with its data in a folder of the caller's.
package pgcluster

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Cluster is a running server.
type Cluster struct {
	url  string
	pid  int
	done chan error
}

// URL is the address of its database, with user and password.
func (c *Cluster) URL() string { return c.url }

// Start makes the cluster in dir if it is not there and starts it on a free port
// of 127.0.0.1. When run as root the server runs as the user postgres; where
// that user cannot reach dir, the data lies under /var/tmp instead. durable =
// false trades safety against power loss for speed, for tests. The server ends
// with this process, also when that is killed.
func Start(ctx context.Context, dir string, durable bool) (*Cluster, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	dir, cred, err := home(dir)
	if err != nil {
		return nil, err
	}
	data, secret := filepath.Join(dir, "data"), filepath.Join(dir, "password")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if err := initialise(ctx, bin, data, secret, cred); err != nil {
			return nil, err
		}
	}
	password, err := os.ReadFile(secret)
	if err != nil {
		return nil, fmt.Errorf("pgcluster: %w", err)
	}
	stopStale(data)
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	args := []string{"-D", data, "-p", strconv.Itoa(port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
		"-c", "max_connections=80", "-c", "shared_buffers=64MB", "-c", "log_min_messages=warning"}
	if !durable {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	c := &Cluster{done: make(chan error, 1)}
	u := url.URL{Scheme: "postgres", User: url.UserPassword("celator", string(password)), Host: fmt.Sprintf("127.0.0.1:%d", port), Path: "/postgres", RawQuery: "sslmode=disable"}
	c.url = u.String()
	if err := c.run(filepath.Join(bin, "postgres"), args, dir, cred); err != nil {
		return nil, err
	}
	deadline := time.Now().Add(30 * time.Second)
	for {
		if conn, err := pgx.Connect(ctx, c.url); err == nil {
			conn.Close(ctx)
			return c, nil
		} else if ctx.Err() != nil || time.Now().After(deadline) {
			c.Stop()
			return nil, fmt.Errorf("pgcluster: the server does not answer: %w (its log is %s)", err, filepath.Join(dir, "log"))
		}
		select {
		case err := <-c.done:
			c.done <- err
			return nil, fmt.Errorf("pgcluster: the server stopped at once: %v (its log is %s)", err, filepath.Join(dir, "log"))
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// run starts the server from a thread that lives as long as it does: the kernel
// ties the death signal to the thread.
func (c *Cluster) run(name string, args []string, dir string, cred *syscall.Credential) error {
	log, err := os.OpenFile(filepath.Join(dir, "log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	started := make(chan error)
	go func() {
		runtime.LockOSThread()
		defer log.Close()
		cmd := exec.Command(name, args...)
		cmd.Dir, cmd.Stdout, cmd.Stderr = "/", log, log
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGINT, Credential: cred}
		err := cmd.Start()
		if err == nil {
			c.pid = cmd.Process.Pid
		}
		started <- err
		if err == nil {
			c.done <- cmd.Wait()
		}
	}()
	return <-started
}

// Stop ends the server quickly and cleanly.
func (c *Cluster) Stop() {
	syscall.Kill(c.pid, syscall.SIGINT)
	select {
	case <-c.done:
	case <-time.After(15 * time.Second):
		syscall.Kill(c.pid, syscall.SIGQUIT)
		<-c.done
	}
}

func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) > 0 {
		slices.Sort(found)
		return filepath.Dir(found[len(found)-1]), nil
	}
	if p, err := exec.LookPath("postgres"); err == nil {
		return filepath.Dir(p), nil
	}
	return "", errors.New("pgcluster: PostgreSQL is not installed; install the package postgresql or give --database")
}

// home returns the folder for the cluster and the user that runs it.
func home(dir string) (string, *syscall.Credential, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", nil, err
	}
	if os.Geteuid() != 0 {
		return dir, nil, os.MkdirAll(dir, 0o700)
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return "", nil, errors.New("pgcluster: run as root, but there is no user postgres to run the server")
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	cred := &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	own := func(d string) error {
		if err := os.MkdirAll(d, 0o700); err != nil {
			return err
		}
		return os.Chown(d, uid, gid)
	}
	if err := own(dir); err != nil {
		return "", nil, err
	}
	test := exec.Command("test", "-w", dir)
	test.Dir = "/"
	test.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	if test.Run() == nil {
		return dir, cred, nil
	}
	away := fmt.Sprintf("/var/tmp/celator-%x", sha256.Sum256([]byte(dir)))[:32]
	return away, cred, own(away)
}

func initialise(ctx context.Context, bin, data, secret string, cred *syscall.Credential) error {
	os.RemoveAll(data)
	if err := os.WriteFile(secret, []byte(rand.Text()), 0o600); err != nil {
		return err
	}
	if cred != nil {
		if err := os.Chown(secret, int(cred.Uid), int(cred.Gid)); err != nil {
			return err
		}
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "celator", "-A", "scram-sha-256",
		"--pwfile="+secret, "-E", "UTF8", "--locale=C.UTF-8", "--no-sync")
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	if out, err := cmd.CombinedOutput(); err != nil {
		os.RemoveAll(data)
		return fmt.Errorf("pgcluster: initdb: %w: %s", err, strings.TrimSpace(string(out)))
	}
	return nil
}

// stopStale ends a server that a killed run left behind on the same data.
func stopStale(data string) {
	b, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return
	}
	line, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(strings.TrimSpace(line))
	if err != nil {
		return
	}
	cmdline, _ := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if !strings.Contains(string(cmdline), data) { // the number belongs to another process now
		return
	}
	syscall.Kill(pid, syscall.SIGINT)
	for range 100 {
		if syscall.Kill(pid, 0) != nil {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

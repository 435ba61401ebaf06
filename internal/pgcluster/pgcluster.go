// Package pgcluster runs a private PostgreSQL server from the system's packages,
// on loopback, with its data in a folder of the caller's.
package pgcluster

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"math/big"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Config says what server to run.
type Config struct {
	Dir string // for its data, its log and its password
	// Durable = false trades safety against power loss for speed, for tests.
	Durable bool
	Log     *slog.Logger // nil says nothing
	// Moved is called with the address when the server came back on another port.
	Moved func(url string)
}

// Cluster is a server that is kept running: when it ends by itself, or is killed, it is
// started again within a second, on the same port.
type Cluster struct {
	Config
	bin, data string
	cred      *syscall.Credential
	password  string

	mu       sync.Mutex
	port     int
	pid      int
	up       bool
	stopping bool
	exited   chan error    // of the process that runs now
	over     chan struct{} // closed when nobody watches any more
}

// ErrAway says that the server is being started again.
var ErrAway = errors.New("pgcluster: the database is being started again")

// URL is the address of its database, with user and password.
func (c *Cluster) URL() string {
	c.mu.Lock()
	defer c.mu.Unlock()
	u := url.URL{
		Scheme: "postgres", User: url.UserPassword("celator", c.password),
		Host: fmt.Sprintf("127.0.0.1:%d", c.port), Path: "/postgres", RawQuery: "sslmode=disable",
	}
	return u.String()
}

// Address is URL, or ErrAway while nothing answers there.
func (c *Cluster) Address() (string, error) {
	c.mu.Lock()
	up := c.up
	c.mu.Unlock()
	if !up {
		return "", ErrAway
	}
	return c.URL(), nil
}

// Start makes the cluster in the folder if it is not there and starts it on a port of
// 127.0.0.1 that stays the same from start to start. When run as root the server runs as
// the user postgres; where that user cannot reach the folder, the data lies under /var/tmp
// instead. The server ends with this process, also when that is killed. The caller keeps
// others from starting it on the same folder.
func Start(ctx context.Context, conf Config) (*Cluster, error) {
	if conf.Log == nil {
		conf.Log = slog.New(slog.DiscardHandler)
	}
	dir, cred, err := home(conf.Dir)
	if err != nil {
		return nil, err
	}
	conf.Dir = dir
	c := &Cluster{Config: conf, data: filepath.Join(dir, "data"), cred: cred, over: make(chan struct{})}
	if c.bin, err = binaries(c.data); err != nil {
		return nil, err
	}
	secret := filepath.Join(dir, "password")
	if _, err := os.Stat(filepath.Join(c.data, "PG_VERSION")); err != nil {
		if err := initialise(ctx, c.bin, c.data, secret, cred); err != nil {
			return nil, err
		}
	}
	password, err := os.ReadFile(secret)
	if err != nil {
		return nil, fmt.Errorf("pgcluster: %w", err)
	}
	c.password = string(password)
	stopStale(c.data)
	if err := c.choosePort(); err != nil {
		return nil, err
	}
	if err := c.run(os.O_TRUNC); err != nil {
		return nil, err
	}
	if err := c.answers(ctx); err != nil {
		c.end(syscall.SIGQUIT)
		return nil, err
	}
	go c.watch()
	return c, nil
}

// answers waits until the server can be asked.
func (c *Cluster) answers(ctx context.Context) error {
	deadline := time.Now().Add(60 * time.Second) // recovering after a crash takes a while
	for {
		try, cancel := context.WithTimeout(ctx, 2*time.Second)
		conn, err := pgx.Connect(try, c.URL())
		cancel()
		if err == nil {
			conn.Close(ctx)
			c.mu.Lock()
			c.up = true
			c.mu.Unlock()
			return nil
		}
		if ctx.Err() != nil || time.Now().After(deadline) {
			return fmt.Errorf("pgcluster: the server does not answer: %w (its log is %s)", err, c.logFile())
		}
		select {
		case err := <-c.exited:
			c.exited <- err
			return fmt.Errorf("pgcluster: the server stopped at once: %v (its log is %s)", err, c.logFile())
		case <-time.After(40 * time.Millisecond):
		}
	}
}

// watch starts the server again whenever it has ended and nobody asked it to.
func (c *Cluster) watch() {
	defer close(c.over)
	for {
		err := <-c.exited
		c.exited <- err
		c.mu.Lock()
		c.up = false
		stopping := c.stopping
		c.mu.Unlock()
		if stopping {
			return
		}
		c.Log.Error("the database ended by itself and is started again", "error", err, "log", c.logFile())
		begun := time.Now()
		// Until the last processes of the old server have gone the new one refuses to start.
		for wait := 50 * time.Millisecond; ; wait = min(2*wait, 2*time.Second) {
			time.Sleep(wait)
			if c.again() {
				break
			}
			c.mu.Lock()
			stopping := c.stopping
			c.mu.Unlock()
			if stopping {
				return
			}
		}
		c.Log.Info("the database is back", "seconds", time.Since(begun).Seconds())
	}
}

// again starts the server once more and reports whether it answers.
func (c *Cluster) again() bool {
	c.mu.Lock()
	before := c.port
	c.mu.Unlock()
	if err := c.choosePort(); err != nil {
		return false
	}
	if err := c.run(os.O_APPEND); err != nil {
		c.Log.Error("the database cannot be started", "error", err)
		return false
	}
	if err := c.answers(context.Background()); err != nil {
		c.end(syscall.SIGQUIT)
		return false
	}
	if c.Moved != nil && c.port != before {
		c.Moved(c.URL())
	}
	return true
}

func (c *Cluster) logFile() string { return filepath.Join(c.Dir, "log") }

// run starts the server from a thread that lives as long as it does: the kernel
// ties the death signal to the thread.
func (c *Cluster) run(mode int) error {
	log, err := os.OpenFile(c.logFile(), os.O_CREATE|os.O_WRONLY|mode, 0o600)
	if err != nil {
		return err
	}
	args := []string{
		"-D", c.data, "-p", strconv.Itoa(c.port), "-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=",
		"-c", "max_connections=80", "-c", "shared_buffers=64MB", "-c", "log_min_messages=warning", "-c",
		"restart_after_crash=on",
	}
	if !c.Durable {
		args = append(args, "-c", "fsync=off", "-c", "full_page_writes=off")
	}
	started, exited := make(chan error), make(chan error, 1)
	go func() {
		runtime.LockOSThread()
		defer log.Close()
		cmd := exec.Command(filepath.Join(c.bin, "postgres"), args...)
		cmd.Dir, cmd.Stdout, cmd.Stderr = "/", log, log
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGINT, Credential: c.cred}
		err := cmd.Start()
		if err == nil {
			c.mu.Lock()
			c.pid, c.exited = cmd.Process.Pid, exited
			c.mu.Unlock()
		}
		started <- err
		if err == nil {
			exited <- cmd.Wait()
		}
	}()
	return <-started
}

// Stop ends the server quickly and cleanly.
func (c *Cluster) Stop() {
	c.mu.Lock()
	c.stopping = true
	c.mu.Unlock()
	c.end(syscall.SIGINT)
	<-c.over
	c.end(syscall.SIGINT) // one that was just being started again
}

func (c *Cluster) end(how syscall.Signal) {
	c.mu.Lock()
	pid, exited := c.pid, c.exited
	c.mu.Unlock()
	syscall.Kill(pid, how)
	select {
	case err := <-exited:
		exited <- err
	case <-time.After(15 * time.Second):
		syscall.Kill(pid, syscall.SIGQUIT)
		exited <- <-exited
	}
}

// binaries is the folder of the server's programs: of the version that the data was made
// by, or the newest for new data.
func binaries(data string) (string, error) {
	const all = "/usr/lib/postgresql"
	if b, err := os.ReadFile(filepath.Join(data, "PG_VERSION")); err == nil {
		version := strings.TrimSpace(string(b))
		bin := filepath.Join(all, version, "bin")
		if _, err := os.Stat(filepath.Join(bin, "postgres")); err != nil {
			return "", fmt.Errorf("pgcluster: the data in %s was made by PostgreSQL %s, which is not "+
				"installed; install the package postgresql-%s", data, version, version)
		}
		return bin, nil
	}
	found, _ := filepath.Glob(all + "/*/bin/postgres")
	newest, at := -1, ""
	for _, f := range found {
		bin := filepath.Dir(f)
		if v, err := strconv.Atoi(filepath.Base(filepath.Dir(bin))); err == nil && v > newest {
			newest, at = v, bin
		}
	}
	if at == "" {
		return "", errors.New("pgcluster: PostgreSQL is not installed; install the package postgresql or give --database")
	}
	return at, nil
}

// Admit lets the user that the server runs as pass through a folder that is otherwise its
// owner's alone, where that user is another.
func Admit(dir string) error {
	if err := os.Chmod(dir, 0o700); err != nil || os.Geteuid() != 0 {
		return err
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil // there is none to run the server
	}
	gid, _ := strconv.Atoi(u.Gid)
	return errors.Join(os.Chown(dir, -1, gid), os.Chmod(dir, 0o710))
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
	if err := tie(dir, away, own); err != nil {
		return "", nil, fmt.Errorf("pgcluster: %w", err)
	}
	return away, cred, nil
}

// tie makes the folder away that of dir, by a word that both keep. What lies there of a folder that was taken away
// since, and made anew under its name, is no data of this one: it is put aside, in place of what was put aside before.
func tie(dir, away string, own func(string) error) error {
	const word = "belongs"
	here, _ := os.ReadFile(filepath.Join(dir, word))
	there, err := os.ReadFile(filepath.Join(away, word))
	if err == nil && !bytes.Equal(here, there) {
		stopStale(filepath.Join(away, "data"))
		aside := away + ".aside"
		if err := errors.Join(os.RemoveAll(aside), os.Rename(away, aside)); err != nil {
			return err
		}
		err = os.ErrNotExist
	}
	if err == nil {
		return own(away)
	}
	if err := own(away); err != nil {
		return err
	}
	here = []byte(rand.Text())
	if err := os.WriteFile(filepath.Join(dir, word), here, 0o600); err != nil { // first: alone it is tied again
		return err
	}
	return os.WriteFile(filepath.Join(away, word), here, 0o600)
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

// Ports that the kernel does not hand out by itself, so that the server finds its own
// again.
const firstPort, ports = 21000, 10000

// choosePort keeps the port that the server had, unless somebody else has it now.
func (c *Cluster) choosePort() error {
	file := filepath.Join(c.Dir, "port")
	if c.port == 0 {
		b, _ := os.ReadFile(file)
		c.port, _ = strconv.Atoi(strings.TrimSpace(string(b)))
	}
	for try := 0; ; try++ {
		if c.port > 0 && free(c.port) {
			return os.WriteFile(file, []byte(strconv.Itoa(c.port)), 0o600)
		}
		if try > 200 {
			return errors.New("pgcluster: no port is free")
		}
		n, err := rand.Int(rand.Reader, big.NewInt(ports))
		if err != nil {
			return err
		}
		c.mu.Lock()
		c.port = firstPort + int(n.Int64())
		c.mu.Unlock()
	}
}

func free(port int) bool {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return false
	}
	l.Close()
	return true
}

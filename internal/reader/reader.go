// Package reader runs the networks of core/reading in child processes of this program,
// without rights and with bounded memory: a fault in the library that runs them, or in a
// file of it, ends a child, which is begun anew.
package reader

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"celator/core/reading"
	"celator/internal/confine"
	"celator/internal/fault"
)

// ErrAbsent is wrapped by all errors that say there is nothing here that reads.
var ErrAbsent = errors.New("text and faces cannot be looked for")

const (
	role = "read"
	// most is the memory of a child, the library and the networks' weights included; Memory is
	// what one takes as a rule, for those who share out memory.
	most   = 512 << 20
	Memory = 200 << 20
	// A child is begun anew once in a while, and ends when nobody needed it for a while.
	wall      = 2 * time.Hour
	processor = time.Hour
	idle      = 20 * time.Second
	// patience is how long a network may take; on a busy machine one takes a second or two.
	patience = 2 * time.Minute
)

// Machine runs networks, each of its children one at a time. It implements reading.Net.
type Machine struct {
	dir   string
	slots chan *child // nil where none is at work
	keys  func() ([]string, error)
}

// New makes a machine of at most n children that finds its files in a folder. No child is
// begun before it is needed.
func New(dir string, n int) *Machine {
	m := &Machine{dir: dir, slots: make(chan *child, n)}
	m.keys = sync.OnceValues(func() ([]string, error) { return keys(dir) })
	for range n {
		m.slots <- nil
	}
	return m
}

// Reader returns what reads with this machine. Its error wraps ErrAbsent where files are
// missing or are not those that belong here, and says how to get them.
func (m *Machine) Reader() (*reading.Reader, error) {
	if err := Check(m.dir); err != nil {
		return nil, err
	}
	k, err := m.keys()
	if err != nil {
		return nil, err
	}
	return &reading.Reader{Net: m, Keys: k}, nil
}

// Run runs a network. A child that dies over it is begun anew once; the second time the
// error is one of the machine.
func (m *Machine) Run(ctx context.Context, model reading.Model, in reading.Tensor) ([]reading.Tensor, error) {
	var c *child
	select {
	case c = <-m.slots:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	defer func() { m.slots <- c }()
	var err error
	for range 2 {
		if c == nil || !c.wakes() {
			c = m.begin()
		}
		var out []reading.Tensor
		var said *refusal
		out, err = c.ask(ctx, model, in)
		switch {
		case err == nil:
			c.rests()
			return out, nil
		case errors.As(err, &said): // the child is well
			c.rests()
			return nil, err
		}
		err = errors.Join(c.end(), err)
		c = nil
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if errors.Is(err, ErrAbsent) {
			return nil, err
		}
		slog.Default().Warn("a process that reads ended", "why", err)
	}
	return nil, fault.Machine(fmt.Errorf("text and faces cannot be looked for now: %w", err))
}

// Close ends the children that are not at work.
func (m *Machine) Close() {
	for range cap(m.slots) {
		select {
		case c := <-m.slots:
			if c != nil {
				c.end()
			}
			m.slots <- nil
		default:
		}
	}
}

// child is a process that runs networks.
type child struct {
	to    *os.File
	from  *io.PipeReader
	stop  context.CancelFunc
	ended chan struct{}
	err   error // after ended
	sleep *time.Timer
}

func (m *Machine) begin() *child {
	ctx, cancel := context.WithCancel(context.Background())
	c := &child{stop: cancel, ended: make(chan struct{})}
	in, to, err := os.Pipe()
	if err != nil {
		c.err = fault.Machine(err)
		close(c.ended)
		return c
	}
	widen(to)
	from, out := io.Pipe()
	c.to, c.from = to, from
	go func() {
		defer close(c.ended)
		c.err = confine.Run(ctx, confine.Job{
			Role: role, Args: []string{m.dir}, Stdin: in, Out: out,
			Limits: confine.Limits{Memory: most, Processor: processor, Wall: wall},
		})
		if c.err != nil && strings.HasPrefix(c.err.Error(), ErrAbsent.Error()) {
			c.err = fmt.Errorf("%w%s", ErrAbsent, strings.TrimPrefix(c.err.Error(), ErrAbsent.Error()))
		}
		in.Close()
		out.CloseWithError(io.ErrUnexpectedEOF)
	}()
	return c
}

// widen lets a pipe hold a whole request or answer where it may: else the two processes wait
// for each other at every piece of it, and on a busy machine each time for a turn.
func widen(pipe *os.File) {
	const most = 1 << 20 // that the kernel allows everybody
	if c, err := pipe.SyscallConn(); err == nil {
		c.Control(func(fd uintptr) { unix.FcntlInt(fd, unix.F_SETPIPE_SZ, most) })
	}
}

// rests ends the child if nobody wakes it in a while.
func (c *child) rests() { c.sleep = time.AfterFunc(idle, c.stop) }

// wakes reports whether a child that rested is still there.
func (c *child) wakes() bool {
	if c.sleep != nil && !c.sleep.Stop() {
		c.end()
		return false
	}
	select {
	case <-c.ended:
		return false
	default:
		return true
	}
}

// end ends the child and returns why it ended, where that was not our doing.
func (c *child) end() error {
	if c.to == nil { // it never began
		return c.err
	}
	c.to.Close()
	select { // who has ended by itself says why
	case <-c.ended:
	case <-time.After(time.Second / 10):
		c.stop()
		<-c.ended
	}
	c.stop()
	if errors.Is(c.err, context.Canceled) {
		return nil
	}
	return c.err
}

// ask sends a child one request and waits for the answer.
func (c *child) ask(ctx context.Context, model reading.Model, in reading.Tensor) ([]reading.Tensor, error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	defer context.AfterFunc(ctx, c.stop)()
	if c.to == nil {
		return nil, c.err
	}
	if err := send(c.to, request{model, in}); err != nil {
		return nil, err
	}
	return receive(c.from)
}

// Dir is the folder of the packages that read: models/node_modules beside the program, or what
// CELATOR_MODELS names.
func Dir() string {
	if d := os.Getenv("CELATOR_MODELS"); d != "" {
		return d
	}
	return beside()
}

// Package confine does work on what strangers send in a child process: this program
// itself in another role, with bounded memory, processor and wall time, that can open
// no file, reach no network and start nothing. Whatever such work does (overflow its
// stack, fill its memory, never end), the server loses one child.
package confine

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	seccomp "github.com/elastic/go-seccomp-bpf"
	"golang.org/x/sys/unix"

	"celator/internal/fault"
)

// Role is work for a child. Its error is for people and is passed on as it is.
type Role func(c Call) error

// Call is what a role is given.
type Call struct {
	Args  []string
	In    *os.File  // Job.In, nil where there is none
	Stdin io.Reader // Job.Stdin
	Out   io.Writer
}

var roles = map[string]func(args []string) (Role, error){}

// Register names a role. It is called from init, so that the child knows it too.
func Register(name string, r Role) {
	Prepare(name, func([]string) (Role, error) { return r, nil })
}

// Prepare names a role that needs files of ours: prepare opens them while the child still may.
func Prepare(name string, prepare func(args []string) (Role, error)) { roles[name] = prepare }

// Limits bound a child.
type Limits struct {
	Memory    int64         // bytes of private data
	Processor time.Duration // seconds of processor time, rounded up
	Wall      time.Duration // from start to end
}

// ErrTooMuch says that the work took more memory or time than it may.
var ErrTooMuch = errors.New("it asks for more memory or time than one picture may take")

const variable = "CELATOR_ROLE" // of the environment: what a child is to do, as JSON

type order struct {
	Role   string
	Args   []string
	Limits Limits
	File   bool // one is open
}

// Exit codes of a child. 2 is the runtime's own, for a fatal error.
const (
	refused  = 3 // the role returned an error; it is on standard error
	unlocked = 4 // the child could not be confined, and did nothing
)

// Main does a child's work and does not return, where this process is a child. It
// stands at the beginning of main, and of TestMain where a test confines something.
func Main() {
	text, ok := os.LookupEnv(variable)
	if !ok {
		return
	}
	var o order
	if err := json.Unmarshal([]byte(text), &o); err != nil || roles[o.Role] == nil {
		fmt.Fprintf(os.Stderr, "there is no role %q: %v", o.Role, err)
		os.Exit(unlocked)
	}
	role, err := roles[o.Role](o.Args)
	if err != nil {
		fmt.Fprint(os.Stderr, err)
		os.Exit(refused)
	}
	if err := lock(o.Limits); err != nil {
		fmt.Fprint(os.Stderr, err)
		os.Exit(unlocked)
	}
	c := Call{Args: o.Args, Stdin: os.Stdin, Out: os.Stdout}
	if o.File {
		c.In = os.NewFile(3, "in")
	}
	if err := role(c); err != nil {
		fmt.Fprint(os.Stderr, err)
		os.Exit(refused)
	}
	os.Exit(0)
}

// slack is memory that the runtime takes beside the work's own.
const slack = 96 << 20

// lock confines this process for good.
func lock(l Limits) error {
	debug.SetMaxStack(64 << 20)
	debug.SetMemoryLimit(l.Memory)
	seconds := uint64((l.Processor + time.Second - 1) / time.Second)
	for what, n := range map[int]uint64{
		unix.RLIMIT_DATA: uint64(l.Memory) + slack, unix.RLIMIT_CPU: seconds,
		unix.RLIMIT_CORE: 0, unix.RLIMIT_FSIZE: 0,
	} {
		if err := unix.Setrlimit(what, &unix.Rlimit{Cur: n, Max: n}); err != nil {
			return fmt.Errorf("limit %d cannot be set: %w", what, err)
		}
	}
	deny := seccomp.ActionErrno
	return seccomp.LoadFilter(seccomp.Filter{NoNewPrivs: true, Flag: seccomp.FilterFlagTSync, Policy: seccomp.Policy{
		DefaultAction: seccomp.ActionAllow,
		Syscalls: []seccomp.SyscallGroup{{Action: deny, Names: []string{
			"openat", "openat2", "open_by_handle_at", "socket", "socketpair", "connect", "bind", "listen", "accept4",
			"sendto", "sendmsg",
			"execve", "execveat", "ptrace", "process_vm_readv", "process_vm_writev", "unlinkat", "renameat2", "linkat",
			"symlinkat", "mkdirat", "mount",
			"io_uring_setup", "bpf", "userfaultfd", "keyctl", "add_key", "request_key", "prlimit64",
		}}},
	}})
}

// Job is one piece of work for a child.
type Job struct {
	Role   string
	Args   []string
	Limits Limits
	In     *os.File  // an open file that the child may read; nil for none
	Stdin  io.Reader // what it reads from its standard input
	Out    io.Writer // what it writes; nil for nothing
}

// Run does a job and waits for its end, or ends it with the context. An error of the
// role comes back as it was said; one of the machine's is so marked; ErrTooMuch stands
// for everything else that ends a child.
func Run(ctx context.Context, j Job) error {
	ctx, cancel := context.WithTimeout(ctx, j.Limits.Wall)
	defer cancel()
	o, err := json.Marshal(order{j.Role, j.Args, j.Limits, j.In != nil})
	if err != nil {
		return err
	}
	if j.Out == nil {
		j.Out = io.Discard
	}
	var said tail
	cmd := exec.CommandContext(ctx, "/proc/self/exe")
	cmd.Env = []string{
		variable + "=" + string(o), "GOGC=15", "GOMAXPROCS=1", "GOTRACEBACK=none",
		"MALLOC_ARENA_MAX=1", "MALLOC_MMAP_THRESHOLD_=33554432",
	} // of C: one arena, and pieces up to 32 MB are kept for the next request
	cmd.Stdout, cmd.Stderr = struct{ io.Writer }{j.Out}, &said // always a pipe: the child may write no file
	cmd.Stdin = j.Stdin
	if j.In != nil {
		cmd.ExtraFiles = []*os.File{j.In}
	}
	cmd.WaitDelay = time.Second // pipes that nobody reads do not hold the end up
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
	if err := cmd.Start(); err != nil {
		return fault.Machine(err)
	}
	err = cmd.Wait()
	if err == nil {
		return nil
	}
	state := cmd.ProcessState
	used := state.UserTime() + state.SystemTime()
	words := strings.TrimSpace(said.String())
	var exit *exec.ExitError
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded),
		used >= j.Limits.Processor*9/10: // the kernel's count and ours differ a little
		return ErrTooMuch
	case ctx.Err() != nil:
		return ctx.Err()
	case !errors.As(err, &exit): // the child is well; its result could not be passed on
		return err
	case state.ExitCode() == refused:
		return errors.New(words)
	case state.ExitCode() == unlocked:
		return fault.Machinef("pictures cannot be read safely on this machine: %s", words)
	case state.ExitCode() == 2: // out of memory, or of stack
		return ErrTooMuch
	}
	return fault.Machinef("the process that reads pictures was ended (%v)", state)
}

// tail keeps the beginning of what a child says.
type tail struct{ b bytes.Buffer }

func (t *tail) Write(p []byte) (int, error) {
	if room := 4096 - t.b.Len(); room > 0 {
		t.b.Write(p[:min(len(p), room)])
	}
	return len(p), nil
}

func (t *tail) String() string { return t.b.String() }

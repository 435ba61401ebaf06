// Package media is the only place that starts ffmpeg and ffprobe. It probes
// files, reads frames as they are coded, makes view frames, and writes results.
//
// Files come from strangers: they are opened with the demuxers and protocols
// that pictures need and no others, their names never reach a shell, and every
// failure is an error that a person can act on.
package media

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"

	"celator/internal/fault"
)

// ErrUnusable marks errors that are the file's fault; the text is for people.
var ErrUnusable = errors.New("the file cannot be used")

// ErrDamaged, which wraps ErrUnusable, marks that pictures of a file are spoilt or not there. It can
// be taken as it is (Salvage).
var ErrDamaged = fmt.Errorf("%w: it is damaged or cut short", ErrUnusable)

// ErrGone says that a file is not where it was.
var ErrGone = errors.New("the file is not there any more; put it back where it was")

// present returns ErrGone, or what the machine says, unless the file can be opened.
func present(path string) error {
	_, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		return ErrGone
	}
	return fault.Machine(err)
}

func unusable(format string, a ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrUnusable}, a...)...)
}

// blame is unusable, with cause for its last word, unless the cause is the machine's or
// the work was withdrawn: then it says nothing of the file.
func blame(ctx context.Context, cause error, format string, a ...any) error {
	if err := ctx.Err(); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	if fault.IsMachine(cause) {
		return cause
	}
	return unusable(format+" (%v)", append(a, cause)...)
}

// damaged says how a file is.
func damaged(format string, a ...any) error {
	return fmt.Errorf("%w"+format, append([]any{ErrDamaged}, a...)...)
}

// undecoded blames a clip's pictures for what its decoder ended with, as blame does.
func undecoded(ctx context.Context, cause error, what string) error {
	if err := blame(ctx, cause, "%s", what); !errors.Is(err, ErrUnusable) {
		return err
	}
	if strings.Contains(cause.Error(), "No such file") { // it was taken away meanwhile
		return ErrGone
	}
	return damaged(": %s (%v)", what, cause)
}

// guard are the input options that keep ffmpeg to local files of known kinds: a
// playlist disguised as a clip could otherwise name any file of the machine.
var guard = []string{
	"-protocol_whitelist", "file,pipe,fd",
	"-format_whitelist", "mov,mp4,matroska,webm,avi,mxf,mpegts,mpeg,mpegvideo," +
		"m4v,nut,flv,ogg,dv,ivf,yuv4mpegpipe,asf,h264,hevc,wav," +
		"gif,webp_pipe,dpx_pipe,exr_pipe,j2k_pipe,bmp_pipe",
}

// input returns the options that open a file, or a folder of numbered pictures, after those in opts.
func input(path string, opts ...string) []string {
	if s, err := sequence(path); err == nil {
		return append(append([]string{
			"-protocol_whitelist", "file,pipe,fd", "-f", "image2", "-framerate", sequenceRate.String(), "-start_number",
			fmt.Sprint(s.first),
		}, opts...), "-i", "file:"+s.pattern)
	}
	return append(append(append([]string{}, guard...), opts...), "-i", "file:"+path)
}

// process is a running ffmpeg whose last words are kept.
type process struct {
	cmd    *exec.Cmd
	errs   tail
	cancel context.CancelFunc
}

type background struct{}

// Background marks a context whose tools give way to those that somebody waits for.
func Background(ctx context.Context) context.Context {
	return context.WithValue(ctx, background{}, true)
}

// How far tools give way, as nice has it: those that are waited for a little, so that this
// process answers before they take all there is. No more than that, for the work that jobs
// do in this process gives way to nobody.
const (
	waitedFor = 1
	notWaited = 4
)

// start runs a tool. The process dies with this one.
func start(ctx context.Context, tool string, args []string, stdin io.Reader, stdout io.Writer) (*process, error) {
	ctx, cancel := context.WithCancel(ctx)
	p := &process{cmd: exec.CommandContext(ctx, tool, args...), cancel: cancel}
	p.cmd.Stdin, p.cmd.Stdout, p.cmd.Stderr = stdin, stdout, &p.errs
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
	if err := p.cmd.Start(); err != nil {
		cancel()
		return nil, fault.Machinef("%s cannot be started, is the package ffmpeg installed? %w", tool, err)
	}
	nice := waitedFor
	if ctx.Value(background{}) != nil {
		nice = notWaited
	}
	syscall.Setpriority(syscall.PRIO_PROCESS, p.cmd.Process.Pid, nice) // best effort
	return p, nil
}

// wait returns how the process ended: in its own last words, or as the machine's fault
// where that ended it or took away what it needed.
func (p *process) wait() error {
	err := p.cmd.Wait()
	p.cancel()
	if err == nil {
		return nil
	}
	if ws, ok := p.cmd.ProcessState.Sys().(syscall.WaitStatus); ok && ws.Signaled() {
		return fault.Machinef("%s was ended by the machine (%v)", filepath.Base(p.cmd.Path), ws.Signal())
	}
	if f := p.errs.fault(); f != nil {
		return f
	}
	if t := p.errs.last(); t != "" {
		return errors.New(t)
	}
	return err
}

// rest stops the process until goOn; it can be killed all the same.
func (p *process) rest() { p.cmd.Process.Signal(syscall.SIGSTOP) }
func (p *process) goOn() { p.cmd.Process.Signal(syscall.SIGCONT) }

// kill ends the process without waiting for its work.
func (p *process) kill() {
	p.cancel()
	p.cmd.Wait()
}

// run runs a tool to its end and returns what it printed.
func run(ctx context.Context, tool string, args []string) ([]byte, error) {
	var out bytes.Buffer
	p, err := start(ctx, tool, args, nil, &out)
	if err != nil {
		return nil, err
	}
	if err := p.wait(); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, err
	}
	return out.Bytes(), nil
}

// Run runs ffmpeg to its end with arguments of one's own, and tells progress the pictures that it
// has written.
func Run(ctx context.Context, args []string, progress func(done int)) error {
	_, err := watched(ctx, args, progress)
	return err
}

// watched runs ffmpeg to its end and tells progress the pictures that it has written.
func watched(ctx context.Context, args []string, progress func(done int)) (*process, error) {
	pr, pw := io.Pipe()
	done := make(chan struct{})
	go func() {
		defer close(done)
		sc := bufio.NewScanner(pr)
		for sc.Scan() {
			if n, ok := strings.CutPrefix(sc.Text(), "frame="); ok && progress != nil {
				if f, err := strconv.Atoi(strings.TrimSpace(n)); err == nil {
					progress(f)
				}
			}
		}
		io.Copy(io.Discard, pr)
	}()
	p, err := start(ctx, "ffmpeg", append([]string{"-nostdin", "-v", "error", "-y", "-progress", "pipe:1"}, args...),
		nil, pw)
	if err == nil {
		err = p.wait()
	}
	pw.Close()
	<-done
	if ctx.Err() != nil {
		err = context.Cause(ctx)
	}
	return p, err
}

// tail keeps the last kilobytes written to it.
type tail struct {
	mu  sync.Mutex
	buf []byte
}

func (t *tail) Write(b []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.buf = append(t.buf, b...)
	if len(t.buf) > 8192 {
		t.buf = t.buf[len(t.buf)-8192:]
	}
	return len(b), nil
}

// damaged reports whether what ffmpeg said while it went on means lost picture
// content.
func (t *tail) damaged() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return complains(string(t.buf))
}

// complains reports whether words of a decoder are of lost picture content.
func complains(words string) bool {
	lines := strings.Split(strings.ToLower(words), "\n")
	// Of what is written, not of what is read.
	lines = slices.DeleteFunc(lines, func(l string) bool { return strings.Contains(l, "dts to muxer") })
	words = strings.Join(lines, "\n")
	for _, w := range []string{
		"error", "invalid", "corrupt", "partial", "missing", "exceeds", "damaged", "mismatch", "out of range",
		"negative number", "too large", "concealing",
	} {
		if strings.Contains(words, w) {
			return true
		}
	}
	return false
}

// forget drops what was said so far.
func (t *tail) forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.buf = t.buf[:0]
}

// fault returns what the machine did to the process, if its words tell of it.
func (t *tail) fault() error {
	t.mu.Lock()
	defer t.mu.Unlock()
	return fault.Said(string(t.buf))
}

// last returns the last line said, without ffmpeg's module prefix.
func (t *tail) last() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	lines := strings.Split(strings.TrimSpace(string(t.buf)), "\n")
	l := strings.TrimSpace(lines[len(lines)-1])
	for _, said := range lines { // what complains says more than what follows it
		if complains(said) {
			l = strings.TrimSpace(said)
		}
	}
	if strings.HasPrefix(l, "[") {
		if _, rest, ok := strings.Cut(l, "] "); ok {
			l = rest
		}
	}
	if i := strings.LastIndex(l, "file:"); i >= 0 { // never show where files lie
		if _, rest, ok := strings.Cut(l[i:], ": "); ok {
			l = rest
		}
	}
	return l
}

// widePipe returns a pipe with a buffer of a megabyte, so that whole rows of
// pictures pass at each switch between the processes.
func widePipe() (r, w *os.File, err error) {
	if r, w, err = os.Pipe(); err == nil {
		const fSetPipeSize = 1031
		syscall.Syscall(syscall.SYS_FCNTL, w.Fd(), fSetPipeSize, 1<<20) // best effort
	}
	return r, w, err
}

// pipeFrom starts ffmpeg and returns what it writes to its standard output, which the caller closes.
func pipeFrom(ctx context.Context, args []string) (*process, *os.File, error) {
	pr, pw, err := widePipe()
	if err != nil {
		return nil, nil, err
	}
	p, err := start(ctx, "ffmpeg", args, nil, pw)
	pw.Close()
	if err != nil {
		pr.Close()
		return nil, nil, err
	}
	return p, pr, nil
}

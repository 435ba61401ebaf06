// Package media is the only place that starts ffmpeg and ffprobe. It probes
// files, reads frames as they are coded, makes view frames, and writes results.
//
// Files come from strangers: they are opened with the demuxers and protocols
// that pictures need and no others, their names never reach a shell, and every
// failure is an error that a person can act on.
package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
)

// ErrUnusable marks errors that are the file's fault; the text is for people.
var ErrUnusable = errors.New("the file cannot be used")

func unusable(format string, a ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrUnusable}, a...)...)
}

// guard are the input options that keep ffmpeg to local files of known kinds: a
// playlist disguised as a clip could otherwise name any file of the machine.
var guard = []string{
	"-protocol_whitelist", "file,pipe,fd",
	"-format_whitelist", "mov,mp4,matroska,webm,avi,mxf,mpegts,mpeg,mpegvideo,m4v,nut,flv,ogg,dv,ivf,yuv4mpegpipe,asf,h264,hevc,wav",
}

// input returns the options that open a file, after those in opts.
func input(path string, opts ...string) []string {
	return append(append(append([]string{}, guard...), opts...), "-i", "file:"+path)
}

// process is a running ffmpeg whose last words are kept.
type process struct {
	cmd    *exec.Cmd
	errs   tail
	cancel context.CancelFunc
}

// start runs a tool. The process dies with this one.
func start(ctx context.Context, tool string, args []string, stdin io.Reader, stdout io.Writer) (*process, error) {
	ctx, cancel := context.WithCancel(ctx)
	p := &process{cmd: exec.CommandContext(ctx, tool, args...), cancel: cancel}
	p.cmd.Stdin, p.cmd.Stdout, p.cmd.Stderr = stdin, stdout, &p.errs
	p.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
	if err := p.cmd.Start(); err != nil {
		cancel()
		return nil, fmt.Errorf("media: %s cannot be started, is the package ffmpeg installed? %w", tool, err)
	}
	return p, nil
}

func (p *process) wait() error {
	err := p.cmd.Wait()
	p.cancel()
	if err != nil {
		if t := p.errs.last(); t != "" {
			return errors.New(t)
		}
	}
	return err
}

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
	said := strings.ToLower(string(t.buf))
	for _, w := range []string{"error", "invalid", "corrupt", "partial", "missing", "exceeds"} {
		if strings.Contains(said, w) {
			return true
		}
	}
	return false
}

// last returns the last line said, without ffmpeg's module prefix.
func (t *tail) last() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	lines := strings.Split(strings.TrimSpace(string(t.buf)), "\n")
	l := strings.TrimSpace(lines[len(lines)-1])
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

package confine

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"celator/internal/fault"
)

func TestMain(m *testing.M) {
	Register("echo", func(c Call) error { _, err := io.Copy(c.Out, c.Stdin); return err })
	Register("no", func(c Call) error { return errors.New("no " + c.Args[0]) })
	Register("stack", func(Call) error { return errors.New(deep(0)) })
	Register("memory", func(Call) error {
		var all [][]byte
		for {
			b := make([]byte, 16<<20)
			for i := range b {
				b[i] = 1
			}
			all = append(all, b)
			if len(all) > 1000 {
				return errors.New("it had all that memory")
			}
		}
	})
	Register("spin", func(Call) error {
		for i := 0; ; i++ {
			if i < 0 {
				return nil
			}
		}
	})
	Register("sleep", func(Call) error { time.Sleep(time.Hour); return nil })
	Register("escape", func(Call) error {
		_, err := os.Open("/etc/hostname")
		_, err2 := net.DialTimeout("tcp", "127.0.0.1:1", time.Second)
		err3 := exec.Command("/bin/true").Run()
		err4 := os.WriteFile("/tmp/escaped", nil, 0o600)
		for what, e := range map[string]error{"a file": err, "the network": err2, "a program": err3, "writing": err4} {
			if e == nil || !errors.Is(e, syscall.EPERM) && !strings.Contains(e.Error(), "not permitted") {
				return errors.New("it reached " + what)
			}
		}
		return nil
	})
	Main()
	os.Exit(m.Run())
}

func deep(n int) string {
	if n < 0 {
		return ""
	}
	return deep(n+1) + "x"
}

var small = Limits{Memory: 64 << 20, Processor: 2 * time.Second, Wall: 20 * time.Second}

func TestRun(t *testing.T) {
	var out bytes.Buffer
	text := strings.Repeat("what comes in goes out. ", 100_000)
	if err := Run(context.Background(), Job{
		Role: "echo", Limits: small, Stdin: strings.NewReader(text),
		Out: &out,
	}); err != nil || out.String() != text {
		t.Fatalf("%v, %d bytes", err, out.Len())
	}
	if err := Run(context.Background(), Job{Role: "no", Args: []string{"viewBox"}, Limits: small}); err == nil ||
		err.Error() != "no viewBox" || fault.IsMachine(err) {
		t.Errorf("a role's own words: %v", err)
	}
	if err := Run(context.Background(), Job{Role: "escape", Limits: small}); err != nil {
		t.Error(err)
	}
	if err := Run(context.Background(), Job{Role: "absent", Limits: small}); !fault.IsMachine(err) {
		t.Errorf("a role that is not there: %v", err)
	}
}

// Nothing that a child does reaches its parent, and each bound ends it.
func TestBounds(t *testing.T) {
	for _, role := range []string{"stack", "memory", "spin"} {
		begun := time.Now()
		if err := Run(context.Background(), Job{Role: role, Limits: small}); !errors.Is(err, ErrTooMuch) {
			t.Errorf("%s: %v after %v", role, err, time.Since(begun))
		}
	}
	short := small
	short.Wall = 200 * time.Millisecond
	if err := Run(context.Background(), Job{Role: "sleep", Limits: short}); !errors.Is(err, ErrTooMuch) {
		t.Errorf("sleep: %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	time.AfterFunc(100*time.Millisecond, cancel)
	if err := Run(ctx, Job{Role: "sleep", Limits: small}); !errors.Is(err, context.Canceled) {
		t.Errorf("withdrawn: %v", err)
	}
}

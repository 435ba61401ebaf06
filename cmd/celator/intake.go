package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"celator/internal/handover"
	"celator/internal/intake"
	"celator/internal/server"
)

func intakeCommand() *cobra.Command {
	var dir, addr, names string
	rules := intake.Usual
	c := &cobra.Command{
		Use: "intake", Short: "Stand in for a station's delivery intake: take files, check them, give receipts",
	}
	f := c.Flags()
	f.StringVar(&dir, "dir", filepath.Join(env("CELATOR_DATA", ".run"), "intake"),
		"folder for what it takes; files put into DIR/watch, each with a .sha256 beside it, are taken too")
	f.StringVar(&addr, "addr", "127.0.0.1:8421", "loopback address to serve on")
	f.StringVar(&names, "names", rules.Names.String(), "regular expression that names of files must match")
	f.StringSliceVar(&rules.Formats, "formats", rules.Formats, "endings that are taken")
	f.Int64Var(&rules.Largest, "largest", rules.Largest, "bytes of the largest file that is taken")
	c.RunE = func(cmd *cobra.Command, _ []string) (err error) {
		ctx := cmd.Context()
		if rules.Names, err = regexp.Compile(names); err != nil {
			return wrongUse{err}
		}
		l, err := server.Listen(addr)
		if err != nil {
			return err
		}
		defer l.Close()
		in, err := intake.Open(dir, rules, slog.New(slog.NewTextHandler(os.Stderr, nil)))
		if err != nil {
			return err
		}
		h, err := in.Handler(ctx)
		if err != nil {
			return err
		}
		go in.Watch(ctx)
		fmt.Printf("%s%s, and watches %s\n", intakeReady, l.Addr(), filepath.Join(dir, "watch"))
		return server.Serve(ctx, l, h)
	}
	return c
}

// intakeReady begins the line in which an intake says where it is.
const intakeReady = "The intake is ready at http://"

// readIntakes reads NAME=ADDRESS, of intakes that files may be handed over to.
func readIntakes(list []string) (out []server.Intake, err error) {
	for _, one := range list {
		name, address, ok := strings.Cut(one, "=")
		if !ok || strings.TrimSpace(name) == "" {
			return nil, fmt.Errorf("--intake is NAME=ADDRESS, not %q", one)
		}
		if err := handover.Check(address); err != nil {
			return nil, fmt.Errorf("--intake %s: %w", name, err)
		}
		out = append(out, server.Intake{Name: strings.TrimSpace(name), Address: address})
	}
	return out, nil
}

// standIn runs the demo's intake, as a process of its own that ends with this one and is started again when it
// ends, and returns where it is.
func standIn(ctx context.Context, dir string, log *slog.Logger) (server.Intake, error) {
	one := server.Intake{Name: "Kanal Skerry (stand-in)"}
	self, err := os.Executable()
	if err != nil {
		return one, err
	}
	addr := "127.0.0.1:0"
	run := func() (*exec.Cmd, error) {
		cmd := exec.CommandContext(ctx, self, "intake", "--dir", dir, "--addr", addr)
		cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
		cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL, Setpgid: true}
		out, err := cmd.StdoutPipe()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			return nil, err
		}
		line, err := bufio.NewReader(out).ReadString('\n')
		said, ok := strings.CutPrefix(line, intakeReady)
		if !ok {
			cmd.Process.Kill()
			cmd.Wait()
			return nil, fmt.Errorf("the stand-in intake does not start: %q, %w", line, err)
		}
		addr, _, _ = strings.Cut(said, ",")
		go io.Copy(io.Discard, out)
		return cmd, nil
	}
	cmd, err := run()
	if err != nil {
		return one, err
	}
	go func() {
		for {
			if cmd != nil {
				cmd.Wait()
			}
			if ctx.Err() != nil {
				return
			}
			log.Warn("the stand-in intake ended and is started again")
			time.Sleep(time.Second)
			if cmd, err = run(); err != nil {
				log.Warn("the stand-in intake", "error", err)
			}
		}
	}()
	one.Address = "http://" + addr
	return one, nil
}

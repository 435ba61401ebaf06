// Command celator serves the application, works its queue, and does its work
// from the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"celator/internal/confine"
)

// wrongUse marks errors of how the program was called; they exit with 2.
type wrongUse struct{ error }

func main() {
	confine.Main() // where this process reads a stranger's picture, that is all it does
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{
		Use: "celator", Short: "Hide what may not be shown, and prove it",
		SilenceErrors: true, SilenceUsage: true, Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return wrongUse{fmt.Errorf("there is no command %q; celator --help lists them", args[0])}
			}
			return wrongUse{errors.New("name a command; celator --help lists them")}
		},
	}
	root.CompletionOptions.DisableDefaultCmd = true
	root.AddCommand(serveCommand(), workerCommand(), sweepCommand(), demoCommand(), intakeCommand(), probeCommand(),
		renderCommand(), verifyCommand(), checkCommand(), findCommand(), trackCommand(), holdoutCommand(), openapiCommand(),
		versionCommand())
	for _, c := range root.Commands() {
		args := c.Args
		if args == nil {
			args = cobra.NoArgs
		}
		c.Args = func(cmd *cobra.Command, a []string) error {
			if err := args(cmd, a); err != nil {
				return wrongUse{err}
			}
			return nil
		}
	}
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return wrongUse{err} })
	err := root.ExecuteContext(ctx)
	var wrong wrongUse
	switch {
	case err == nil:
	case errors.As(err, &found{}):
		os.Exit(3)
	case errors.As(err, &wrong):
		fmt.Fprintln(os.Stderr, "celator:", err)
		os.Exit(2)
	default:
		fmt.Fprintln(os.Stderr, "celator:", err)
		os.Exit(1)
	}
}

// env returns an environment variable, or what else stands for it.
func env(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}

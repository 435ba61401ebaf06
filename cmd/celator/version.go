package main

import (
	"encoding/json"
	"fmt"
	"os"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// release is raised with the change log.
const release = "0.15.0"

// build says what this program was made of.
type build struct {
	Version  string `json:"version"`
	Commit   string `json:"commit"` // empty where it was not built from a repository
	Date     string `json:"date"`   // of the commit, RFC 3339
	Modified bool   `json:"modified"`
	Go       string `json:"go"`
	Platform string `json:"platform"`
}

func thisBuild() build {
	b := build{Version: release, Go: runtime.Version(), Platform: runtime.GOOS + "/" + runtime.GOARCH}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return b
	}
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			b.Commit = s.Value
		case "vcs.time":
			b.Date = s.Value
		case "vcs.modified":
			b.Modified = s.Value == "true"
		}
	}
	return b
}

func (b build) String() string {
	s := "celator " + b.Version
	if b.Commit != "" {
		s += fmt.Sprintf(", commit %.12s of %s", b.Commit, b.Date)
	}
	if b.Modified {
		s += ", with changes"
	}
	return s + ", " + b.Go + " " + b.Platform
}

func versionCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "version", Short: "Say which version this is, and of which commit",
		RunE: func(*cobra.Command, []string) error {
			if asJSON {
				return json.NewEncoder(os.Stdout).Encode(thisBuild())
			}
			fmt.Println(thisBuild())
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "as JSON")
	return c
}

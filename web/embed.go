// Package web holds the built front end.
package web

import (
	"embed"
	"errors"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files returns the built front end, or an error where it was not built before
// the program.
func Files() (fs.FS, error) {
	f, err := fs.Sub(dist, "dist/app")
	if err != nil {
		return nil, err
	}
	if _, err := fs.Stat(f, "index.html"); err != nil {
		return nil, errors.New("the front end was not built into this program; build it with make")
	}
	return f, nil
}

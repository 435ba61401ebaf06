// Package core_test keeps the house's rule: imports point one way.
package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

func TestImportsPointOneWay(t *testing.T) {
	seen := 0
	err := filepath.WalkDir("..", func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && d.Name() != "..") {
			return fs.SkipDir
		}
		if !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go") {
			return nil
		}
		room, _, _ := strings.Cut(filepath.ToSlash(p)[3:], "/")
		f, err := parser.ParseFile(token.NewFileSet(), p, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		seen++
		for _, i := range f.Imports {
			path, _ := strconv.Unquote(i.Path.Value)
			ours := strings.HasPrefix(path, "celator/")
			foreign := !ours && strings.Contains(strings.SplitN(path, "/", 2)[0], ".")
			switch room {
			case "core":
				if ours && !strings.HasPrefix(path, "celator/core/") ||
					foreign && !strings.HasPrefix(path, "golang.org/x/image/") && !strings.HasPrefix(path, "gonum.org/") {
					t.Errorf("%s imports %s: the core depends on nothing but itself, x/image and gonum", p, path)
				}
				for _, no := range []string{"os", "net", "net/http", "database/sql", "time", "os/exec"} {
					if path == no {
						t.Errorf("%s imports %s: the core does no I/O and has no clock", p, path)
					}
				}
			case "internal":
				if strings.HasPrefix(path, "celator/cmd/") || strings.HasPrefix(path, "celator/web") {
					t.Errorf("%s imports %s", p, path)
				}
			}
			starts := regexp.MustCompile(`internal/(media|pgcluster|ocr|report|confine)/`) // ffmpeg, PostgreSQL, a reader, a printer, itself
			if path == "os/exec" && room == "internal" && !starts.MatchString(filepath.ToSlash(p)) {
				t.Errorf("%s starts processes; that is for media, pgcluster, ocr, report and confine", p)
			}
		}
		return nil
	})
	if err != nil || seen < 30 {
		t.Fatalf("%d files, %v", seen, err)
	}
}

// Package core_test keeps the rules of the house: imports point one way, files and
// functions stay short enough to be read, and the map of the house shows every room.
package core_test

import (
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"
)

// layers are the packages of the house from the ground up: each imports from the layers
// before its own alone. docs/architecture.md says what they are for.
var layers = [][]string{
	{"core/geom", "core/frame", "core/filter", "core/timecode"},
	{"core/reading"},
	{"core/cover", "core/cut", "core/cadence", "core/track", "core/clearance", "core/cleanplate"},
	{"core/raster", "core/interchange", "core/sound"},
	{"core/holdout", "core/treat", "core/session", "core/proposal", "core/feature"},
	{"core/check"},
	{"internal/await"},
	{
		"internal/fault", "internal/budget", "internal/pgcluster", "internal/report",
		"internal/certificate", "internal/zoo", "internal/lettering",
	},
	{"internal/confine"},
	{"internal/still", "internal/graphic", "internal/reader"},
	{"internal/media"},
	{"internal/reference", "internal/follow", "internal/decode", "internal/demo"},
	{"internal/deliver", "internal/checkrun", "internal/preview", "internal/find"},
	{"internal/store"},
	{"internal/storage", "internal/testdb"},
	{"internal/intake", "internal/draft", "internal/sought"},
	{"internal/handover"},
	{"internal/jobs", "internal/sweep"},
	{"internal/server"},
	append([]string{"cmd/celator", "cmd/core-wasm"}, shared...),
	{"dev"},
}

// shared is what benches share.
var shared = []string{"dev/site", "dev/floor", "dev/photos"}

const (
	longestFile     = 500 // lines
	longestFunction = 80  // lines
	longestLine     = 120 // characters
)

// tag is a field with a struct tag, which cannot be broken.
var tag = regexp.MustCompile("`[a-z]+:\"[^`]*`(,omitempty)?( //.*)?$")

// ourFiles calls f with every Go file of ours.
func ourFiles(t *testing.T, f func(path, room string, text []byte)) {
	t.Helper()
	filesOf(t, []string{".go"}, f)
}

// filesOf calls f with every file of ours that has one of the endings.
func filesOf(t *testing.T, endings []string, f func(path, room string, text []byte)) {
	t.Helper()
	n := 0
	err := filepath.WalkDir("..", func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		hidden := strings.HasPrefix(d.Name(), ".") && d.Name() != ".."
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == "tools" || hidden) {
			return fs.SkipDir
		}
		if !slices.Contains(endings, filepath.Ext(p)) || strings.HasSuffix(p, ".gen.ts") {
			return nil
		}
		text, err := os.ReadFile(p)
		if err != nil {
			return err
		}
		n++
		path := filepath.ToSlash(p)[3:]
		f(path, filepath.ToSlash(filepath.Dir(path)), text)
		return nil
	})
	if err != nil || n < 100 {
		t.Fatalf("%d files, %v", n, err)
	}
}

func layerOf(room string) int {
	return slices.IndexFunc(layers, func(l []string) bool {
		return slices.ContainsFunc(l, func(p string) bool {
			return room == p || p == "dev" && strings.HasPrefix(room, "dev/") && !slices.Contains(shared, room)
		})
	})
}

func TestImportsPointOneWay(t *testing.T) {
	ourFiles(t, func(path, room string, text []byte) {
		if room == "core" || room == "web" || strings.HasSuffix(path, "_test.go") {
			return
		}
		own := layerOf(room)
		if own < 0 {
			t.Errorf("%s is in no layer", room)
			return
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, text, parser.ImportsOnly)
		if err != nil {
			t.Fatal(err)
		}
		for _, i := range f.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			if to, ours := strings.CutPrefix(name, "celator/"); ours && to != "web" && layerOf(to) >= own {
				t.Errorf("%s imports %s, which is no layer below", path, name)
			}
			if strings.HasPrefix(room, "core/") {
				pure(t, path, name)
			}
		}
	})
}

// pure holds the core to computation: no input or output, no clock, and of foreign
// packages two.
func pure(t *testing.T, path, name string) {
	t.Helper()
	first, _, _ := strings.Cut(name, "/")
	foreign := strings.Contains(first, ".")
	if foreign && !strings.HasPrefix(name, "golang.org/x/image/") && !strings.HasPrefix(name, "gonum.org/") {
		t.Errorf("%s imports %s: the core depends on nothing but itself, x/image and gonum", path, name)
	}
	if slices.Contains([]string{"os", "net", "net/http", "database/sql", "time", "os/exec", "syscall", "log/slog"}, name) {
		t.Errorf("%s imports %s: the core does no I/O and has no clock", path, name)
	}
}

// Processes are started by those who have to bound and end them; the zoo is run by tests and benches alone.
func TestWhoStartsProcesses(t *testing.T) {
	may := []string{
		"internal/media", "internal/pgcluster", "internal/report", "internal/confine",
		"internal/zoo",
	}
	ourFiles(t, func(path, room string, text []byte) {
		starts := bytes.Contains(text, []byte(`"os/exec"`)) && !strings.HasSuffix(path, "_test.go")
		if starts && strings.HasPrefix(room, "internal/") && !slices.Contains(may, room) {
			t.Errorf("%s starts processes; that is for %s", path, strings.Join(may, ", "))
		}
	})
}

// Files, functions and lines have an end. A function that is long for a reason says so
// in a line of its comment that begins with "Long:".
func TestNothingIsTooLong(t *testing.T) {
	filesOf(t, []string{".go", ".ts", ".svelte"}, func(path, room string, text []byte) {
		lines := strings.Split(string(text), "\n")
		if len(lines) > longestFile {
			t.Errorf("%s has %d lines", path, len(lines))
		}
		for i, l := range lines {
			if n := utf8.RuneCountInString(l); n > longestLine && !tag.MatchString(l) {
				t.Errorf("%s:%d has %d characters", path, i+1, n)
			}
		}
		if !strings.HasSuffix(path, ".go") {
			return
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, text, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			n := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1
			if n > longestFunction && !strings.Contains(fn.Doc.Text(), "Long:") {
				t.Errorf("%s: %s has %d lines", path, fn.Name.Name, n)
			}
		}
	})
}

// The map of the house shows every room.
func TestArchitectureNamesEveryPackage(t *testing.T) {
	text, err := os.ReadFile("../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, rooms := range layers {
		for _, room := range rooms {
			if !bytes.Contains(text, []byte("`"+room+"`")) {
				t.Errorf("docs/architecture.md does not name %s", room)
			}
		}
	}
}

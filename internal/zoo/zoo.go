// Package zoo makes short files of the kinds that arrive: cameras', stations', phones', broken
// ones. It says what is right for each, and what a decoder that is not ours finds in it, so
// that what is made of them can be held to that.
package zoo

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// Kind is a kind of file.
type Kind struct {
	Name string // of the file
	What string // for people
	// Args are what ffmpeg is asked for, before the file's name; "" between two of them begins
	// another run over what the first wrote.
	Args    []string
	Refused string               // words of the error that is right; "" where it is accepted
	Few     bool                 // among those that every test run takes
	Spoil   func(p string) error // what happens to it afterwards
}

// picture and tone are a moving chart and a swept tone that is never like itself.
func picture(size, rate string, seconds float64) []string {
	return []string{"-f", "lavfi", "-i", fmt.Sprintf("testsrc2=size=%s:rate=%s:duration=%g", size, rate, seconds)}
}

func tone(channels int, seconds float64) []string {
	one := "0.3*sin(300*t*t+200*t)"
	return []string{"-f", "lavfi", "-i", fmt.Sprintf("aevalsrc=%s:s=48000:d=%g",
		strings.TrimSuffix(strings.Repeat(one+"|", channels), "|"), seconds)}
}

func args(parts ...[]string) (all []string) {
	for _, p := range parts {
		all = append(all, p...)
	}
	return all
}

func opt(s string) []string { return strings.Fields(s) }

const (
	pal   = "-vf tinterlace=interleave_top,setfield=tff -r 25 -flags +ildct+ilme"
	video = "-colorspace bt709 -color_primaries bt709 -color_trc bt709 -color_range tv"
)

// cut ends a file at a share of its length.
func cut(share float64) func(string) error {
	return func(path string) error {
		st, err := os.Stat(path)
		if err != nil {
			return err
		}
		return os.Truncate(path, int64(share*float64(st.Size())))
	}
}

// spoil overwrites bytes in the middle of a file.
func spoil(path string) error {
	b, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	for i := len(b) * 2 / 5; i < len(b)*3/5; i += 97 {
		b[i] ^= 0x5a
	}
	return os.WriteFile(path, b, 0o600)
}

// Make writes a file of a kind into a folder.
func Make(dir string, k Kind) (path string, err error) {
	path = filepath.Join(dir, k.Name)
	run := func(args ...string) error {
		args = append([]string{"-nostdin", "-v", "error", "-y"}, args...)
		if out, err := exec.Command("ffmpeg", args...).CombinedOutput(); err != nil {
			return fmt.Errorf("zoo: %s: %w\n%s", k.Name, err, out)
		}
		return nil
	}
	from := k.Args
	for i, a := range k.Args {
		if a == "" { // a stream copy of what was made
			first := filepath.Join(dir, "first"+filepath.Ext(k.Name))
			if err := run(append(append([]string{}, k.Args[:i]...), first)...); err != nil {
				return path, err
			}
			defer os.Remove(first)
			from = append([]string{}, k.Args[i+1:]...)
			for n, a := range from {
				if a == "FIRST" {
					from[n] = first
				}
			}
			break
		}
	}
	if err := run(append(append([]string{}, from...), path)...); err != nil {
		return path, err
	}
	if k.Spoil != nil {
		err = k.Spoil(path)
	}
	return path, err
}

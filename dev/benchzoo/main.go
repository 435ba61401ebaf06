// Command benchzoo makes the zoo of files, delivers each as an archive, and writes into
// docs/formats.md what came of it: accepted or why not, and what was lost on the way, by what
// ffmpeg's tools find in both files.
package main

import (
	"context"
	"errors"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strings"

	"celator/internal/confine"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/zoo"
)

const (
	page  = "docs/formats.md"
	begin = "<!-- bench-zoo -->"
	end   = "<!-- end of bench-zoo -->"
)

func main() {
	confine.Main()
	log.SetFlags(0)
	dir, err := os.MkdirTemp("", "celator-zoo")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	table := "| File | What it is | Frames | Fields | Timecode | Sound | Came back | Not carried | As the source |\n" +
		"|---|---|---|---|---|---|---|---|---|\n"
	wrong := 0
	for _, k := range zoo.Kinds {
		row, right, err := try(dir, k)
		if err != nil {
			log.Fatal(err)
		}
		if !right {
			wrong++
		}
		fmt.Print(row)
		table += row
	}
	table += fmt.Sprintf("\n%d of %d as they should be.\n", len(zoo.Kinds)-wrong, len(zoo.Kinds))
	text, err := os.ReadFile(page)
	if err != nil {
		log.Fatal(err)
	}
	before, rest, ok := strings.Cut(string(text), begin)
	_, after, closed := strings.Cut(rest, end)
	if !ok || !closed {
		log.Fatalf("%s has no place for the table", page)
	}
	if err := os.WriteFile(page, []byte(before+begin+"\n"+table+end+after), 0o644); err != nil {
		log.Fatal(err)
	}
}

// try delivers a kind and says what came of it; right is whether that is as it should be.
func try(dir string, k zoo.Kind) (row string, right bool, err error) {
	path, err := zoo.Make(dir, k)
	if err != nil {
		return "", false, err
	}
	defer os.Remove(path)
	same, kept := alike(dir, path)
	cells := func(c ...string) string {
		return "| " + strings.Join(append(append([]string{k.Name, k.What}, c...), same), " | ") + " |\n"
	}
	j, p, err := deliver.Trial(context.Background(), path, dir, "archive")
	defer os.Remove(filepath.Join(dir, "out.mkv"))
	if err != nil {
		said := strings.TrimPrefix(err.Error(), "the file cannot be used: ")
		return cells("", "", "", "", "refused: "+said, ""), kept && k.Refused != "" && strings.Contains(said, k.Refused), nil
	}
	a, err := zoo.Look(path)
	if err != nil {
		return "", false, err
	}
	b, err := zoo.Look(j.Out)
	if err != nil {
		return "", false, err
	}
	lost := zoo.Compare(a, b, j.Clip.Info.Variable)
	back := "all of it, to the sample"
	if p.Lag > 0 {
		back += fmt.Sprintf("; sound %.2f ms off", p.Lag)
	}
	if len(lost) > 0 {
		back = strings.Join(lost, "; ")
	}
	frames := fmt.Sprint(b.Frames)
	if a.Frames != b.Frames {
		frames = fmt.Sprintf("%d of %d", b.Frames, a.Frames)
	}
	field := a.Field
	if field != "" {
		field += " first"
	}
	return cells(frames, field, a.Timecode, fmt.Sprint(len(a.Sound)), back, strings.Join(p.Left, ", ")),
		kept && len(lost) == 0 && k.Refused == "", nil
}

// alike delivers a kind as the source with a few frames covered, and says how many of its pictures were copied, or why
// none were; right is whether it is one of the two and proved.
func alike(dir, path string) (says string, right bool) {
	j, p, err := deliver.Trial(context.Background(), path, dir, media.SourcePreset)
	defer os.Remove(j.Out)
	switch {
	case err != nil && (j.Out == "" || errors.Is(err, media.ErrDamaged)): // before anything was written
		said := strings.TrimPrefix(err.Error(), "the file cannot be used: ")
		return strings.TrimPrefix(said, "it cannot be delivered as the source is: "), true
	case err != nil:
		return "**fails**: " + err.Error(), false
	case p.Copied == 0:
		how := "to the sample"
		if p.Alike > 0 {
			how = fmt.Sprintf("at least %.1f dB", p.Alike)
		}
		return fmt.Sprintf("coded anew, %s (%s)", how, p.Anew), p.Anew != ""
	case p.Alike > 0:
		return fmt.Sprintf("%d of %d copied, the others at least %.1f dB", p.Copied, p.Frames, p.Alike), true
	}
	return fmt.Sprintf("%d of %d copied, the others to the sample", p.Copied, p.Frames), true
}

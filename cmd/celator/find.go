package main

import (
	"fmt"
	"image/png"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"celator/internal/find"
	"celator/internal/media"
	"celator/internal/reader"
)

func findCommand() *cobra.Command {
	var clip, stills string
	var asJSON bool
	first, last := 0, -1
	c := &cobra.Command{
		Use:   "find",
		Short: "Look through a clip for text, plates and faces: what an editor would be offered",
	}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.IntVar(&first, "from", 0, "first frame")
	f.IntVar(&last, "to", -1, "last frame; -1 is the clip's last")
	f.StringVar(&stills, "stills", "", "folder for a picture of each, as PNG")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if clip == "" {
			return wrongUse{fmt.Errorf("find needs --clip")}
		}
		info, err := media.Probe(cmd.Context(), clip)
		if err != nil {
			return fmt.Errorf("%s: %w", clip, err)
		}
		if last < 0 {
			last = info.Frames - 1
		}
		if first < 0 || first > last || last >= info.Frames {
			return wrongUse{fmt.Errorf("the clip has the frames 0 to %d", info.Frames-1)}
		}
		m := reader.New(reader.Dir(), 2)
		defer m.Close()
		r, err := m.Reader()
		if err != nil {
			return err
		}
		all, looked, err := find.Run(cmd.Context(), find.Job{
			Clip: media.Clip{Path: clip, Info: info}, First: first, Last: last, Reader: r,
		})
		if err != nil {
			return err
		}
		if stills != "" {
			if err := keepStills(stills, all); err != nil {
				return err
			}
		}
		if asJSON {
			out := []any{}
			for _, p := range all {
				out = append(out, p.Proposal)
			}
			return printJSON(out)
		}
		for _, p := range all {
			fmt.Printf("%s\t%d-%d\t%.2f\t%s\n", p.Kind, p.First, p.Last, p.Sure, p.Text)
		}
		fmt.Fprintf(os.Stderr, "%d frames of %d were looked at\n", looked, last-first+1)
		return nil
	}
	return c
}

// keepStills writes the pictures of proposals into a folder, numbered as they are printed.
func keepStills(dir string, all []find.Found) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for i, p := range all {
		if p.Still == nil {
			continue
		}
		f, err := os.Create(filepath.Join(dir, fmt.Sprintf("%03d.png", i)))
		if err != nil {
			return err
		}
		if err := png.Encode(f, p.Still); err != nil {
			f.Close()
			return err
		}
		if err := f.Close(); err != nil {
			return err
		}
	}
	return nil
}

package main

import (
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"celator/core/cover"
	"celator/core/holdout"
	"celator/core/interchange"
	"celator/internal/follow"
	"celator/internal/media"
)

func holdoutCommand() *cobra.Command {
	var clip, track, out string
	var from, to int
	set := holdout.Usual
	c := &cobra.Command{Use: "holdout", Short: "Find what passes in front of a followed surface"}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.StringVar(&track, "track", "", "where the surface is, as track writes it")
	f.StringVar(&out, "out", "", "folder for the mattes, a grey PNG of the clip's size for each frame: white is in front")
	f.IntVar(&from, "from", 0, "first frame")
	f.IntVar(&to, "to", -1, "last frame; the clip's where not given")
	f.Float64Var(&set.Sensitivity, "sensitivity", set.Sensitivity,
		"0 to 1: how little speaks for the foreground where it is believed")
	f.Float64Var(&set.Edge, "edge", set.Edge, "how wide the soft edge may be on what is at rest, px")
	f.Float64Var(&set.Least, "least", set.Least, "the smallest area that counts, px²")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		for flag, v := range map[string]string{"clip": clip, "track": track, "out": out} {
			if v == "" {
				return wrongUse{fmt.Errorf("holdout needs --%s", flag)}
			}
		}
		if !(set.Sensitivity >= 0 && set.Sensitivity <= 1 && set.Edge >= 1 && set.Edge <= 40 && set.Least >= 0) {
			return wrongUse{errors.New("--sensitivity is 0 to 1, --edge 1 to 40, --least 0 or more")}
		}
		info, err := media.Probe(cmd.Context(), clip)
		if err != nil {
			return fmt.Errorf("%s: %w", clip, err)
		}
		if to < 0 {
			to = info.Frames - 1
		}
		if from < 0 || to < from || to >= info.Frames {
			return wrongUse{fmt.Errorf("there are no frames %d to %d; the clip has 0 to %d", from, to, info.Frames-1)}
		}
		b, err := os.ReadFile(track)
		if err != nil {
			return err
		}
		t, err := interchange.ParseTrackCSV(b, info.Frames)
		if err != nil {
			return fmt.Errorf("%s: %w", track, err)
		}
		if err := os.MkdirAll(out, 0o755); err != nil {
			return err
		}
		j := follow.ForegroundOf(media.Clip{Path: clip, Info: info}, t, cover.Span{First: from, Last: to}, set)
		j.Found = func(f int, found holdout.Found) error {
			g := image.NewGray(image.Rect(0, 0, info.Width, info.Height))
			w := found.Rect.Dx()
			for y := range found.Rect.Dy() {
				copy(g.Pix[(found.Rect.Min.Y+y)*g.Stride+found.Rect.Min.X:], found.Pix[y*w:(y+1)*w])
			}
			return write(filepath.Join(out, fmt.Sprintf("matte-%06d.png", f)),
				func(to io.Writer) error { return png.Encode(to, g) })
		}
		_, err = j.Find(cmd.Context())
		return err
	}
	return c
}

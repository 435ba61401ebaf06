package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"celator/core/geom"
	"celator/core/track"
	"celator/internal/follow"
	"celator/internal/media"
)

func trackCommand() *cobra.Command {
	var clip, quad, model, out string
	var reference, from, to int
	c := &cobra.Command{Use: "track", Short: "Follow a surface through a clip"}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.StringVar(&quad, "quad", "", `the surface on the reference frame: "x1,y1 x2,y2 x3,y3 x4,y4", in order around it`)
	f.IntVar(&reference, "frame", -1, "the reference frame")
	f.StringVar(&model, "model", "perspective", "translation, similarity, affine or perspective")
	f.IntVar(&from, "from", 0, "first frame")
	f.IntVar(&to, "to", -1, "last frame; the clip's where not given")
	f.StringVar(&out, "out", "", "CSV file to write, - for standard output")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		for flag, v := range map[string]string{"clip": clip, "quad": quad, "out": out} {
			if v == "" {
				return wrongUse{fmt.Errorf("track needs --%s", flag)}
			}
		}
		corners, err := parsePoints(quad)
		if err == nil && len(corners) != 4 {
			err = fmt.Errorf("--quad has %d corners, not four", len(corners))
		}
		if err != nil {
			return wrongUse{err}
		}
		info, err := media.Probe(cmd.Context(), clip)
		if err != nil {
			return fmt.Errorf("%s: %w", clip, err)
		}
		if to < 0 {
			to = info.Frames - 1
		}
		if from < 0 || from > reference || reference > to || to >= info.Frames {
			return wrongUse{fmt.Errorf("--frame %d does not lie in the frames %d to %d of the clip's 0 to %d", reference, from, to, info.Frames-1)}
		}
		if !track.Model(model).Valid() {
			return wrongUse{fmt.Errorf("--model %q is not translation, similarity, affine or perspective", model)}
		}
		// The corners go around one way in the core.
		turned := geom.Area(corners) < 0
		outline := slices.Clone(corners)
		if turned {
			slices.Reverse(outline)
		}
		rows := make([]string, to-from+1)
		err = follow.Run(cmd.Context(), follow.Job{Clip: media.Clip{Path: clip, Info: info}, Outline: outline, Model: track.Model(model), Reference: reference, From: from, To: to,
			Found: func(f int, p track.Pose) {
				var b strings.Builder
				fmt.Fprintf(&b, "%d", f)
				for _, q := range corners {
					q = p.Map.Apply(q)
					fmt.Fprintf(&b, ",%.4f,%.4f", q.X, q.Y)
				}
				fmt.Fprintf(&b, ",%.4f,%s", p.Confidence, p.State)
				rows[f-from] = b.String()
			}})
		if err != nil {
			return err
		}
		return write(out, func(w io.Writer) error {
			fmt.Fprintln(w, "frame,x1,y1,x2,y2,x3,y3,x4,y4,confidence,state")
			for _, r := range rows {
				fmt.Fprintln(w, r)
			}
			return nil
		})
	}
	return c
}

// parsePoints reads "x,y x,y …".
func parsePoints(s string) ([]geom.Point, error) {
	var out []geom.Point
	for _, p := range strings.Fields(s) {
		a, b, ok := strings.Cut(p, ",")
		x, err := strconv.ParseFloat(a, 64)
		y, err2 := strconv.ParseFloat(b, 64)
		if q := geom.Pt(x, y); !ok || err != nil || err2 != nil || !q.Finite() {
			return nil, fmt.Errorf("%q is no point; write x,y", p)
		} else {
			out = append(out, q)
		}
	}
	return out, nil
}

// write writes a file whole or not at all; "-" is standard output.
func write(name string, f func(io.Writer) error) error {
	if name == "-" {
		w := bufio.NewWriter(os.Stdout)
		return errors.Join(f(w), w.Flush())
	}
	part := name + ".part"
	file, err := os.Create(part)
	if err != nil {
		return err
	}
	w := bufio.NewWriter(file)
	if err := errors.Join(f(w), w.Flush(), file.Close()); err != nil {
		os.Remove(part)
		return err
	}
	return os.Rename(part, name)
}

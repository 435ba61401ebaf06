package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"celator/core/cover"
	"celator/core/geom"
	"celator/core/track"
	"celator/internal/follow"
	"celator/internal/media"
)

// Long: flags and what they lead to.
func trackCommand() *cobra.Command {
	var clip, quad, model, channel, holdouts, out, mesh string
	var points []string
	var reference, from, to int
	var fields bool
	c := &cobra.Command{Use: "track", Short: "Follow a surface through a clip"}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.StringVar(&quad, "quad", "", `the surface on the reference frame: "x1,y1 x2,y2 x3,y3 x4,y4", in order around it`)
	f.StringArrayVar(&points, "point", nil,
		`a point on the reference frame, "x,y", instead of --quad; give it again for more`)
	f.StringVar(&channel, "channel", "luma", "luma, red, green, blue, or best: that with the most contrast on the surface")
	f.StringVar(&holdouts, "holdouts", "", "document whose holdouts pass in front of the surface and are left out")
	f.IntVar(&reference, "frame", -1, "the reference frame")
	f.StringVar(&model, "model", "perspective", "translation, similarity, affine, perspective or cloth, which bends")
	f.IntVar(&from, "from", 0, "first frame")
	f.IntVar(&to, "to", -1, "last frame; the clip's where not given")
	f.BoolVar(&fields, "fields", false,
		"of an interlaced clip, a row for each field; second fields lie at half a frame more")
	f.StringVar(&out, "out", "", "CSV file to write, - for standard output")
	f.StringVar(&mesh, "mesh", "",
		"CSV file to write too, or -: where places all over the surface lie, frame by frame")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		for flag, v := range map[string]string{"clip": clip, "out": out} {
			if v == "" {
				return wrongUse{fmt.Errorf("track needs --%s", flag)}
			}
		}
		if (quad == "") == (len(points) == 0) {
			return wrongUse{errors.New("track needs --quad or --point")}
		}
		if mesh != "" && (quad == "" || mesh == out) {
			return wrongUse{errors.New("--mesh needs --quad, and a file other than --out")}
		}
		corners, err := parsePoints(quad + strings.Join(points, " "))
		if err == nil && quad != "" && len(corners) != 4 {
			err = fmt.Errorf("--quad has %d corners, not four", len(corners))
		}
		if err == nil {
			err = follow.Channel(channel).Validate()
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
			return wrongUse{fmt.Errorf("--frame %d does not lie in the frames %d to %d of the clip's 0 to %d", reference,
				from, to, info.Frames-1)}
		}
		if !track.Model(model).Valid() {
			return wrongUse{fmt.Errorf("--model %q is not one of %q", model, track.Models)}
		}
		// Fields are followed one by one; a row tells of a frame's first unless both are asked for.
		pictures := media.Clip{Path: clip, Info: info}.Pictures()
		each := pictures.Each
		job := follow.Job{
			Clip: pictures.Clip, Model: track.Model(model), Channel: follow.Channel(channel),
			Anchors: []follow.Anchor{{Frame: each * reference, Map: geom.Identity}}, From: each * from,
			To: each*(to+1) - 1,
		}
		if quad != "" {
			job.Outline = corners
		} else {
			job.Points = corners
		}
		if holdouts != "" {
			doc, err := readDocument(holdouts)
			if err != nil {
				return err
			}
			if doc.Width != info.Width || doc.Height != info.Height {
				return fmt.Errorf("%s is for %dx%d pictures, the clip has %dx%d", holdouts, doc.Width, doc.Height, info.Width,
					info.Height)
			}
			job.Hidden = follow.Holdouts(pictures.Document(doc))
		}
		found := make([][]track.Pose, each*(to-from+1))
		job.Found = func(f int, p []track.Pose) { found[f-each*from] = p }
		bends := 0.
		job.Bends = func(px float64) { bends = max(bends, px) }
		err = follow.Run(cmd.Context(), job)
		var cut *follow.CutError
		if errors.As(err, &cut) {
			fmt.Fprintln(os.Stderr, err)
		} else if err != nil {
			return err
		}
		if bends >= track.BendsFrom {
			fmt.Fprintf(os.Stderr, "the surface seems to bend, by about %.1f px; --model cloth follows that\n", bends)
		}
		fill(found, each*(reference-from))
		if mesh != "" {
			if err := write(mesh, func(w io.Writer) error {
				return writeMesh(w, corners, found, func(i int) (cover.Time, bool) {
					return cover.Time(from) + cover.Time(i)/cover.Time(each), i%each == 0 || fields
				})
			}); err != nil {
				return err
			}
		}
		return write(out, func(w io.Writer) error {
			if quad == "" {
				fmt.Fprintln(w, "frame,point,x,y,confidence,state")
			} else {
				fmt.Fprintln(w, "frame,x1,y1,x2,y2,x3,y3,x4,y4,confidence,state")
			}
			for i, poses := range found {
				if i%each != 0 && !fields {
					continue
				}
				at := cover.Time(from) + cover.Time(i)/cover.Time(each)
				for n, p := range poses {
					if quad == "" {
						q := p.Map.Apply(corners[n])
						fmt.Fprintf(w, "%v,%d,%.4f,%.4f,%.4f,%s\n", at, n, q.X, q.Y, p.Confidence, p.State)
						continue
					}
					fmt.Fprintf(w, "%v", at)
					for _, q := range corners {
						q = p.Warp().Apply(q)
						fmt.Fprintf(w, ",%.4f,%.4f", q.X, q.Y)
					}
					fmt.Fprintf(w, ",%.4f,%s\n", p.Confidence, p.State)
				}
			}
			return nil
		})
	}
	return c
}

// meshPlaces are how many places are told of along each side of the box around a surface.
const meshPlaces = 17

// writeMesh writes where the places of a lattice over the box around a surface lie, a row each.
func writeMesh(w io.Writer, outline []geom.Point, found [][]track.Pose, at func(i int) (cover.Time, bool)) error {
	b := geom.Bounds(outline)
	fmt.Fprintln(w, "frame,x,y,to_x,to_y")
	for i, poses := range found {
		t, told := at(i)
		for k := 0; told && k < meshPlaces*meshPlaces; k++ {
			u, v := float64(k%meshPlaces)/(meshPlaces-1), float64(k/meshPlaces)/(meshPlaces-1)
			p := geom.Pt(b.Min.X+u*(b.Max.X-b.Min.X), b.Min.Y+v*(b.Max.Y-b.Min.Y))
			q := poses[0].Warp().Apply(p)
			fmt.Fprintf(w, "%v,%.3f,%.3f,%.3f,%.3f\n", t, p.X, p.Y, q.X, q.Y)
		}
	}
	return nil
}

// fill gives frames beyond a cut the last pose before it, lost.
func fill(found [][]track.Pose, reference int) {
	for _, way := range [2]int{-1, 1} {
		for i := reference; i >= 0 && i < len(found); i += way {
			if found[i] != nil || i == reference {
				continue
			}
			for _, p := range found[i-way] {
				found[i] = append(found[i], track.Pose{Map: p.Map, Bend: p.Bend, State: track.Lost})
			}
		}
	}
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

// write writes a file whole or not at all; "-" is standard output. What is there and no plain file, a pipe or a device,
// is written to and stays what it is.
func write(name string, f func(io.Writer) error) error {
	into := func(file *os.File) error {
		w := bufio.NewWriter(file)
		return errors.Join(f(w), w.Flush())
	}
	if name == "-" {
		return into(os.Stdout)
	}
	if special(name) {
		file, err := os.OpenFile(name, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		return errors.Join(into(file), file.Close())
	}
	part := name + ".part"
	file, err := os.Create(part)
	if err != nil {
		return err
	}
	if err := errors.Join(into(file), file.Close()); err != nil {
		os.Remove(part)
		return err
	}
	return os.Rename(part, name)
}

// special: there is something by a name, and it is no plain file.
func special(name string) bool {
	is, err := os.Stat(name)
	return err == nil && !is.Mode().IsRegular()
}

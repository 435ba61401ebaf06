package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"celator/core/cover"
	"celator/core/holdout"
	"celator/core/interchange"
	"celator/internal/follow"
	"celator/internal/media"
)

// holdoutOrder is what holdout is asked for.
type holdoutOrder struct {
	clip, track       string
	document, surface string
	out, into         string
	asJSON, accept    bool
	from, to          int
	set               holdout.Settings
}

func holdoutCommand() *cobra.Command {
	o := holdoutOrder{set: holdout.Usual}
	c := &cobra.Command{Use: "holdout", Short: "Find what passes in front of a followed surface"}
	f := c.Flags()
	f.StringVar(&o.clip, "clip", "", "clip to read")
	f.StringVar(&o.track, "track", "", "where the surface is, as track writes it")
	f.StringVar(&o.document, "document", "",
		"document with a track of the surface, instead of --track; - is standard input")
	f.StringVar(&o.surface, "surface", "", "the name of that track, where the document has several")
	f.StringVar(&o.out, "out", "",
		"folder for the mattes, a grey PNG of the clip's size for each frame: white is in front")
	f.StringVar(&o.into, "into", "", "file for the document with the holdout in it")
	f.BoolVar(&o.accept, "accept", false, "with --into: hold out at once what was found; else an editor accepts it")
	f.BoolVar(&o.asJSON, "json", false, "print what was found, frame by frame, as JSON")
	f.IntVar(&o.from, "from", 0, "first frame")
	f.IntVar(&o.to, "to", -1, "last frame; the clip's where not given")
	f.Float64Var(&o.set.Sensitivity, "sensitivity", o.set.Sensitivity,
		"0 to 1: how little speaks for the foreground where it is believed")
	f.Float64Var(&o.set.Edge, "edge", o.set.Edge, "how wide the soft edge may be on what is at rest, px")
	f.Float64Var(&o.set.Least, "least", o.set.Least, "the smallest area that counts, px²")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := o.check(); err != nil {
			return wrongUse{err}
		}
		info, err := media.Probe(cmd.Context(), o.clip)
		if err != nil {
			return fmt.Errorf("%s: %w", o.clip, err)
		}
		if o.to < 0 {
			o.to = info.Frames - 1
		}
		if o.from < 0 || o.to < o.from || o.to >= info.Frames {
			return wrongUse{fmt.Errorf("there are no frames %d to %d; the clip has 0 to %d", o.from, o.to, info.Frames-1)}
		}
		t, doc, err := o.followed(info)
		if err != nil {
			return err
		}
		if o.out != "" {
			if err := os.MkdirAll(o.out, 0o755); err != nil {
				return err
			}
		}
		j := follow.ForegroundOf(media.Clip{Path: o.clip, Info: info}, t, cover.Span{First: o.from, Last: o.to}, o.set)
		var mattes cover.Mattes
		j.Found = func(f int, found holdout.Found) error {
			m, err := follow.Matte(found)
			if err != nil {
				return err
			}
			mattes.Frames = append(mattes.Frames, m)
			if o.out == "" {
				return nil
			}
			return writeMatte(filepath.Join(o.out, fmt.Sprintf("matte-%06d.png", f)), found, info)
		}
		if _, err = j.Find(cmd.Context()); err != nil {
			return err
		}
		return o.tell(doc, t, &mattes)
	}
	return c
}

// check finds what cannot be meant.
func (o *holdoutOrder) check() error {
	switch {
	case o.clip == "":
		return errors.New("holdout needs --clip")
	case (o.track == "") == (o.document == ""):
		return errors.New("holdout needs --track, or --document with a track in it")
	case o.surface != "" && o.document == "":
		return errors.New("--surface names a track of --document")
	case o.out == "" && o.into == "" && !o.asJSON:
		return errors.New("holdout needs --out, --into or --json: somewhere for what it finds")
	case o.into != "" && o.document == "":
		return errors.New("--into needs --document: what the holdout is put into")
	case o.into == "-" && o.asJSON:
		return errors.New("--into - and --json both write to standard output")
	case o.accept && o.into == "":
		return errors.New("--accept goes with --into")
	case !(o.set.Sensitivity >= 0 && o.set.Sensitivity <= 1 && o.set.Edge >= 1 && o.set.Edge <= 40 && o.set.Least >= 0):
		return errors.New("--sensitivity is 0 to 1, --edge 1 to 40, --least 0 or more")
	}
	return nil
}

// followed returns the surface's track, and the document that it is in where there is one.
func (o *holdoutOrder) followed(info media.Info) (*cover.Track, *cover.Document, error) {
	if o.document == "" {
		b, err := os.ReadFile(o.track)
		if err != nil {
			return nil, nil, err
		}
		t, err := interchange.ParseTrackCSV(b, info.Frames)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", o.track, err)
		}
		return t, nil, nil
	}
	doc, err := readDocument(o.document)
	if err != nil {
		return nil, nil, err
	}
	if doc.Width != info.Width || doc.Height != info.Height || doc.Frames != info.Frames {
		return nil, nil, fmt.Errorf("the document is for %d frames of %dx%d; the clip has %d of %dx%d", doc.Frames, doc.Width,
			doc.Height, info.Frames, info.Width, info.Height)
	}
	var t *cover.Track
	for i := range doc.Tracks {
		k := &doc.Tracks[i]
		if k.Kind != cover.Surface || k.Poses == nil || o.surface != "" && k.Name != o.surface {
			continue
		}
		if t != nil {
			return nil, nil, errors.New("the document has several tracks of surfaces; --surface says which")
		}
		t = k
	}
	if t == nil {
		return nil, nil, errors.New("the document has no such track of a surface with its poses")
	}
	return t, doc, nil
}

// tell enters what was found into the document, and prints it.
func (o *holdoutOrder) tell(doc *cover.Document, t *cover.Track, found *cover.Mattes) error {
	found.First = o.from
	if o.into != "" {
		c := cover.Cover{
			ID: uuid.NewString(), Name: "In front of " + t.Name, Span: cover.Span{First: o.from, Last: o.to},
			Outlines: []cover.Outline{}, Treatments: []cover.Treatment{},
			Proposed: &cover.Proposed{
				Surface: t.ID, Run: uuid.NewString(), Sensitivity: o.set.Sensitivity, Edge: o.set.Edge, Least: o.set.Least,
				Accepted: []cover.Span{}, Strokes: []cover.Stroke{}, Mattes: found,
			},
		}
		for i := range doc.Covers {
			if k := &doc.Covers[i]; k.Track == t.ID && len(k.HoldsOut) == 0 {
				c.HoldsOut = append(c.HoldsOut, k.ID)
			}
		}
		if len(c.HoldsOut) == 0 {
			c.HoldsOut = []string{"*"}
		}
		if o.accept {
			c.Proposed.Accepted = append(c.Proposed.Accepted, c.Span)
		}
		doc.Covers = append(doc.Covers, c)
		if err := doc.Validate(); err != nil {
			return err
		}
		if err := write(o.into, func(to io.Writer) error { return json.NewEncoder(to).Encode(doc) }); err != nil {
			return err
		}
	}
	if !o.asJSON {
		return nil
	}
	type frame struct {
		Frame int         `json:"frame"`
		Share float64     `json:"share"`           // of the surface in the picture
		Place *[4]int     `json:"place,omitempty"` // x, y, width, height of what was found, px
		Move  *[2]float64 `json:"move,omitempty"`  // since the frame before, px
	}
	all := make([]frame, len(found.Frames))
	for i, m := range found.Frames {
		all[i] = frame{Frame: o.from + i, Share: m.Share}
		if r := m.Rect(); !r.Empty() {
			all[i].Place = &[4]int{r.Min.X, r.Min.Y, r.Dx(), r.Dy()}
		}
		if m.Move != nil {
			all[i].Move = &[2]float64{m.Move.X, m.Move.Y}
		}
	}
	return printJSON(all)
}

// writeMatte writes a frame's matte as a grey picture of the clip's size.
func writeMatte(path string, found holdout.Found, info media.Info) error {
	g := image.NewGray(image.Rect(0, 0, info.Width, info.Height))
	w := found.Rect.Dx()
	for y := range found.Rect.Dy() {
		copy(g.Pix[(found.Rect.Min.Y+y)*g.Stride+found.Rect.Min.X:], found.Pix[y*w:(y+1)*w])
	}
	return write(path, func(to io.Writer) error { return png.Encode(to, g) })
}

package deliver

import (
	"context"
	"path/filepath"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/media"
)

// Trial covers the middle of a clip, whatever it is, and writes it by a preset into a folder: what
// benches and tests hold files of all kinds to. As the source a few frames are covered, in the middle too, for the
// others to be copied.
func Trial(ctx context.Context, path, dir, preset string) (j Job, p Proof, err error) {
	info, err := media.Probe(ctx, path)
	if err != nil {
		return j, p, err
	}
	d := cover.New(info.Width, info.Height, info.Frames)
	d.Fields = info.First() != ""
	fill := cover.NewTreatment("t", cover.Fill)
	fill.Colour, fill.Around = "#3366aa", false
	w, h := float64(info.Width), float64(info.Height)
	d.Covers = []cover.Cover{{
		ID: "c", Name: "Trial", Span: cover.Span{Last: info.Frames - 1}, Treatments: []cover.Treatment{fill},
		Outlines: []cover.Outline{{ID: "o", Shape: cover.ShapeBox, Keys: []cover.PathKey{{
			Knots: geom.Box(geom.Rect{Min: geom.Pt(.375*w, .375*h), Max: geom.Pt(.625*w, .625*h)}),
		}}}},
	}}
	kind, err := info.For(preset)
	if err != nil {
		return j, p, err
	}
	if kind.Copies() {
		d.Covers[0].Span = cover.Span{First: info.Frames / 2, Last: info.Frames/2 + info.Frames/10}
	}
	j = Job{
		Clip: media.Clip{Path: path, Info: info}, Sound: path, Parts: Whole(d), Preset: kind, Last: info.Frames - 1,
		Total: info.Frames, Original: info, Out: filepath.Join(dir, "out"+kind.Ending),
	}
	if err = Render(ctx, j); err == nil {
		p, err = Verify(ctx, j, nil)
	}
	return j, p, err
}

package follow

import (
	"celator/core/cover"
	"celator/core/raster"
	"celator/core/track"
)

// Holdouts returns what a document's holdouts put in front, for Job.Hidden.
func Holdouts(d *cover.Document) func(f int) *track.Gray {
	return func(f int) *track.Gray {
		forms := d.Holdouts(cover.Time(f))
		if len(forms) == 0 {
			return nil
		}
		p := raster.Foreground(forms, d.Width, d.Height)
		return &track.Gray{W: d.Width, H: d.Height, Pix: p.Pix}
	}
}

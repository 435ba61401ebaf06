package follow

import (
	"fmt"
	"math"

	"celator/core/frame"
	"celator/core/geom"
	"celator/core/track"
)

// Channel is what of the picture is followed.
type Channel string

// The channels; Best is the one with the most contrast on the surface.
const (
	Luma  Channel = "luma"
	Red   Channel = "red"
	Green Channel = "green"
	Blue  Channel = "blue"
	Best  Channel = "best"
)

// Validate returns an error for a channel that there is not; none is luma.
func (c Channel) Validate() error {
	switch c {
	case "", Luma, Red, Green, Blue, Best:
		return nil
	}
	return fmt.Errorf("%q is no channel; there are luma, red, green, blue and best", c)
}

// Of returns a channel of a picture as code values of 8 bit.
func (c Channel) Of(p *frame.Picture) *track.Gray {
	g := track.NewGray(p.Width, p.Height)
	if c == "" || c == Luma {
		plane := p.Planes[0]
		if p.Depth > 8 {
			unit := 1 / float32(int(1)<<(p.Depth-8))
			for i := range g.Pix {
				g.Pix[i] = float32(uint16(plane[2*i])|uint16(plane[2*i+1])<<8) * unit
			}
			return g
		}
		for i, v := range plane[:len(g.Pix)] {
			g.Pix[i] = float32(v)
		}
		return g
	}
	at := map[Channel]int{Red: 0, Green: 1, Blue: 2}[c]
	for i, pix := 0, p.RGBA(p.Rect()).Pix; i < len(g.Pix); i++ {
		g.Pix[i] = float32(pix[4*i+at])
	}
	return g
}

// best returns the channel with the most contrast inside the box around an outline;
// without an outline luma.
func best(p *frame.Picture, outline []geom.Point) Channel {
	most, out := 0., Luma
	b := geom.Bounds(outline)
	for _, k := range []Channel{Luma, Red, Green, Blue} {
		g := k.Of(p)
		var n, s, ss float64
		for y := max(int(b.Min.Y), 0); y < min(int(math.Ceil(b.Max.Y)), g.H); y++ {
			for x := max(int(b.Min.X), 0); x < min(int(math.Ceil(b.Max.X)), g.W); x++ {
				v := float64(g.Pix[y*g.W+x])
				n, s, ss = n+1, s+v, ss+v*v
			}
		}
		// Chroma is coarser: another channel must have clearly more.
		if v := ss/n - s*s/n/n; k == Luma || v > 1.3*most {
			most, out = v, k
		}
	}
	return out
}

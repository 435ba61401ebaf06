package cleanplate

import (
	"math"

	"celator/core/frame"
	"celator/core/geom"
)

// A frame on which the surface was not surely found may still show parts of it that no other does, when something
// stands in front for long. But a look from a wrong place spoils the plate. So such looks are offered, and taken where
// they show in part what sure looks show, at the same places.

const (
	blockSide   = 12 // places on a side of a block that is compared
	alikeFrom   = .8 // correlation of a block with the same of a sure look, at least, that shows the same
	alikeBlocks = .3 // of a look's blocks with texture, those that are like a sure look's, at least: half may be hidden
	leastBlocks = 8  // with texture, to say so
	textured    = 12 // codes of a block's deviation, at least, that tell anything
	enoughSure  = 8  // looks: where there are fewer, all that are offered are taken, for one look alone tells nothing
)

// Offer is Add for a picture on which the surface was not surely found.
func (g *Gather) Offer(p *frame.Picture, w geom.Warp) {
	if look, ok := g.look(p, w); ok {
		g.offered = append(g.offered, look)
	}
}

// take adds those of the looks offered that are like sure ones.
func (g *Gather) take() {
	sure := g.looks
	for _, look := range g.offered {
		if len(sure) < enoughSure || g.alike(look[0], sure) {
			g.add(look, 1)
		}
	}
	g.offered = nil
}

// alike reports whether a look shows in part what sure looks show.
func (g *Gather) alike(look []int16, sure [][3][]int16) bool {
	var n, same float64
	for y := 0; y+blockSide <= g.H; y += blockSide {
		for x := 0; x+blockSide <= g.W; x += blockSide {
			if _, varies := g.correlate(look, look, x, y); varies < textured {
				continue
			}
			n++
			for _, s := range sure {
				if c, _ := g.correlate(look, s[0], x, y); c >= alikeFrom {
					same++
					break
				}
			}
		}
	}
	return n >= leastBlocks && same >= alikeBlocks*n
}

// correlate compares a block of two looks: their correlation, 0 where one does not show all of it, and the first's
// standard deviation, codes.
func (g *Gather) correlate(a, b []int16, x, y int) (c, varies float64) {
	var sa, sb, saa, sbb, sab float64
	for j := y; j < y+blockSide; j++ {
		for i := j*g.W + x; i < j*g.W+x+blockSide; i++ {
			if a[i] == beside || b[i] == beside {
				return 0, 0
			}
			u, v := float64(a[i])/16, float64(b[i])/16
			sa, sb, saa, sbb, sab = sa+u, sb+v, saa+u*u, sbb+v*v, sab+u*v
		}
	}
	const n = blockSide * blockSide
	va, vb := saa/n-sa*sa/n/n, sbb/n-sb*sb/n/n
	if va > 0 && vb > 0 {
		c = (sab/n - sa*sb/n/n) / math.Sqrt(va*vb)
	}
	return c, math.Sqrt(max(va, 0))
}

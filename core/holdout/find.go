// Package holdout finds what passes in front of a followed surface: the places where
// the picture differs from the surface as it looks when nothing is in front of it. A
// Finder compares frames with the surface's plate (core/cleanplate) and returns a soft matte
// for each. Nothing here does I/O.
//
// All code values are on the scale of 8 bit.
package holdout

import (
	"image"
	"math"

	"celator/core/cleanplate"
	"celator/core/frame"
	"celator/core/geom"
	"celator/core/raster"
)

// Settings are what the editor may tune.
type Settings struct {
	// Sensitivity, 0 to 1: how little speaks for the foreground where it is believed.
	Sensitivity float64 `json:"sensitivity" minimum:"0" maximum:"1"`
	// Edge is how wide the soft edge may be on a foreground at rest, px; motion adds to it.
	Edge float64 `json:"edge" minimum:"1" maximum:"40"`
	// Least is the smallest area that is held out, px².
	Least float64 `json:"least" minimum:"0" maximum:"100000"`
}

// Usual are the settings to begin with.
var Usual = Settings{Sensitivity: .5, Edge: 5, Least: 60}

// Found is what passes in front of the surface on one frame.
type Found struct {
	Rect  image.Rectangle // luma samples of the picture, on even coordinates
	Pix   []uint8         // the matte, row-major: 255 is foreground
	Share float64         // of the surface in the picture that is held out
	// Move is how far the foreground moved since the frame before, px; Moved is false
	// where that could not be seen.
	Move  geom.Point
	Moved bool
}

// A Finder compares the frames of a shot with a plate, in the order of time; what the
// foreground looked like on earlier frames helps on later ones. It is for one
// goroutine.
type Finder struct {
	plate *cleanplate.Plate
	set   Settings

	cleanplate.View                 // of the frame
	laid            cleanplate.Laid // the plate as seen on the frame
	inside          []float32       // share of each sample that the surface covers
	gain, veil      []float32       // local light: the plate's code times gain, and veil more
	agree           []float32       // how well the texture agrees, -1 to 1
	half            [9][]float32    // scratch, at half the size
	a, b, cc, d, e  []float32       // scratch
	own             []float32       // what a place and those next to it tell, -1 to 1
	odds            []float32       // log of how much likelier the foreground is
	strange         []float32       // the same, were its colours not known
	u               []float32       // the same after spreading, -1 to 1
	join            spreader
	light           float32 // of the last frame
	matrix          matrix  // of the last frame
	colours         colours
	shutter         [len(shutters)]float32 // how far frames differ from the plate at each
	last            past
}

// NewFinder begins on a plate.
func NewFinder(p *cleanplate.Plate, set Settings) *Finder {
	return &Finder{plate: p, set: set, light: 1}
}

// Find returns the foreground on a frame, given the warp from the reference frame's
// coordinates to its own and how far the surface's middle moves in the time of a frame,
// px. The rectangle is empty where the surface is out of the picture.
func (f *Finder) Find(p *frame.Picture, w geom.Warp, speed geom.Point) Found {
	r, bin := f.plate.Part(w, p.Width, p.Height)
	if r.Empty() {
		return Found{}
	}
	f.View.Read(p, r, bin)
	f.matrix = matrixOf(p.Format)
	f.lay(w)
	f.smear(speed.Mul(1 / float64(bin)))
	f.relight()
	known := f.colours.known()
	f.weigh()
	f.spread()
	if f.colours.learn(f) && !known { // what it looks like was not known before
		f.weigh()
		f.spread()
	}
	mask := f.decide()
	out := Found{Rect: r}
	out.Move, out.Moved = f.last.motion(f, mask)
	alpha := f.soften(mask, out.Move, out.Moved)
	out.Pix = f.full(alpha)
	out.Share = f.share(alpha)
	f.last.keep(f, mask, out.Move, out.Moved)
	return out
}

// lay puts the plate into the frame's place.
func (f *Finder) lay(w geom.Warp) {
	n := f.W * f.H
	for _, v := range []*[]float32{
		&f.gain, &f.veil, &f.agree, &f.a, &f.b, &f.cc, &f.d, &f.e, &f.odds, &f.strange, &f.own, &f.u,
	} {
		*v = cleanplate.Resize(*v, n)
	}
	f.laid.Lay(f.plate, w, &f.View)
	outline := w.Polygon(f.plate.Outline)
	for i, p := range outline {
		outline[i] = p.Sub(geom.Pt(float64(f.Rect.Min.X), float64(f.Rect.Min.Y))).Mul(1 / float64(f.Bin))
	}
	f.inside = raster.Fill(outline, image.Rect(0, 0, f.W, f.H)).Pix
}

// shutters are the shares of a frame's time that may smear a moving surface.
var shutters = [5]float64{0, .25, .5, .75, 1}

const (
	textureHalf   = 4.  // half-width of the texture that is compared, samples
	lightHalf     = 14. // and of what has the same light
	leastAgreeing = .34 // share of the looks that must agree
	beside        = .6  // how much counts what is seen beside the surface, which need not move with it
)

func sqr(v float32) float32 { return v * v }

// weigh finds for each sample the log of how much likelier it shows the foreground
// than the surface. The surface may be seen in its light; or, rarely, in a shadow or
// under a glint, which change its brightness as they like: then only its hue and its
// texture tell. The foreground may have any colour, and likely has those it had.
func (f *Finder) weigh() {
	nc := max(f.plate.Noise[1], f.plate.Noise[2])
	any := ln(1. / (220 * 2 * math.Pi * 26 * 26)) // colour
	for i := range f.odds {
		if f.laid.Sure[i] <= leastAgreeing { // in doubt nothing is held out
			f.odds[i], f.strange[i] = -1, -1
			continue
		}
		y := f.C[0][i] - cleanplate.Black
		b, r := f.C[1][i]-128, f.C[2][i]-128
		py, pb, pr := f.laid.Pix[0][i]-cleanplate.Black, f.laid.Pix[1][i]-128, f.laid.Pix[2][i]-128
		g := f.gain[i]
		sy := f.deviation(i)
		ic := 1 / (1.44 * (nc*nc + 1.5*sqr(f.laid.SpreadC[i]) + .2 +
			.2*(f.slope(f.laid.Pix[1], i)+f.slope(f.laid.Pix[2], i))))
		dy := (y - f.lit(i)) / sy
		dc := (sqr(b-g*pb) + sqr(r-g*pr)) * ic
		off := dy*dy + dc
		if off > 9 { // light may be misjudged where little of the surface is seen
			l := f.light
			dy, dc = (y-l*py)/sy, (sqr(b-l*pb)+sqr(r-l*pr))*ic
			off = min(off, dy*dy+dc+1)
		}
		lit := -.5*min(off, 60) - ln(15.7*sy/ic)
		own := max(any, f.colours.of(f.C[0][i], f.C[1][i], f.C[2][i]))
		trust := min(max((f.laid.Sure[i]-leastAgreeing)*4, 0), 1) * (beside + (1-beside)*f.inside[i])
		if lit > own+8 {
			f.odds[i], f.strange[i] = -8*trust, -8
			continue
		}
		dim := f.dim(i, y, b, r, ic)
		s := max(lit, dim) // of the two the likelier; their sum is hardly more
		f.odds[i], f.strange[i] = min(max(own-s, -8), 8)*trust+trust-1, any-s
	}
}

// ln is the natural logarithm of a positive number, within a hundredth.
func ln(v float32) float32 {
	b := math.Float32bits(v)
	e := float32(int32(b>>23) - 127)
	m := math.Float32frombits(b&0x7fffff | 0x3f800000)
	return (e + (-1.7417939 + (2.8212026+(-1.4699568+(.44717955-.056570851*m)*m)*m)*m)) * .6931472
}

// spread carries what is known to where little is, stopping at edges that both the
// picture and its difference from the surface have: the outlines of what is in front.
func (f *Finder) spread() {
	f.join.size(f.W, f.H)
	w := f.W
	// f.d: difference from the surface.
	for i := range f.d {
		f.d[i] = 0
		if f.laid.Sure[i] > leastAgreeing {
			f.d[i] = f.C[0][i] - cleanplate.Black - f.lit(i)
		}
	}
	ny, nc := 1/(3*f.plate.Noise[0]), 1/(3.5*max(f.plate.Noise[1], f.plate.Noise[2]))
	joints := func(out []float32, step int) {
		n := len(f.d) - step
		y, cb, cr, pb, pr, d := f.C[0][:n], f.C[1][:n], f.C[2][:n], f.laid.Pix[1][:n], f.laid.Pix[2][:n], f.d[:n]
		y2, cb2, cr2, pb2, pr2, d2 := f.C[0][step:][:n], f.C[1][step:][:n], f.C[2][step:][:n], f.laid.Pix[1][step:][:n],
			f.laid.Pix[2][step:][:n], f.d[step:][:n]
		for i, o := range out[:n] {
			b, r := cb[i]-cb2[i], cr[i]-cr2[i]
			pic := abs(y[i]-y2[i])*ny + (abs(b)+abs(r))*nc
			off := abs(d[i]-d2[i])*ny + (abs(b-pb[i]+pb2[i])+abs(r-pr[i]+pr2[i]))*nc
			o = 1
			if e := min(pic, off) - .6; e > 0 {
				e *= e
				o = 1 / (1 + e*(4+30*e)) // falls fast, and costs no exponential
			}
			out[i] = o
		}
	}
	joints(f.join.across, 1) // the last of a row is not joined to the next row: see rows
	joints(f.join.down, w)
	copy(f.join.num, f.odds)
	for i := range f.join.den {
		f.join.den[i] = 1
	}
	f.join.carry(evenOut, 1)
	for i, v := range f.join.num {
		f.own[i] = min(max(v/f.join.den[i]/5, -1), 1)
	}
	// What is around decides where little is known.
	for i, v := range f.own {
		f.join.num[i], f.join.den[i] = v, max(abs(v), .01)
	}
	f.join.carry(carryFar, 2)
	for i, v := range f.own {
		f.u[i] = v + .5*(1-abs(v))*f.join.num[i]/f.join.den[i]
	}
}

// decide makes the mask of what is in front: where more speaks for it, in areas of some
// size of which some are sure.
func (f *Finder) decide() []uint8 {
	n := f.W * f.H
	mask := make([]uint8, n)
	at := float32(.6 * (.5 - f.set.Sensitivity))
	for i := range mask {
		if f.u[i] > at && f.laid.Sure[i] > leastAgreeing {
			mask[i] = 1
		}
	}
	f.thick(mask)
	least := int(f.set.Least / float64(f.Bin*f.Bin))
	regions(mask, f.W, f.H, 1, func(area []int32) bool {
		if len(area) < least {
			return false
		}
		var sum float32
		for _, i := range area {
			sum += f.u[i]
		}
		return sum/float32(len(area)) > at+.15 && (len(area) > n/40 || f.comes(area))
	})
	// A hole in it is one where the surface shows plainly; else it is texture that happens to agree, or a place that
	// nothing is known of.
	regions(mask, f.W, f.H, 0, func(area []int32) bool {
		var sum float32
		for _, i := range area {
			sum += f.u[i]
		}
		plainly := float32(plainHole)
		if len(area) <= 2*least {
			plainly = plainSmallHole
		}
		return sum/float32(len(area)) < plainly || f.atRim(area)
	})
	return mask
}

// plainHole and plainSmallHole are how much, in the mean, speaks for the surface in holes of what is in front.
const (
	plainHole      = -.3
	plainSmallHole = -.6
)

const leastHalfWidth = 2. // half of the thickness, samples, at and under which nothing is in front

// refoundWithin is how far from where it was the foreground may be found again, in samples of
// the past.
const refoundWithin = 6

func abs(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }

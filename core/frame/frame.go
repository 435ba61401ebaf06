// Package frame holds pictures as they are decoded: planar Y'CbCr, 8 to 16 bit,
// 4:2:0, 4:2:2 or 4:4:4, or planar R'G'B', and moves regions of them to and from float32.
//
// Samples keep their code values throughout (0..255 for 8 bit, 0..1023 for 10).
// Luma sample (i, j) covers the unit square from (i, j); a chroma sample covers
// the luma samples it stands for.
package frame

import (
	"errors"
	"fmt"
	"image"
	"math"
)

// Range says which codes carry black and white.
type Range string

const (
	Limited Range = "tv" // luma 16..235, chroma 16..240 at 8 bit
	Full    Range = "pc" // 0..255
)

// Matrix names the R'G'B' to Y'CbCr coefficients.
type Matrix string

const (
	BT601  Matrix = "bt601"
	BT709  Matrix = "bt709"
	BT2020 Matrix = "bt2020"
	RGB    Matrix = "rgb" // no Y'CbCr: the planes are G', B', R', all of full size and range
)

// Format is the shape and meaning of a picture's samples.
type Format struct {
	Width, Height int
	Depth         int // bits per sample, 8 to 16; above 8 a sample is two bytes, little endian
	SubX, SubY    int // log2 of the chroma subsampling across and down: 0 or 1
	Range         Range
	Matrix        Matrix
	Alpha         bool  // a plane of opacity, as large as luma, follows the three; nothing changes it
	First         Field // that is shown first; Whole where pictures are not woven of fields
}

// ErrFormat says that a format is outside what the program works with.
var ErrFormat = errors.New("frame: unsupported picture format")

// MaxSide is the largest width or height accepted.
const MaxSide = 8192

// Validate returns ErrFormat, with the reason, for a format that cannot be used.
func (f Format) Validate() error {
	switch {
	case f.Width < 1 || f.Height < 1 || f.Width > MaxSide || f.Height > MaxSide:
		return fmt.Errorf("%w: %dx%d, the sides must be 1 to %d", ErrFormat, f.Width, f.Height, MaxSide)
	case f.Depth < 8 || f.Depth > 16:
		return fmt.Errorf("%w: %d bits per sample", ErrFormat, f.Depth)
	case f.Matrix == RGB && (f.SubX != 0 || f.SubY != 0 || f.Range != Full):
		return fmt.Errorf("%w: R'G'B' in other than whole planes of full range", ErrFormat)
	case f.SubX < 0 || f.SubX > 1 || f.SubY < 0 || f.SubY > 1 || f.SubY > f.SubX:
		return fmt.Errorf("%w: chroma subsampling", ErrFormat)
	}
	return nil
}

// Bytes is the size of one stored sample.
func (f Format) Bytes() int {
	if f.Depth > 8 {
		return 2
	}
	return 1
}

// Max is the largest code value.
func (f Format) Max() float32 { return float32(int(1)<<f.Depth - 1) }

// PlaneSize returns plane p's width and height in samples; odd sides of the
// luma round up for chroma.
func (f Format) PlaneSize(p int) (w, h int) {
	if p == 0 {
		return f.Width, f.Height
	}
	return (f.Width + f.SubX) >> f.SubX, (f.Height + f.SubY) >> f.SubY
}

// Sub returns the subsampling shifts of plane p.
func (f Format) Sub(p int) (x, y int) {
	if p == 0 {
		return 0, 0
	}
	return f.SubX, f.SubY
}

// Size is the number of bytes of a whole picture, planes after one another
// without padding, as ffmpeg's rawvideo has them.
func (f Format) Size() int {
	n := 0
	for p := range 3 {
		w, h := f.PlaneSize(p)
		n += w * h * f.Bytes()
	}
	if f.Alpha {
		n += f.Width * f.Height * f.Bytes()
	}
	return n
}

// Picture is one decoded frame.
type Picture struct {
	Format
	Data   []byte    // all planes, Size() bytes
	Planes [3][]byte // views into Data
}

// New returns a picture over data, which must hold f.Size() bytes; nil
// allocates.
func New(f Format, data []byte) *Picture {
	if data == nil {
		data = make([]byte, f.Size())
	}
	p := &Picture{Format: f, Data: data}
	at := 0
	for i := range p.Planes {
		w, h := f.PlaneSize(i)
		p.Planes[i] = data[at : at+w*h*f.Bytes()]
		at += w * h * f.Bytes()
	}
	return p
}

// FormatOf is the format of a decoded JPEG's samples: full range and BT.601 as JFIF has
// it, or ErrFormat for a subsampling other than 4:4:4, 4:2:2 or 4:2:0.
func FormatOf(img *image.YCbCr) (Format, error) {
	f := Format{Width: img.Rect.Dx(), Height: img.Rect.Dy(), Depth: 8, Range: Full, Matrix: BT601}
	switch img.SubsampleRatio {
	case image.YCbCrSubsampleRatio444:
	case image.YCbCrSubsampleRatio422:
		f.SubX = 1
	case image.YCbCrSubsampleRatio420:
		f.SubX, f.SubY = 1, 1
	default:
		return f, fmt.Errorf("%w: chroma subsampling %v", ErrFormat, img.SubsampleRatio)
	}
	return f, nil
}

// FromYCbCr returns the samples of a decoded JPEG (FormatOf).
func FromYCbCr(img *image.YCbCr) (*Picture, error) {
	f, err := FormatOf(img)
	if err != nil {
		return nil, err
	}
	p := New(f, nil)
	for plane, src := range [][]byte{img.Y, img.Cb, img.Cr} {
		w, h := p.PlaneSize(plane)
		stride := img.CStride
		if plane == 0 {
			stride = img.YStride
		}
		for y := range h {
			copy(p.Row(plane, y, 0, w), src[y*stride:])
		}
	}
	return p, nil
}

// Clone returns a picture with its own copy of the samples.
func (p *Picture) Clone() *Picture { return New(p.Format, append([]byte(nil), p.Data...)) }

// Rect is the picture's luma rectangle.
func (p *Picture) Rect() image.Rectangle { return image.Rect(0, 0, p.Width, p.Height) }

// Row returns the stored bytes of samples x0..x1 in row y of a plane.
func (p *Picture) Row(plane, y, x0, x1 int) []byte {
	w, _ := p.PlaneSize(plane)
	b := p.Bytes()
	return p.Planes[plane][(y*w+x0)*b : (y*w+x1)*b]
}

// Plane is a rectangle of one plane's samples as float32 code values.
type Plane struct {
	Rect image.Rectangle // in samples of that plane
	Pix  []float32       // row-major, Rect.Dx() wide
}

// NewPlane returns a plane of zeros.
func NewPlane(r image.Rectangle) Plane {
	return Plane{r, make([]float32, max(r.Dx(), 0)*max(r.Dy(), 0))}
}

// Row returns row y (in plane coordinates).
func (p Plane) Row(y int) []float32 {
	w := p.Rect.Dx()
	return p.Pix[(y-p.Rect.Min.Y)*w : (y-p.Rect.Min.Y+1)*w]
}

// PlaneRect returns the samples of plane pl that cover the luma rectangle r.
func (f Format) PlaneRect(pl int, r image.Rectangle) image.Rectangle {
	sx, sy := f.Sub(pl)
	w, h := f.PlaneSize(pl)
	return image.Rect(r.Min.X>>sx, r.Min.Y>>sy, (r.Max.X+(1<<sx)-1)>>sx, (r.Max.Y+(1<<sy)-1)>>sy).
		Intersect(image.Rect(0, 0, w, h))
}

// Read returns the samples of rectangle r (in samples of that plane), which may
// reach outside the picture: its edge samples are repeated there.
func (p *Picture) Read(plane int, r image.Rectangle) Plane {
	out := NewPlane(r)
	w, h := p.PlaneSize(plane)
	x0, x1 := min(max(r.Min.X, 0), w), max(min(r.Max.X, w), 0)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		yy := min(max(y, 0), h-1)
		row := out.Row(y)
		if x0 >= x1 { // wholly beside the picture
			s := p.sample(plane, min(max(r.Min.X, 0), w-1), yy)
			for i := range row {
				row[i] = s
			}
			continue
		}
		src, mid := p.Row(plane, yy, x0, x1), row[x0-r.Min.X:x1-r.Min.X]
		if p.Depth > 8 {
			for i := range mid {
				mid[i] = float32(uint16(src[2*i]) | uint16(src[2*i+1])<<8)
			}
		} else {
			for i, s := range src {
				mid[i] = float32(s)
			}
		}
		for i := range row[:x0-r.Min.X] {
			row[i] = mid[0]
		}
		for i := x1 - r.Min.X; i < len(row); i++ {
			row[i] = mid[len(mid)-1]
		}
	}
	return out
}

func (p *Picture) sample(plane, x, y int) float32 {
	s := p.Row(plane, y, x, x+1)
	if p.Depth > 8 {
		return float32(uint16(s[0]) | uint16(s[1])<<8)
	}
	return float32(s[0])
}

// Mix lays new over the picture's samples through alpha (0..1, same rectangle):
// old + alpha*(new-old), rounded to the nearest code and clipped to the format.
// Where alpha is 0 the stored sample is not touched.
func (p *Picture) Mix(plane int, new Plane, alpha Plane) {
	w, h := p.PlaneSize(plane)
	r := new.Rect.Intersect(alpha.Rect).Intersect(image.Rect(0, 0, w, h))
	top := p.Max()
	for y := r.Min.Y; y < r.Max.Y; y++ {
		dst := p.Row(plane, y, r.Min.X, r.Max.X)
		a := alpha.Row(y)[r.Min.X-alpha.Rect.Min.X:][:r.Dx()]
		n := new.Row(y)[r.Min.X-new.Rect.Min.X:][:r.Dx()]
		if p.Depth > 8 {
			for i, m := range a {
				if m <= 0 {
					continue
				}
				old := float32(uint16(dst[2*i]) | uint16(dst[2*i+1])<<8)
				v := uint16(clip(old+m*(n[i]-old)+.5, top))
				dst[2*i], dst[2*i+1] = byte(v), byte(v>>8)
			}
		} else {
			for i, m := range a {
				if m <= 0 {
					continue
				}
				old := float32(dst[i])
				dst[i] = byte(clip(old+m*(n[i]-old)+.5, top))
			}
		}
	}
}

// clip is min(max(v, 0), top) for numbers, without the care that those take of others.
func clip(v, top float32) float32 {
	if v > top {
		return top
	}
	if v >= 0 {
		return v
	}
	return 0
}

// Coefficients returns Kr and Kb of the format's matrix, the shares of red and blue in luma. ITU-R BT.601-7,
// BT.709-6, BT.2020-2.
func (f Format) Coefficients() (kr, kb float64) {
	switch f.Matrix {
	case BT601:
		return .299, .114
	case BT2020:
		return .2627, .0593
	}
	return .2126, .0722
}

// scale returns black's luma code, the luma and the chroma excursion, and the
// chroma zero, in code values of the format's depth.
func (f Format) scale() (black, luma, chroma, zero float64) {
	unit := float64(int(1) << (f.Depth - 8))
	if f.Range == Full {
		top := float64(f.Max())
		return 0, top, top, 128 * unit
	}
	return 16 * unit, 219 * unit, 224 * unit, 128 * unit
}

// Levels returns the codes of no light and of full light of a plane; of a chroma plane
// both are that of no colour.
func (f Format) Levels(plane int) (none, full float32) {
	if f.Matrix == RGB {
		return 0, f.Max()
	}
	black, luma, _, zero := f.scale()
	if plane > 0 {
		return float32(zero), float32(zero)
	}
	return float32(black), float32(black + luma)
}

// Encode returns the codes, in the order of the planes, of a R'G'B' colour, each component 0..1. The
// codes are not rounded.
func (f Format) Encode(r, g, b float64) [3]float32 {
	if f.Matrix == RGB {
		top := float64(f.Max())
		return [3]float32{float32(g * top), float32(b * top), float32(r * top)}
	}
	kr, kb := f.Coefficients()
	black, luma, chroma, zero := f.scale()
	y := kr*r + (1-kr-kb)*g + kb*b
	return [3]float32{
		float32(black + luma*y),
		float32(zero + chroma*(b-y)/(2*(1-kb))),
		float32(zero + chroma*(r-y)/(2*(1-kr))),
	}
}

// RGBA returns the luma rectangle r as 8-bit R'G'B', opaque. Chroma is taken
// bilinearly at luma sample centres (sited midway), as a display does.
func (p *Picture) RGBA(r image.Rectangle) *image.RGBA {
	r = r.Intersect(p.Rect())
	out := image.NewRGBA(r)
	// In bands: in between each sample is a float32, which for whole large pictures would
	// take five times their size.
	const band = 64
	for y := r.Min.Y; y < r.Max.Y; y += band {
		part := image.Rect(r.Min.X, y, r.Max.X, min(y+band, r.Max.Y))
		p.rgba(part, out.SubImage(part).(*image.RGBA))
	}
	return out
}

// rgba converts a part of the picture into out, of that part.
func (p *Picture) rgba(r image.Rectangle, out *image.RGBA) {
	if p.Matrix == RGB {
		scale := 255 / p.Max()
		for plane, at := range [3]int{1, 2, 0} {
			for i, v := range p.Read(plane, r).Pix {
				out.Pix[4*i+at] = clip8(v * scale)
				out.Pix[4*i+3] = 255
			}
		}
		return
	}
	kr, kb := p.Coefficients()
	black, luma, chroma, zero := p.scale()
	kg := 1 - kr - kb
	ys := float32(255 / luma)
	rv := float32(255 / chroma * 2 * (1 - kr))
	bu := float32(255 / chroma * 2 * (1 - kb))
	gu := float32(255 / chroma * 2 * kb * (1 - kb) / kg)
	gv := float32(255 / chroma * 2 * kr * (1 - kr) / kg)
	b0, z0 := float32(black), float32(zero)

	const beside = 3 // lines of chroma that may be asked for: those of a field lie two apart
	pad := image.Rect(r.Min.X>>p.SubX-1, r.Min.Y>>p.SubY-beside, (r.Max.X-1)>>p.SubX+2, (r.Max.Y-1)>>p.SubY+1+beside)
	yy := p.Read(0, r)
	cb, cr := p.Read(1, pad), p.Read(2, pad)
	rowB, rowR := make([]float32, pad.Dx()), make([]float32, pad.Dx())
	for y := r.Min.Y; y < r.Max.Y; y++ {
		c0, c1, t := p.down(y)
		for i, ub := range cb.Row(c0) {
			rowB[i] = ub + t*(cb.Row(c1)[i]-ub) - z0
		}
		for i, ur := range cr.Row(c0) {
			rowR[i] = ur + t*(cr.Row(c1)[i]-ur) - z0
		}
		dst := out.Pix[(y-r.Min.Y)*out.Stride:]
		for i, l := range yy.Row(y) {
			x0, x1, t := siting(r.Min.X+i, p.SubX)
			x0, x1 = x0-pad.Min.X, x1-pad.Min.X
			u := rowB[x0] + t*(rowB[x1]-rowB[x0])
			v := rowR[x0] + t*(rowR[x1]-rowR[x0])
			l = (l - b0) * ys
			dst[4*i], dst[4*i+1], dst[4*i+2], dst[4*i+3] = clip8(l+rv*v), clip8(l-gu*u-gv*v), clip8(l+bu*u), 255
		}
	}
}

// down is siting down the picture, where the chroma of a woven one belongs to its field.
func (f Format) down(y int) (a, b int, t float32) {
	if f.First == Whole || f.SubY == 0 {
		return siting(y, f.SubY)
	}
	_, h := f.PlaneSize(1)
	last := (h - 1 - y&1) / 2 // of the field's lines
	a, b, t = siting(y>>1, f.SubY)
	return 2*min(max(a, 0), last) + y&1, 2*min(b, last) + y&1, t
}

// siting returns the two chroma samples around luma sample i and the weight of
// the second.
func siting(i, sub int) (a, b int, t float32) {
	if sub == 0 {
		return i, i, 0
	}
	if i&1 == 0 {
		return i>>1 - 1, i >> 1, .75
	}
	return i >> 1, i>>1 + 1, .25
}

func clip8(v float32) byte { return byte(min(max(v+.5, 0), 255)) }

// ParseHex reads a colour "#rrggbb" as components 0..1.
func ParseHex(s string) (r, g, b float64, err error) {
	var v [3]uint8
	if n, e := fmt.Sscanf(s, "#%02x%02x%02x", &v[0], &v[1], &v[2]); e != nil || n != 3 || len(s) != 7 {
		return 0, 0, 0, fmt.Errorf("frame: %q is not a colour, write it as #rrggbb", s)
	}
	return float64(v[0]) / 255, float64(v[1]) / 255, float64(v[2]) / 255, nil
}

// Differ counts the samples of a plane that differ by more than tol codes
// between p and q (same format), leaving out those for which skip, of that
// plane's whole size or nil, is above 0.
func Differ(p, q *Picture, plane int, skip *Plane, tol int) int {
	w, h := p.PlaneSize(plane)
	n := 0
	for y := range h {
		a, b := p.Row(plane, y, 0, w), q.Row(plane, y, 0, w)
		if string(a) == string(b) {
			continue
		}
		for x := range w {
			if skip != nil && skip.Pix[y*w+x] > 0 {
				continue
			}
			if math.Abs(float64(p.sample(plane, x, y)-q.sample(plane, x, y))) > float64(tol) {
				n++
			}
		}
	}
	return n
}

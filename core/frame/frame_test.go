package frame

import (
	"image"
	"math"
	"math/rand"
	"testing"
)

var formats = []Format{
	{Width: 33, Height: 21, Depth: 8, SubX: 1, SubY: 1, Range: Limited, Matrix: BT709},
	{Width: 32, Height: 20, Depth: 10, SubX: 1, SubY: 0, Range: Limited, Matrix: BT2020},
	{Width: 31, Height: 19, Depth: 12, Range: Full, Matrix: BT601},
}

func noise(f Format) *Picture {
	p, rng := New(f, nil), rand.New(rand.NewSource(1))
	for i := 0; i < len(p.Data); i += f.Bytes() {
		v := rng.Intn(1 << f.Depth)
		p.Data[i] = byte(v)
		if f.Bytes() == 2 {
			p.Data[i+1] = byte(v >> 8)
		}
	}
	return p
}

// What is read and laid back wholly is the same sample; at alpha 0 none is
// touched; half way is half way; beyond the edges the edge is repeated.
func TestReadAndMix(t *testing.T) {
	for _, f := range formats {
		p := noise(f)
		for plane := range 3 {
			w, h := f.PlaneSize(plane)
			big := image.Rect(-5, -4, w+6, h+3)
			got := p.Read(plane, big)
			for y := big.Min.Y; y < big.Max.Y; y++ {
				for i, v := range got.Row(y) {
					x := big.Min.X + i
					if want := p.sample(plane, min(max(x, 0), w-1), min(max(y, 0), h-1)); v != want {
						t.Fatalf("%+v plane %d at %d,%d: %g, want %g", f, plane, x, y, v, want)
					}
				}
			}
			far := p.Read(plane, image.Rect(w+10, 2, w+14, 5))
			if far.Pix[0] != p.sample(plane, w-1, 2) {
				t.Fatal("wholly beside the picture the edge is not repeated")
			}
			q := p.Clone()
			one := NewPlane(big)
			for i := range one.Pix {
				one.Pix[i] = 1
			}
			q.Mix(plane, got, one)
			if Differ(p, q, plane, nil, 0) != 0 {
				t.Fatal("reading and laying back changes samples")
			}
			other := NewPlane(big)
			for i := range other.Pix {
				other.Pix[i] = float32(i%7) * f.Max() // also beyond the codes
			}
			q.Mix(plane, other, NewPlane(big))
			if Differ(p, q, plane, nil, 0) != 0 {
				t.Fatal("alpha 0 changes samples")
			}
			half := NewPlane(big)
			for i := range half.Pix {
				half.Pix[i] = .5
			}
			q.Mix(plane, other, half)
			for y := range h {
				for x := range w {
					was, lay := p.sample(plane, x, y), other.Row(y)[x-big.Min.X]
					want := math.Floor(float64(min(max((was+lay)/2+.5, 0), f.Max())))
					if math.Abs(float64(q.sample(plane, x, y))-want) > 1 {
						t.Fatalf("half way between %g and %g is %g", was, lay, q.sample(plane, x, y))
					}
				}
			}
		}
	}
}

// A colour's codes come back as the colour.
func TestColourRoundTrip(t *testing.T) {
	for _, f := range formats {
		f.Width, f.Height = 8, 8
		for _, c := range [][3]int{{0, 0, 0}, {255, 255, 255}, {200, 30, 90}, {12, 130, 250}, {128, 128, 128}} {
			p := New(f, nil)
			for plane, v := range f.Encode(float64(c[0])/255, float64(c[1])/255, float64(c[2])/255) {
				w, h := f.PlaneSize(plane)
				r := image.Rect(0, 0, w, h)
				flat, one := NewPlane(r), NewPlane(r)
				for i := range flat.Pix {
					flat.Pix[i], one.Pix[i] = v, 1
				}
				p.Mix(plane, flat, one)
			}
			got := p.RGBA(p.Rect()).RGBAAt(4, 4)
			for i, v := range []uint8{got.R, got.G, got.B} {
				if math.Abs(float64(v)-float64(c[i])) > 2 {
					t.Errorf("%+v: %v comes back as %v", f, c, got)
				}
			}
		}
	}
}

func TestImpossibleFormats(t *testing.T) {
	for _, f := range []Format{
		{Width: 0, Height: 5, Depth: 8},
		{Width: 5, Height: MaxSide + 1, Depth: 8},
		{Width: 5, Height: 5, Depth: 7},
		{Width: 5, Height: 5, Depth: 8, SubY: 1},
		{Width: 5, Height: 5, Depth: 8, SubX: 2},
	} {
		if f.Validate() == nil {
			t.Errorf("%+v was taken", f)
		}
	}
}

package reading

import (
	"cmp"
	"context"
	"image"
	"math"
	"slices"

	"celator/core/geom"
)

const (
	faceSide   = 256 // samples of what the network is given
	SmallFace  = 20. // pixels: faces from this size on can be found
	maybeFace  = .5  // how sure the first look must be
	isFace     = .7  // and the second, at another size
	secondWide = 4.5 // times the face's box: what is looked at then
	sameFace   = .3  // of two boxes' union that they share, if they are of one face
	faceLap    = 72  // samples by which parts overlap: a face seen in half is not found
	faceCoarse = 2   // by how much each look is coarser than the one before
)

// The anchors lie in cells of two grids.
var grids = [2]struct{ cells, each int }{{16, 2}, {8, 6}}

// Faces finds faces of so many pixels and more, 20 at least, from the forehead to the chin, upright boxes.
// The picture is looked at in parts, from a size at which those are large enough down to where one part is all of it.
func (r *Reader) Faces(ctx context.Context, pic *image.RGBA, least float64) ([]Box, error) {
	least = max(least, SmallFace)
	b := pic.Bounds()
	var windows []window
	small := pic
	for scale := SmallFace / least; ; scale /= faceCoarse {
		w, h := int(float64(b.Dx())*scale), int(float64(b.Dy())*scale)
		small = resized(small, max(w, 1), max(h, 1))
		for _, y := range pieces(h, faceSide, faceLap) {
			for _, x := range pieces(w, faceSide, faceLap) {
				windows = append(windows, window{small, x[0], y[0], scale})
			}
		}
		if w <= faceSide && h <= faceSide {
			break
		}
	}
	found, err := each(ctx, windows, func(ctx context.Context, w window) ([]Box, error) {
		return r.facesIn(ctx, w.pic, w.x, w.y)
	})
	var all []Box
	for i, boxes := range found {
		w := windows[i]
		for _, f := range boxes {
			for k, p := range f.Quad {
				f.Quad[k] = geom.Pt((p.X+float64(w.x))/w.scale+float64(b.Min.X), (p.Y+float64(w.y))/w.scale+float64(b.Min.Y))
			}
			if f.Quad.Width() >= least {
				all = append(all, f)
			}
		}
	}
	if err != nil {
		return nil, err
	}
	return r.surely(ctx, pic, single(all))
}

// window is a part of a picture at a scale, as large as the network takes.
type window struct {
	pic   *image.RGBA
	x, y  int
	scale float64
}

// surely looks at each face once more, as large as the network knows faces best, and keeps those that are still one,
// about where they were: windows and wheels look like faces at one size alone.
func (r *Reader) surely(ctx context.Context, pic *image.RGBA, all []Box) (out []Box, err error) {
	for _, f := range all {
		c, side := f.Quad.Centre(), secondWide*max(f.Quad.Width(), f.Quad.Height())
		from := geom.Pt(c.X-side/2, c.Y-side/2)
		k := side / faceSide
		part := image.NewRGBA(image.Rect(0, 0, faceSide, faceSide))
		sampled(pic, part, from, k)
		found, err := r.facesIn(ctx, part, 0, 0)
		if err != nil {
			return nil, err
		}
		for _, g := range found {
			for i, p := range g.Quad {
				g.Quad[i] = from.Add(p.Mul(k))
			}
			if g.Sure >= isFace && share(g.Quad.Bounds(), f.Quad.Bounds()) >= sameFace {
				out = append(out, g)
				break
			}
		}
	}
	return single(out), nil
}

// sampled fills a square with a part of a picture that begins at a place, k of its pixels for one; beyond its rim it
// is grey.
func sampled(pic, out *image.RGBA, from geom.Point, k float64) {
	fine := max(1, int(math.Ceil(k)))
	n := float32(fine * fine)
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			sum := [3]float32{}
			for i := range fine * fine {
				p := from.Add(geom.Pt(float64(x)+(float64(i%fine)+.5)/float64(fine),
					float64(y)+(float64(i/fine)+.5)/float64(fine)).Mul(k))
				c := [3]float32{128, 128, 128}
				if image.Pt(int(math.Floor(p.X)), int(math.Floor(p.Y))).In(pic.Rect) {
					c = at(pic, p)
				}
				for j := range sum {
					sum[j] += c[j]
				}
			}
			o := out.PixOffset(x, y)
			out.Pix[o], out.Pix[o+1], out.Pix[o+2] = uint8(sum[0]/n+.5), uint8(sum[1]/n+.5), uint8(sum[2]/n+.5)
			out.Pix[o+3] = 255
		}
	}
}

// facesIn finds faces in the part of a picture that begins at x, y.
func (r *Reader) facesIn(ctx context.Context, pic *image.RGBA, x0, y0 int) ([]Box, error) {
	in := NewTensor(1, faceSide, faceSide, 3)
	b := pic.Bounds()
	for y := range min(faceSide, b.Dy()-y0) {
		row := pic.Pix[pic.PixOffset(x0, y0+y):]
		for x := range min(faceSide, b.Dx()-x0) {
			for c := range 3 {
				in.Data[(y*faceSide+x)*3+c] = float32(row[4*x+c])/127.5 - 1
			}
		}
	}
	out, err := r.Net.Run(ctx, Faces, in)
	if err != nil {
		return nil, err
	}
	if len(out) != 4 {
		return nil, Tensor{}.check(-1)
	}
	var found []Box
	for g, grid := range grids {
		n := grid.cells * grid.cells * grid.each
		score, box := out[g], out[g+2]
		if err := cmp.Or(score.check(1, n, 1), box.check(1, n, 16)); err != nil {
			return nil, err
		}
		for i := range n {
			sure := 1 / (1 + math.Exp(-float64(score.Data[i])))
			if sure < maybeFace {
				continue
			}
			cell := i / grid.each
			step := float64(faceSide) / float64(grid.cells)
			v := box.Data[i*16:]
			cx := (float64(cell%grid.cells)+.5)*step + float64(v[0])
			cy := (float64(cell/grid.cells)+.5)*step + float64(v[1])
			w, h := float64(v[2])/2, float64(v[3])/2
			found = append(found, Box{geom.Quad{
				geom.Pt(cx-w, cy-h), geom.Pt(cx+w, cy-h), geom.Pt(cx+w, cy+h), geom.Pt(cx-w, cy+h),
			}, sure})
		}
	}
	return single(found), nil
}

// single joins boxes of one face into their mean, weighted by how sure they are.
func single(all []Box) []Box {
	slices.SortStableFunc(all, func(a, b Box) int { return cmp.Compare(b.Sure, a.Sure) })
	var out []Box
	for len(all) > 0 {
		var rest []Box
		var mean geom.Quad
		var sum float64
		for _, b := range all {
			if share(all[0].Quad.Bounds(), b.Quad.Bounds()) < sameFace {
				rest = append(rest, b)
				continue
			}
			for k := range mean {
				mean[k] = mean[k].Add(b.Quad[k].Mul(b.Sure))
			}
			sum += b.Sure
		}
		for k := range mean {
			mean[k] = mean[k].Mul(1 / sum)
		}
		out = append(out, Box{mean, all[0].Sure})
		all = rest
	}
	return out
}

// share is how much of two boxes' union both hold.
func share(a, b geom.Rect) float64 {
	c := a.Common(b)
	return c / max(a.Area()+b.Area()-c, 1e-9)
}

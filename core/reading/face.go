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
	smallFace  = 20  // pixels: faces from this size on are looked for
	isFace     = .75
	sameFace   = .3 // of two boxes' union that they share, if they are of one face
	faceLap    = 72 // samples by which parts overlap: a face seen in half is not found
	faceCoarse = 2  // by how much each look is coarser than the one before
)

// The anchors lie in cells of two grids.
var grids = [2]struct{ cells, each int }{{16, 2}, {8, 6}}

// Faces finds faces of 20 pixels and more, from the forehead to the chin, upright boxes.
// The picture is looked at in parts, from its own size on down to where one part is all of it.
func (r *Reader) Faces(ctx context.Context, pic *image.RGBA) ([]Box, error) {
	b := pic.Bounds()
	var all []Box
	for scale := 1.0; ; scale /= faceCoarse {
		w, h := int(float64(b.Dx())*scale), int(float64(b.Dy())*scale)
		last := w <= faceSide && h <= faceSide
		small := resized(pic, max(w, 1), max(h, 1))
		for _, y := range pieces(h, faceSide, faceLap) {
			for _, x := range pieces(w, faceSide, faceLap) {
				x, y := x[0], y[0]
				found, err := r.facesIn(ctx, small, x, y)
				if err != nil {
					return nil, err
				}
				for _, f := range found {
					for k, p := range f.Quad {
						f.Quad[k] = geom.Pt((p.X+float64(x))/scale+float64(b.Min.X), (p.Y+float64(y))/scale+float64(b.Min.Y))
					}
					if f.Quad.Width() >= smallFace {
						all = append(all, f)
					}
				}
			}
		}
		if last {
			return single(all), nil
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
			if sure < isFace {
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

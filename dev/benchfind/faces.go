package main

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"math"
	"os"

	"golang.org/x/image/draw"

	"celator/core/reading"
	"celator/dev/floor"
)

// lfw are small grey pictures: 100 faces of as many people, then 100 of no face, of 25 px each
// (a subset of "Labeled Faces in the Wild", with python3-skimage).
const (
	lfw     = "/usr/lib/python3/dist-packages/skimage/data/lfw_subset.npy"
	lfwSide = 25
	people  = 100
)

// faces measures on photographs of people laid onto other photographs at several sizes: in one of
// them, which is enlarged two- and threefold, little is left to see.
func faces(r *reading.Reader, pictures []image.Image, kept bool) {
	b, err := os.ReadFile(lfw)
	if errors.Is(err, os.ErrNotExist) {
		fmt.Println("faces: python3-skimage, which has pictures of people, is not installed")
		return
	}
	must(err)
	begin := 10 + int(binary.LittleEndian.Uint16(b[8:]))
	mine := 0
	if kept {
		mine = 1
	}
	found, false_, all := map[int]int{}, 0, 0
	for k := mine; k < people; k += 2 {
		face := image.NewGray(image.Rect(0, 0, lfwSide, lfwSide))
		for i := range face.Pix {
			v := math.Float64frombits(binary.LittleEndian.Uint64(b[begin+8*(k*len(face.Pix)+i):]))
			face.Pix[i] = uint8(v * 255)
		}
		pic := image.NewRGBA(image.Rect(0, 0, 1280, 720))
		back := pictures[(k+mine)%len(pictures)]
		draw.ApproxBiLinear.Scale(pic, pic.Rect, back, back.Bounds(), draw.Src, nil)
		at := map[int]image.Rectangle{}
		for i, side := range []int{40, 60, 90} {
			x := 160 + 390*i + 37*k%90
			at[side] = image.Rect(x, 200+23*k%200, x+side, 200+23*k%200+side)
			draw.CatmullRom.Scale(pic, at[side], face, face.Rect, draw.Src, nil)
		}
		got, err := r.Faces(context.Background(), pic, reading.SmallFace)
		must(err)
		all++
		for _, f := range got {
			c := f.Quad.Centre()
			hit := false
			for side, box := range at {
				if image.Pt(int(c.X), int(c.Y)).In(box) {
					found[side]++
					hit = true
				}
			}
			if !hit {
				false_++
			}
		}
	}
	sum := 0
	for _, side := range []int{40, 60, 90} {
		fmt.Printf("faces of %d px: %d of %d found\n", side, found[side], all)
		sum += found[side]
	}
	fmt.Printf("faces that are none: %d in %d pictures\n", false_, all)
	floor.AtLeast("faces of 40 px and more found, share", float64(sum)/float64(3*max(all, 1)), .9)
}

package media

import (
	"fmt"
	"strings"

	"celator/core/frame"
)

// decodedAs maps coded pixel formats to the planar ones that ffmpeg gives them as; each step
// only moves samples and changes none.
var decodedAs = map[string]string{
	"nv12": "yuv420p", "nv21": "yuv420p", "p010le": "yuv420p10le", "yuyv422": "yuv422p", "uyvy422": "yuv422p",
	"nv16": "yuv422p", "p210le": "yuv422p10le", "yuv411p": "yuv411p", "gray": "gray", "gray10le": "gray10le",
	"gray12le": "gray12le", "gray16le": "gray16le", "rgb48le": "gbrp16le", "rgb48be": "gbrp16le",
	"rgba64le": "rgba64le", "rgba64be": "rgba64le",
}

func init() {
	for _, depth := range []string{"", "10le", "12le", "14le", "16le"} {
		for _, sub := range []string{"420", "422", "444"} {
			decodedAs["yuv"+sub+"p"+depth] = "yuv" + sub + "p" + depth
			if depth != "14le" {
				decodedAs["yuva"+sub+"p"+depth] = "yuva" + sub + "p" + depth
			}
		}
		decodedAs["gbrp"+depth] = "gbrp" + depth
		decodedAs["gbrp"+strings.Replace(depth, "le", "be", 1)] = "gbrp" + depth
		if depth != "14le" {
			decodedAs["gbrap"+depth] = "gbrap" + depth
		}
	}
	for _, sub := range []string{"420", "422", "444"} {
		decodedAs["yuvj"+sub+"p"] = "yuvj" + sub + "p"
	}
	for _, rgb := range []string{"rgb24", "bgr24", "rgb0", "bgr0", "0rgb", "0bgr"} {
		decodedAs[rgb] = "gbrp"
	}
	for _, rgb := range []string{"rgba", "bgra", "argb", "abgr"} {
		decodedAs[rgb] = "rgba" // ffmpeg rounds opacity on the way to planes and back
	}
}

// PlanarFormat is the pixel format that ffmpeg gives pictures of this file as.
func (i Info) PlanarFormat() string { return decodedAs[i.PixFmt] }

func (i Info) gray() bool { return strings.HasPrefix(i.PlanarFormat(), "gray") }

// Quarter says that a sample of chroma stands for four samples of luma across (4:1:1).
func (i Info) Quarter() bool { return strings.HasPrefix(i.PlanarFormat(), "yuv411") }
func (i Info) pixels() bool  { return strings.HasPrefix(i.PlanarFormat(), "rgba") } // one after the other
func (i Info) rgb() bool     { return strings.HasPrefix(i.PlanarFormat(), "gb") || i.pixels() }
func (i Info) alpha() bool {
	return strings.HasPrefix(i.PlanarFormat(), "yuva") || strings.HasPrefix(i.PlanarFormat(), "gbra") || i.pixels()
}

// repacked says that pictures come otherwise than they are worked on.
func (i Info) repacked() bool { return i.gray() || i.Quarter() || i.pixels() }

// layout is the depth and the subsampling that pictures of a planar format are worked on
// in: grey ones have chroma that says nothing, and of 4:1:1 each sample of chroma is there twice.
func layout(pix string) (depth, subX, subY int) {
	depth = 8
	for _, d := range []int{10, 12, 14, 16} {
		if strings.HasSuffix(pix, fmt.Sprintf("%dle", d)) {
			depth = d
		}
	}
	switch {
	case strings.Contains(pix, "420"), strings.HasPrefix(pix, "gray"):
		return depth, 1, 1
	case strings.Contains(pix, "422"), strings.Contains(pix, "411"):
		return depth, 1, 0
	}
	return depth, 0, 0
}

// coded is how many bytes a picture has as ffmpeg gives it.
func (i Info) coded() int {
	f := i.Format()
	switch {
	case i.gray():
		return f.Width * f.Height * f.Bytes()
	case i.Quarter():
		return f.Width*f.Height + 2*((f.Width+3)/4)*f.Height
	}
	return f.Size()
}

// unpack makes of a picture's bytes as ffmpeg gives them the picture that is worked on.
func (i Info) unpack(p *frame.Picture, coded []byte) {
	switch {
	case i.pixels():
		each(p.Format, func(plane, pixel, size int) { copy(p.Data[plane:plane+size], coded[pixel:]) })
	case i.gray():
		copy(p.Planes[0], coded)
		none := uint16(128) << (p.Depth - 8)
		for _, plane := range p.Planes[1:] {
			for k := 0; k < len(plane); k += p.Bytes() {
				if plane[k] = byte(none); p.Bytes() == 2 {
					plane[k+1] = byte(none >> 8)
				}
			}
		}
	case i.Quarter():
		n := copy(p.Planes[0], coded)
		w, h := p.PlaneSize(1)
		narrow := (p.Width + 3) / 4
		for _, plane := range p.Planes[1:] {
			for y := range h {
				row := coded[n+y*narrow:][:narrow]
				for x := range w {
					plane[y*w+x] = row[x/2]
				}
			}
			n += narrow * h
		}
	}
}

// each tells for every sample of R'G'B' and opacity where it lies among planes (G', B', R', opacity)
// and among pixels (R', G', B', opacity), in bytes.
func each(f frame.Format, do func(plane, pixel, size int)) {
	n, size := f.Width*f.Height, f.Bytes()
	for plane, at := range [4]int{1, 2, 0, 3} {
		for k := range n {
			do((plane*n+k)*size, (4*k+at)*size, size)
		}
	}
}

// pack is the way back: where nothing was changed its bytes are those that were unpacked.
func (i Info) pack(data []byte) []byte {
	switch {
	case i.gray():
		return data[:i.coded()]
	case i.pixels():
		out := make([]byte, len(data))
		each(i.Format(), func(plane, pixel, size int) { copy(out[pixel:pixel+size], data[plane:]) })
		return out
	case i.Quarter():
		p := frame.New(i.Format(), data)
		out := append(make([]byte, 0, i.coded()), p.Planes[0]...)
		w, h := p.PlaneSize(1)
		for _, plane := range p.Planes[1:] {
			for y := range h {
				for x := 0; x < w; x += 2 {
					a, b := int(plane[y*w+x]), int(plane[y*w+min(x+1, w-1)])
					out = append(out, byte((a+b+1)/2))
				}
			}
		}
		return out
	}
	return data
}

// storedFormat is the pixel format that encoders are given: full range is said
// by a tag, not by the format's name, so that nothing converts it.
func (i Info) storedFormat() string { return strings.Replace(i.PlanarFormat(), "yuvj", "yuv", 1) }

// workedOn is the pixel format of the pictures as they are worked on, for encoders of
// presets that have a format of their own.
func (i Info) workedOn() string {
	depth := ""
	if i.Depth > 8 {
		depth = fmt.Sprintf("%dle", i.Depth)
	}
	switch {
	case i.gray():
		return "yuv420p" + depth
	case i.Quarter():
		return "yuv422p"
	}
	return i.storedFormat()
}

// As returns what a lossless copy of a source is, read in the source's own pixel format.
func (i Info) As(source Info) Info {
	if i.PixFmt == source.lossless() {
		i.PixFmt, i.Depth, i.SubX, i.SubY = source.PlanarFormat(), source.Depth, source.SubX, source.SubY
	}
	return i
}

// lossless is the pixel format in which FFV1 holds the stored one exactly: R'G'B' of 8 bit
// in whole pixels, and opacity beside 12 bit in 16.
func (i Info) lossless() string {
	switch pix := i.storedFormat(); pix {
	case "gbrp":
		return "bgr0"
	case "rgba", "gbrap":
		return "bgra"
	case "yuva420p12le", "yuva422p12le", "yuva444p12le":
		return strings.Replace(pix, "12le", "16le", 1)
	default:
		return pix
	}
}

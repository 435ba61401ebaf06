// Package ocr asks tesseract, where it is installed, what can be read in a picture: a
// second opinion, never required.
package ocr

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"time"

	"golang.org/x/image/draw"
)

// Available reports whether there is a machine that reads.
var Available = sync.OnceValue(func() bool {
	_, err := exec.LookPath("tesseract")
	return err == nil
})

// patience is how long one picture may take.
const patience = 10 * time.Second

var words = regexp.MustCompile(`[\p{L}\p{N}][\p{L}\p{N}.:-]*`)

// Read returns the words and numbers that are read in luma codes of 8 bit, rows of w
// samples: contrast stretched, enlarged, with a quiet rim. Without a machine, and when it
// cannot read anything, it is empty.
func Read(ctx context.Context, pix []float32, w, h int) string {
	if !Available() || w < 4 || h < 4 {
		return ""
	}
	lo, hi := pix[0], pix[0]
	for _, v := range pix {
		lo, hi = min(lo, v), max(hi, v)
	}
	if hi-lo < 6 {
		return ""
	}
	g := image.NewGray(image.Rect(0, 0, w, h))
	var bright int
	for i, v := range pix {
		g.Pix[i] = byte((v - lo) / (hi - lo) * 255)
		if g.Pix[i] > 127 {
			bright++
		}
	}
	if bright < len(pix)/2 { // it reads dark on light
		for i := range g.Pix {
			g.Pix[i] = 255 - g.Pix[i]
		}
	}
	k := max(1, min(6, 160/h+1))
	rim := 12
	big := image.NewGray(image.Rect(0, 0, w*k+2*rim, h*k+2*rim))
	for i := range big.Pix {
		big.Pix[i] = 235
	}
	draw.CatmullRom.Scale(big, image.Rect(rim, rim, rim+w*k, rim+h*k), g, g.Bounds(), draw.Src, nil)
	var in, out bytes.Buffer
	if png.Encode(&in, big) != nil {
		return ""
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, "tesseract", "stdin", "stdout", "--psm", "6", "--dpi", "150")
	cmd.Env = []string{"OMP_THREAD_LIMIT=1", "PATH=/usr/bin:/usr/local/bin:/bin"}
	cmd.Stdin, cmd.Stdout = &in, &out
	if cmd.Run() != nil {
		return ""
	}
	return strings.Join(words.FindAllString(out.String(), -1), " ")
}

package media

import (
	"context"
	"errors"
	"io"
)

// ReadGray reads the luma of a file's frames, as a matte is written, and hands each to
// take, which must not keep it. It returns how many there were.
func ReadGray(ctx context.Context, path string, w, h int, take func(f int, pix []byte) error) (n int, err error) {
	args := append([]string{"-nostdin", "-v", "error"}, input(path)...)
	pr, pw, err := widePipe()
	if err != nil {
		return 0, err
	}
	defer pr.Close()
	p, err := start(ctx, "ffmpeg", append(args, "-map", "0:v:0", "-fps_mode", "passthrough", "-f", "rawvideo",
		"-pix_fmt", "gray", "pipe:1"), nil, pw)
	pw.Close()
	if err != nil {
		return 0, err
	}
	pix := make([]byte, w*h)
	for {
		if _, err = io.ReadFull(pr, pix); err != nil {
			break
		}
		if err = take(n, pix); err != nil {
			p.cancel()
			p.wait()
			return n, err
		}
		n++
	}
	if werr := p.wait(); werr != nil {
		return n, werr
	}
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return n, err
}

package deliver

import (
	"archive/zip"
	"bytes"
	"context"
	"image"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/internal/media"
)

// Numbered pictures have the source's colours, within a code of 8 bit and what coarse chroma asks for, and its
// numbers; their mattes are the covers'. A picture that is missing, or cut, is found.
func TestNumberedPictures(t *testing.T) {
	ctx := context.Background()
	c := clip(t, "source.mkv", "-f", "lavfi", "-i", "gradients=size=160x96:rate=25:duration=1:c0=navy:c1=orange:speed=.05",
		"-vf", "setparams=colorspace=bt709:range=tv,scale=out_color_matrix=bt709:out_range=tv,format=yuv444p", "-c:v", "ffv1")
	for _, name := range []string{"png", "tiff", "dpx"} {
		p := media.Presets[name]
		j := Job{
			Clip: c, Sound: c.Path, Document: cover.New(160, 96, c.Info.Frames), Preset: p, First: 5, Last: 14,
			Total: c.Info.Frames, Out: filepath.Join(t.TempDir(), "out.zip"),
		}
		if err := Render(ctx, j); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		proof, err := Verify(ctx, j, nil)
		if err != nil || proof.Frames != 10 {
			t.Fatalf("%s: %d pictures, %v", name, proof.Frames, err)
		}
		r, err := c.Open(ctx, 7, 7)
		if err != nil {
			t.Fatal(err)
		}
		pic := frame.New(c.Info.Format(), nil)
		if err := r.Read(pic); err != nil {
			t.Fatal(err)
		}
		r.Close()
		want := pic.RGBA(image.Rect(0, 0, 160, 96))
		got := unpacked(t, j.Out, "000007."+map[string]string{"png": "png", "tiff": "tif", "dpx": "dpx"}[name])
		for i := range 160 * 96 {
			for k := range 3 {
				if d := int(want.Pix[4*i+k]) - int(got[3*i+k]); d < -2 || d > 2 {
					t.Fatalf("%s: pixel %d has %v, not %v", name, i, got[3*i:3*i+3], want.Pix[4*i:4*i+3])
				}
			}
		}
		j.Last = 15
		if _, err := Verify(ctx, j, nil); err == nil {
			t.Errorf("%s: a picture is missing, and it is proved", name)
		}
		b, err := os.ReadFile(j.Out)
		if err != nil {
			t.Fatal(err)
		}
		b[len(b)/3] ^= 0x55
		if err := os.WriteFile(j.Out, b, 0o600); err != nil {
			t.Fatal(err)
		}
		j.Last = 14
		if _, err := Verify(ctx, j, nil); err == nil {
			t.Errorf("%s: a byte is spoilt, and it is proved", name)
		}
		j.Document, j.Matte, j.Out = document(c.Info), true, filepath.Join(t.TempDir(), "matte.zip")
		if err := Render(ctx, j); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if proof, err := Verify(ctx, j, nil); err != nil || proof.Frames != 10 {
			t.Fatalf("%s, matte: %d pictures, %v", name, proof.Frames, err)
		}
	}
}

// unpacked decodes a picture of a ZIP to R'G'B' of 8 bit.
func unpacked(t *testing.T, path, name string) []byte {
	t.Helper()
	z, err := zip.OpenReader(path)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	f, err := z.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	b, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(file, b, 0o600); err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("ffmpeg", "-v", "error", "-i", file, "-f", "rawvideo", "-pix_fmt", "rgb24", "-")
	var said bytes.Buffer
	cmd.Stderr = &said
	out, err := cmd.Output()
	if err != nil || strings.TrimSpace(said.String()) != "" || len(out) != 3*160*96 {
		t.Fatalf("%s: %v %s", name, err, said.String())
	}
	return out
}

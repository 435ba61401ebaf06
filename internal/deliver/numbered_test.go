package deliver

import (
	"archive/zip"
	"bytes"
	"context"
	"image"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
	"celator/core/treat"
	"celator/internal/media"
)

// Numbered pictures have the source's colours, outside the covers, within two codes of 8 bit, and its
// numbers; the mattes beside them are the covers', and the sound is the source's, at its timecode. A picture that
// is missing, or cut, is found.
func TestNumberedPictures(t *testing.T) {
	ctx := context.Background()
	c := clip(t, "source.mkv", "-f", "lavfi", "-i", "gradients=size=160x96:rate=25:duration=1:c0=navy:c1=orange:speed=.05",
		"-f", "lavfi", "-i", "aevalsrc=0.4*sin(900*t+300*t*t)|0.3*sin(700*t*t):s=48000:d=1", "-vf",
		"setparams=colorspace=bt709:range=tv,scale=out_color_matrix=bt709:out_range=tv,format=yuv444p", "-c:v", "ffv1",
		"-c:a", "pcm_s24le", "-timecode", "10:00:00:00")
	for _, name := range []string{"png", "tiff", "dpx"} {
		p := media.Presets[name]
		j := Job{
			Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: p, First: 5, Last: 14,
			Total: c.Info.Frames, Out: filepath.Join(t.TempDir(), "out.zip"),
		}
		if err := Render(ctx, j); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		proof, err := Verify(ctx, j, nil)
		if err != nil || proof.Frames != 10 || proof.Touched == 0 || proof.Samples != 2*10*48000/25 {
			t.Fatalf("%s: %+v, %v", name, proof, err)
		}
		waved(t, j.Out)
		r, err := c.Open(ctx, 7, 7)
		if err != nil {
			t.Fatal(err)
		}
		pic := frame.New(c.Info.Format(), nil)
		if err := r.Read(pic); err != nil {
			t.Fatal(err)
		}
		r.Close()
		matte := treat.FrameMatte(j.Parts[0].Document, pic.Format, 7)
		want := pic.RGBA(image.Rect(0, 0, 160, 96))
		got := unpacked(t, j.Out, "pictures/000007."+map[string]string{"png": "png", "tiff": "tif", "dpx": "dpx"}[name])
		for i := range 160 * 96 {
			if matte.Pix[i] > 0 {
				continue
			}
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
		j.Last = 14
		dark, wave := bytes.Index(b, []byte("mattes/000009.png")), bytes.Index(b, []byte("WAVE"))
		for _, at := range []int{len(b) / 3, dark + 60, wave + 9000} {
			spoilt := bytes.Clone(b)
			spoilt[at] ^= 0x55
			if err := os.WriteFile(j.Out, spoilt, 0o600); err != nil {
				t.Fatal(err)
			}
			if _, err := Verify(ctx, j, nil); err == nil {
				t.Errorf("%s: byte %d is spoilt, and it is proved", name, at)
			}
		}
		j.Parts, j.Matte, j.Out = Whole(document(c.Info)), true, filepath.Join(t.TempDir(), "matte.zip")
		if err := Render(ctx, j); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if proof, err := Verify(ctx, j, nil); err != nil || proof.Frames != 10 {
			t.Fatalf("%s, matte: %d pictures, %v", name, proof.Frames, err)
		}
	}
}

// waved looks at the sound of frames 5 to 14 beside pictures.
func waved(t *testing.T, path string) {
	t.Helper()
	z, err := zip.OpenReader(path)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	b, err := fs.ReadFile(z, "sound-1.wav")
	if err != nil {
		t.Fatal(err)
	}
	if at := media.WaveReference(b); at != 10*3600*48000+5*48000/25 {
		t.Errorf("the sound tells of sample %d", at)
	}
}

// Sound alone has every sample, of the whole and of a range, with its passages; what is not said holds for it
// too: it is told that the pictures stay.
func TestSoundAlone(t *testing.T) {
	ctx := context.Background()
	c := clip(t, "source.mov", "-f", "lavfi", "-i", "testsrc2=size=160x96:rate=25:duration=2", "-f", "lavfi", "-i",
		"aevalsrc=0.4*sin(900*t+300*t*t)|0.3*sin(700*t*t):s=48000:d=2", "-f", "lavfi", "-i",
		"aevalsrc=0.5*sin(500*t*t):s=44100:d=2", "-map", "0", "-map", "1", "-map", "2", "-pix_fmt", "yuv420p",
		"-c:a:0", "pcm_s24le", "-c:a:1", "aac")
	for _, to := range []int{49, 30} {
		j := Job{
			Clip: c, Sound: c.Path, Parts: Whole(document(c.Info)), Preset: media.Presets["sound"], Last: to, Total: 50,
			Out: filepath.Join(t.TempDir(), "sound.zip"),
		}
		j.Parts[0].Document.Passages = []cover.Passage{{ID: "p", From: 10, To: 20, How: cover.Mute}}
		if err := Render(ctx, j); err != nil {
			t.Fatal(err)
		}
		p, err := Verify(ctx, j, nil)
		if err != nil || p.Frames != 0 || p.Sound != 2 || p.Passages != 1 || p.Samples == 0 ||
			!slices.Contains(p.Left, "pictures") {
			t.Errorf("to %d: %+v, %v", to, p, err)
		}
		j.Parts[0].Document.Passages[0].To = 28
		if _, err := Verify(ctx, j, nil); err == nil {
			t.Errorf("to %d: something is said, and it is proved to be hidden", to)
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
	file := filepath.Join(t.TempDir(), filepath.Base(name))
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

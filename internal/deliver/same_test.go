package deliver

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"celator/core/cover"
	"celator/internal/media"
)

// brief is a document with covers on some frames.
func brief(i media.Info, spans ...cover.Span) *cover.Document {
	d := document(i)
	like := d.Covers[0]
	d.Covers = nil
	for n, s := range spans {
		c := like
		c.ID, c.Span = fmt.Sprint("b", n), s
		d.Covers = append(d.Covers, c)
	}
	return d
}

// As the source: what no cover touches is the source's own coded pictures, all of them where each is coded for
// itself, and else but for the groups around what is touched; the sound is the source's, to the sample; what was
// coded anew is like the source beside the covers. A copied picture that is spoilt is found.
//
// Long: one scenario for each kind.
func TestAsTheSource(t *testing.T) {
	ctx := context.Background()
	const picture = "testsrc2=size=256x144:rate=25:duration=2,noise=alls=6:allf=t"
	for name, c := range map[string]struct {
		args   string
		copied int // of 50
	}{
		"prores.mov":  {"-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le -c:a pcm_s24le", 37},
		"dnxhr.mov":   {"-c:v dnxhd -profile:v dnxhr_hqx -pix_fmt yuv422p10le -c:a pcm_s24le", 37},
		"mjpeg.avi":   {"-c:v mjpeg -q:v 3 -pix_fmt yuvj422p -c:a pcm_s16le", 37},
		"ffv1.mkv":    {"-c:v ffv1 -level 3 -g 1 -slicecrc 1 -slices 4 -pix_fmt yuv422p -c:a flac", 37},
		"ffv1-24.mkv": {"-c:v ffv1 -level 3 -g 1 -slices 24 -pix_fmt yuv422p -c:a flac", 0},
		"v210.mov":    {"-c:v v210 -pix_fmt yuv422p10le -c:a aac", 37},
		"intra.mxf":   {"-c:v mpeg2video -g 1 -b:v 30M -pix_fmt yuv422p -intra_vlc 1 -c:a pcm_s16le", 37},
		"low.mxf":     {"-c:v mpeg2video -g 1 -flags +low_delay -b:v 30M -pix_fmt yuv422p -intra_vlc 1 -c:a pcm_s16le", 37},
		"fields.mov": {"-vf tinterlace=interleave_top,fps=25,setfield=tff -c:v prores_ks -flags +ildct " +
			"-pix_fmt yuv422p10le -c:a pcm_s24le", 37},
		"groups.ts": {"-c:v mpeg2video -g 10 -bf 2 -flags +cgop -sc_threshold 1000000000 -b:v 6M -c:a mp2", 20},
		"groups.mxf": {"-c:v mpeg2video -g 10 -bf 2 -flags +cgop -sc_threshold 1000000000 -b:v 20M " +
			"-pix_fmt yuv422p -c:a pcm_s16le", 20},
		"h264.mp4":   {"-c:v libx264 -pix_fmt yuv420p -g 10 -bf 2 -c:a aac", 20},
		"h264.mov":   {"-c:v libx264 -pix_fmt yuv422p10le -g 10 -bf 0 -c:a pcm_s24le", 20},
		"h264.ts":    {"-c:v libx264 -pix_fmt yuv420p -g 10 -bf 3 -c:a aac", 20},
		"h264-i.mp4": {"-c:v libx264 -pix_fmt yuv420p -g 1 -c:a aac", 37},
		"h264-f.mp4": {"-vf tinterlace=interleave_top,fps=25,setfield=tff -c:v libx264 -flags +ildct+ilme -g 10 -bf 2 " +
			"-c:a aac", 20},
		"h264-31.mp4":  {"-c:v libx264 -x264opts sps-id=31 -pix_fmt yuv420p -g 10 -c:a aac", 0},
		"h264.mkv":     {"-c:v libx264 -pix_fmt yuv420p -g 10 -c:a aac", 0},
		"h264-one.mp4": {"-c:v libx264 -pix_fmt yuv420p -g 100 -c:a aac", 0},
		"hevc.mp4":     {"-c:v libx265 -x265-params log-level=error:open-gop=0:keyint=10 -pix_fmt yuv420p -c:a aac", 0},
		"open.ts":      {"-c:v mpeg2video -g 10 -bf 2 -sc_threshold 1000000000 -b:v 6M -c:a mp2", 0},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			args := append([]string{"-f", "lavfi", "-i", picture, "-f", "lavfi", "-i", "sine=r=48000:duration=2"},
				strings.Fields(c.args)...)
			src := clip(t, name, args...)
			p, err := src.Info.Same()
			if err != nil {
				t.Fatal(err)
			}
			n, original, path := src.Info.Frames, src.Info, src.Path
			if src.Info.Conformed() { // as the server reads it
				if src, err = media.Conform(ctx, src, filepath.Join(t.TempDir(), "copy.nut"), nil); err != nil {
					t.Fatal(err)
				}
			}
			j := Job{
				Clip: src, Sound: path, Original: original, Preset: p, Last: n - 1, Total: n,
				Parts: Whole(brief(src.Info, cover.Span{First: 7, Last: 14}, cover.Span{First: 20, Last: 24})),
				Out:   filepath.Join(t.TempDir(), "out"+p.Ending),
			}
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			if j.Clip.Sums, err = sumsOf(src); err != nil { // as the server has them, which jumps
				t.Fatal(err)
			}
			proof, err := Verify(ctx, j, nil)
			if err != nil || proof.Copied != c.copied || proof.Copied+proof.Coded != n || proof.Touched != 13 {
				t.Fatalf("%+v, %v", proof, err)
			}
			if c.copied == 0 {
				if proof.Anew == "" {
					t.Error("nothing is copied, and nobody is told why")
				}
				return
			}
			b, err := os.ReadFile(j.Out)
			if err != nil {
				t.Fatal(err)
			}
			b[inside(t, j.Out, 45)] ^= 0x10
			if err := os.WriteFile(j.Out, b, 0o600); err != nil {
				t.Fatal(err)
			}
			if _, err := Verify(ctx, j, nil); err == nil {
				t.Error("a copied picture is spoilt, and it is proved")
			}
			j.First, j.Last = 5, 44
			if err := Render(ctx, j); err != nil {
				t.Fatal(err)
			}
			if proof, err := Verify(ctx, j, nil); err != nil || proof.Copied == 0 || proof.Copied+proof.Coded != 40 {
				t.Errorf("a range: %+v, %v", proof, err)
			}
		})
	}
}

// inside is a byte of a file in the middle of a coded picture.
func inside(t *testing.T, path string, packet int) int {
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries", "packet=pos,size", "-of",
		"csv=p=0", path).Output()
	if err != nil {
		t.Fatal(err)
	}
	var size, pos int
	for line := range strings.Lines(string(out)) {
		if n, _ := fmt.Sscanf(line, "%d,%d", &size, &pos); n != 2 { // of what goes with a packet
			continue
		}
		if packet--; packet < 0 {
			return pos + size/2
		}
	}
	t.Fatal("there is no such packet")
	return 0
}

// sumsOf are the checksums of a clip's frames.
func sumsOf(c media.Clip) ([]uint32, error) {
	dir, err := os.MkdirTemp("", "views")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	seen, err := media.MakeViews(context.Background(), c, dir, nil)
	return seen.Sums, err
}

package media

import (
	"bytes"
	"context"
	"image/jpeg"
	"os"
	"path/filepath"
	"testing"

	"celator/core/cover"
	"celator/core/frame"
)

// A clip read by field has the fields of its pictures, wherever reading begins and
// whichever are picked; each has a view of its own, in which nothing of the other is seen.
func TestClipByField(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	// A bright bar that jumps to the other side with each field.
	path := ffmpeg(t, "woven.mkv", "-f", "lavfi", "-i", "color=black:size=192x96:rate=50:duration=1",
		"-vf", "drawbox=x=8:y=8:w=60:h=80:color=white:t=fill:enable='eq(mod(n,2),0)',"+
			"drawbox=x=120:y=8:w=60:h=80:color=white:t=fill:enable='eq(mod(n,2),1)',tinterlace=interleave_bottom,setfield=bff",
		"-r", "25", "-c:v", "mpeg2video", "-q:v", "2", "-flags", "+ildct+ilme", "-pix_fmt", "yuv422p")
	info, err := Probe(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	c := Clip{Path: path, Info: info}
	if info.First() != "bottom" || info.Format().First != frame.Bottom {
		t.Fatalf("it is taken for %s", info.Field)
	}
	seen, err := MakeViews(ctx, c, dir, nil)
	if c.Sums = seen.Sums; err != nil || len(c.Sums) != info.Frames {
		t.Fatalf("%d views: %v", len(c.Sums), err)
	}
	var want [][]byte
	for _, b := range frames(t, c, 0, -1) {
		p := frame.New(info.Format(), b)
		for _, f := range p.Fields() {
			want = append(want, p.Field(f).Data)
		}
	}
	v := c.ByField()
	if v.Info.Frames != 2*info.Frames || v.Info.Rate.Float() != 50 {
		t.Fatalf("by field it has %d at %v", v.Info.Frames, v.Info.Rate)
	}
	for _, from := range []int{0, 1, 14, 33} {
		for i, b := range frames(t, v, from, from+4) {
			if !bytes.Equal(b, want[from+i]) {
				t.Fatalf("read from field %d on, field %d is another", from, from+i)
			}
		}
	}
	picked := []int{0, 3, 4, 5, 31, 49}
	n := 0
	if err := v.Pick(ctx, picked, func(f int, p *frame.Picture) error {
		if f != picked[n] || !bytes.Equal(p.Data, want[f]) {
			t.Errorf("picked %d, got %d or another picture", picked[n], f)
		}
		n++
		return nil
	}); err != nil || n != len(picked) {
		t.Fatalf("%d of %d picked: %v", n, len(picked), err)
	}
	for i := range want {
		file, err := os.Open(View(dir, cover.Time(i)/2))
		if err != nil {
			t.Fatal(err)
		}
		img, err := jpeg.Decode(file)
		file.Close()
		if err != nil {
			t.Fatal(err)
		}
		luma := func(x int) uint32 { r, g, b, _ := img.At(x, 48).RGBA(); return (r + g + b) / 3 >> 8 }
		lit, dark := luma(38), luma(150)
		if i%2 == 1 {
			lit, dark = dark, lit
		}
		if lit < 200 || dark > 50 {
			t.Fatalf("the view of field %d shows %d where its bar is and %d where the other field's is", i, lit, dark)
		}
	}
}

// Film in fields of 59.94 is told: where the fields themselves were made so, when they are looked at;
// where pictures are only marked to be shown so, they are film's pictures at its rate.
func TestFilmInFields(t *testing.T) {
	ctx := context.Background()
	const film24 = "testsrc2=size=320x240:rate=24000/1001:duration=3"
	hard := ffmpeg(t, "hard.mxf", "-f", "lavfi", "-i", film24, "-vf", "telecine=pattern=23:first_field=top,setfield=tff",
		"-flags", "+ildct+ilme", "-c:v", "mpeg2video", "-b:v", "6M", "-r", "30000/1001", "-pix_fmt", "yuv422p")
	info := probe(t, hard)
	if info.First() != "top" || info.Film {
		t.Fatalf("%+v", info)
	}
	seen, err := MakeViews(ctx, Clip{Path: hard, Info: info}, t.TempDir(), nil)
	if err != nil || len(seen.Cadence) != 1 || seen.Cadence[0].First > 5 || seen.Cadence[0].Last < info.Frames-6 {
		t.Errorf("telecined fields: %+v, %v", seen.Cadence, err)
	}

	plain := ffmpeg(t, "plain.m2v", "-f", "lavfi", "-i", film24, "-c:v", "mpeg2video", "-bf", "0", "-b:v", "4M")
	b, err := os.ReadFile(plain)
	if err != nil {
		t.Fatal(err)
	}
	// ISO/IEC 13818-2, 6.2.2.1 and 6.2.3.1: the frame rate of the sequence becomes 29.97, and the pictures ask
	// by turns for three fields and two, the first of them top and bottom.
	n := 0
	for i := 0; i+9 < len(b); i++ {
		if b[i] != 0 || b[i+1] != 0 || b[i+2] != 1 {
			continue
		}
		switch kind := b[i+3]; {
		case kind == 0xb3:
			b[i+7] = b[i+7]&0xf0 | 4
		case kind == 0xb5 && b[i+4]>>4 == 1: // the sequence is not progressive
			b[i+5] &^= 8
		case kind == 0xb5 && b[i+4]>>4 == 8:
			top, repeat := []byte{1, 0, 0, 1}[n%4], []byte{1, 0, 1, 0}[n%4]
			b[i+7] = b[i+7]&0x7d | top<<7 | repeat<<1
			b[i+8] |= 0x80
			n++
		}
	}
	marked := filepath.Join(t.TempDir(), "marked.m2v")
	if err := os.WriteFile(marked, b, 0o600); err != nil {
		t.Fatal(err)
	}
	soft := probe(t, ffmpeg(t, "soft.mkv", "-fflags", "+genpts", "-i", marked, "-c", "copy"))
	if soft.Rate != film || soft.Variable || soft.Frames != n || soft.First() != "" || !soft.Film {
		t.Errorf("marked pictures: %d frames at %s, variable %v, first %q, film %v", soft.Frames, soft.Rate, soft.Variable,
			soft.First(), soft.Film)
	}
}

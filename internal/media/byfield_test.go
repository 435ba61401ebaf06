package media

import (
	"bytes"
	"context"
	"image/jpeg"
	"os"
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
	if c.Sums, err = MakeViews(ctx, c, dir, nil); err != nil || len(c.Sums) != info.Frames {
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

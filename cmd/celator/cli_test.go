package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"celator/core/cover"
	"celator/core/geom"
	"celator/internal/certificate"
	"celator/internal/confine"
	"celator/internal/media"
	"celator/internal/storage"
)

// The tests run this binary as the program itself.
// between stands between arguments that may have spaces.
const between = "\x1f"

func TestMain(m *testing.M) {
	confine.Main()
	if line, ok := os.LookupEnv("CELATOR_TEST_MAIN"); ok {
		args := strings.Fields(line)
		if strings.Contains(line, between) {
			args = strings.Split(line, between)
		}
		os.Args = append([]string{"celator"}, args...)
		main()
		os.Exit(0)
	}
	os.Exit(m.Run())
}

func run(t *testing.T, stdin string, args ...string) (code int, stdout, stderr string) {
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), "CELATOR_TEST_MAIN="+strings.Join(args, between))
	var out, errs strings.Builder
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(stdin), &out, &errs
	cmd.Run()
	return cmd.ProcessState.ExitCode(), out.String(), errs.String()
}

// Exit codes, one clear line for errors, JSON, standard input, ranges, mattes;
// nothing half-made stays.
//
// Long: one scenario, told from its beginning to its end.
func TestCommandLine(t *testing.T) {
	dir := t.TempDir()
	clip := filepath.Join(dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=size=1280x720:rate=25:duration=1", "-f", "lavfi", "-i", "sine=duration=1", "-pix_fmt", "yuv420p",
		clip).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	b, err := os.ReadFile("../../docs/examples/plate.json")
	if err != nil {
		t.Fatal(err)
	}
	doc := strings.ReplaceAll(strings.ReplaceAll(strings.ReplaceAll(string(b), `"frames": 200`, `"frames": 25`),
		`"last": 199`, `"last": 24`), `"frame": 199`, `"frame": 24`)
	doc = strings.ReplaceAll(doc, `"frame": 110`, `"frame": 10`)

	if code, out, _ := run(t, "", "probe", clip, "--json"); code != 0 {
		t.Error("probe failed")
	} else {
		var i media.Info
		if err := json.Unmarshal([]byte(out), &i); err != nil || i.Frames != 25 || i.Width != 1280 {
			t.Errorf("probe --json: %v %s", err, out)
		}
	}
	out := filepath.Join(dir, "out.mkv")
	if code, _, errs := run(t, doc, "render", "--clip", clip, "--document", "-", "--out", out, "--from", "5", "--to",
		"14", "--verify"); code != 0 || !strings.Contains(errs, "all 10 frames") {
		t.Errorf("render: %d %s", code, errs)
	}
	pipe := filepath.Join(dir, "pipe")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := run(t, doc, "render", "--clip", clip, "--document", "-", "--out", pipe, "--preset",
		"archive"); code != 2 || !strings.Contains(errs, "no file") {
		t.Errorf("render into a pipe: %d %s", code, errs)
	}
	spoilt := filepath.Join(dir, "spoilt.mp4")
	if b, err = os.ReadFile(clip); err != nil {
		t.Fatal(err)
	}
	clear(b[len(b)/2 : len(b)/2+len(b)/20])
	if err := os.WriteFile(spoilt, b, 0o600); err != nil {
		t.Fatal(err)
	}
	render := []string{
		"render", "--clip", spoilt, "--document", "-", "--out", filepath.Join(dir, "spoilt.mkv"), "--verify",
	}
	if code, _, errs := run(t, doc, render...); code != 1 || !strings.Contains(errs, "--take-damaged") {
		t.Errorf("a damaged clip: %d %s", code, errs)
	}
	if code, _, errs := run(t, doc, append(render, "--take-damaged")...); code != 0 || !strings.Contains(errs, "all 25") ||
		!strings.Contains(errs, "damaged (frame") {
		t.Errorf("a damaged clip taken as it is: %d %s", code, errs)
	}
	track := filepath.Join(dir, "track.csv")
	args := []string{"track", "--clip", clip, "--frame", "0", "--to", "5", "--out", track, "--quad"}
	for quad, want := range map[string]int{"100,100,300,300": 2, "1e999,1": 2, "x": 2} {
		if code, _, errs := run(t, "", append(args, quad)...); code != want || errs == "" {
			t.Errorf("track --quad %q: %d %s", quad, code, errs)
		}
	}
	if code, _, errs := run(t, "", "track", "--clip", clip, "--frame", "99", "--quad", "1,1", "--out",
		track); code != 2 || errs == "" {
		t.Errorf("track with one corner: %d %s", code, errs)
	}
	// Where places all over a sheet lie: on the frame that it was drawn on, where they are.
	cloth := append(args, "40,40 160,40 160,120 40,120", "--model", "cloth", "--mesh")
	if code, out, errs := run(t, "", append(cloth, "-")...); code != 0 || strings.Count(out, "\n") != 1+6*17*17 ||
		!strings.HasPrefix(out, "frame,x,y,to_x,to_y\n0,40.000,40.000,40.000,40.000\n") {
		t.Errorf("a mesh: %d %s %.80q, %d lines", code, errs, out, strings.Count(out, "\n"))
	}
	if code, _, errs := run(t, "", append(cloth, track)...); code != 2 || errs == "" {
		t.Errorf("a mesh into the same file: %d %s", code, errs)
	}
	if err := os.WriteFile(track, []byte("frame,x1,y1,x2,y2,x3,y3,x4,y4,confidence,state\n0,100,100,400,100,400,"+
		"300,100,300,1,anchor\n1,100,100,400,100,400,300,100,300,.9,good\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	fronts := filepath.Join(dir, "fronts")
	if code, _, errs := run(t, "", "holdout", "--clip", clip, "--track", track, "--to", "1", "--out", fronts); code != 0 {
		t.Errorf("holdout: %d %s", code, errs)
	} else if files, _ := filepath.Glob(filepath.Join(fronts, "matte-00000[01].png")); len(files) != 2 {
		t.Errorf("mattes: %v", files)
	}
	for _, bad := range [][]string{{"--sensitivity", "2"}, {"--from", "9", "--to", "3"}} {
		if code, _, errs := run(t, "", append([]string{"holdout", "--clip", clip, "--track", track, "--out", fronts},
			bad...)...); code != 2 || errs == "" {
			t.Errorf("holdout %v: %d %s", bad, code, errs)
		}
	}
	holdoutInto(t, clip, doc, dir)
	matte := filepath.Join(dir, "matte.mkv")
	if code, _, errs := run(t, doc, "render", "--clip", clip, "--document", "-", "--out", matte, "--matte"); code != 0 {
		t.Errorf("matte: %s", errs)
	} else if b, err := exec.Command("ffmpeg", "-v", "error", "-i", matte, "-f", "rawvideo", "-pix_fmt", "gray",
		"pipe:1").Output(); err != nil || len(b) != 25*1280*720 || b[12*1280*720] != 0 || b[5*1280+5] != 0 ||
		strings.Count(string(b[:1280*720]), "\xff") < 2000 {
		t.Errorf("the matte has %d bytes, %v", len(b), err)
	}
	for name, c := range map[string]struct {
		code  int
		stdin string
		args  []string
	}{
		"no command":   {2, "", []string{}},
		"unknown":      {2, "", []string{"conceal"}},
		"no clip":      {2, doc, []string{"render", "--document", "-", "--out", out}},
		"unknown flag": {2, "", []string{"probe", "--speed", clip}},
		"no such file": {1, "", []string{"probe", filepath.Join(dir, "absent.mp4")}},
		"no document": {1, "", []string{
			"render", "--clip", clip, "--document", filepath.Join(dir, "absent.json"),
			"--out", out,
		}},
		"bad document": {1, `{"version":1}`, []string{"render", "--clip", clip, "--document", "-", "--out", out}},
		"other size": {
			1, strings.Replace(doc, "1280", "1920", 1),
			[]string{"render", "--clip", clip, "--document", "-", "--out", out},
		},
		"unknown ending": {2, doc, []string{
			"render", "--clip", clip, "--document", "-", "--out",
			filepath.Join(dir, "x.gif"),
		}},
		"unknown preset":  {2, doc, []string{"render", "--clip", clip, "--document", "-", "--out", out, "--preset", "best"}},
		"outside frames":  {2, doc, []string{"render", "--clip", clip, "--document", "-", "--out", out, "--to", "25"}},
		"over the source": {2, doc, []string{"render", "--clip", clip, "--document", "-", "--out", clip}},
		"no folder": {1, doc, []string{
			"render", "--clip", clip, "--document", "-", "--out",
			filepath.Join(dir, "no", "x.mkv"),
		}},
	} {
		code, stdout, errs := run(t, c.stdin, c.args...)
		if code != c.code || strings.Count(strings.TrimSpace(errs), "\n") != 0 || errs == "" || stdout != "" {
			t.Errorf("%s: exit %d, want %d; %q %q", name, code, c.code, errs, stdout)
		}
	}
	left, _ := filepath.Glob(filepath.Join(dir, ".*"))
	if len(left) > 0 {
		t.Errorf("half-made files stay: %v", left)
	}
}

// The check of a clip on disk: nothing where all is hidden, the very frames on which a
// cover lies off, what a span leaves out, and the exit codes that scripts go by.
//
// Long: one scenario, told from its beginning to its end.
func TestCheckCommand(t *testing.T) {
	dir := t.TempDir()
	rng := rand.New(rand.NewSource(5))
	board := image.NewGray(image.Rect(0, 0, 160, 96))
	for y := range 96 {
		for x := range 160 {
			v := byte(200)
			if x > 5 && y > 5 && x < 154 && y < 90 && (x/8*7919+y/12*104729)%5 < 2 {
				v = 40
			}
			board.SetGray(x, y, color.Gray{Y: v + byte(rng.Intn(9))})
		}
	}
	still, err := os.Create(filepath.Join(dir, "board.png"))
	if err != nil {
		t.Fatal(err)
	}
	if err := png.Encode(still, board); err != nil {
		t.Fatal(err)
	}
	still.Close()
	clip := filepath.Join(dir, "clip.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"color=c=gray:size=640x360:rate=25:duration=1.6", "-loop", "1", "-i", still.Name(),
		"-filter_complex", "[0]noise=alls=10:allf=t[wall];[wall][1]overlay=x=60+6*n:y=120:shortest=1", "-c:v", "libx264",
		"-crf", "14", "-pix_fmt", "yuv420p", clip).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	const frames = 40
	document := func(first, last int, off map[int]float64) string {
		d := cover.New(640, 360, frames)
		fill := cover.NewTreatment("t", cover.Fill)
		fill.Colour, fill.Around, fill.Grain = "#446688", false, cover.Const(0)
		c := cover.Cover{
			ID: "c", Name: "Board", Span: cover.Span{First: first, Last: last}, Grow: cover.Const(2),
			Treatments: []cover.Treatment{fill},
			Outlines: []cover.Outline{{
				ID: "o", Shape: cover.ShapeBox,
				Keys: []cover.PathKey{{Knots: geom.Box(geom.Rect{Min: geom.Pt(60, 120), Max: geom.Pt(220, 216)})}},
			}},
		}
		for f := range frames {
			c.Motion.Keys = append(c.Motion.Keys, cover.PlacementKey{
				Frame: cover.Time(f), Placement: cover.Placement{Move: geom.Pt(float64(6*f)+off[f], 0), Size: geom.Pt(1, 1)},
			})
		}
		d.Covers = []cover.Cover{c}
		b, err := d.Marshal()
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	type finding struct {
		Kind, Cover, Name, Severity, Says string
		Frames                            []cover.Span
		Place                             *[4]int
	}
	for _, c := range []struct {
		name, document, kind string
		code                 int
		frames               []cover.Span
	}{
		{"off by what it grows", document(0, frames-1, map[int]float64{12: 1}), "", 0, nil},
		{
			"off on one frame", document(0, frames-1, map[int]float64{12: 14}), "exposed", 3,
			[]cover.Span{{First: 12, Last: 12}},
		},
		{"a frame too short", document(1, frames-1, nil), "bare-ends", 3, []cover.Span{{First: 0, Last: 0}}},
	} {
		code, out, errs := run(t, c.document, "check", "--clip", clip, "--document", "-", "--json")
		var all []finding
		if err := json.Unmarshal([]byte(out), &all); err != nil || code != c.code {
			t.Errorf("%s: exit %d, want %d; %v %s %s", c.name, code, c.code, err, out, errs)
			continue
		}
		there := c.kind == ""
		for _, f := range all {
			there = there || f.Kind == c.kind && f.Cover == "c" && f.Name == "Board" && f.Severity == "severe" &&
				f.Says != "" && fmt.Sprint(f.Frames) == fmt.Sprint(c.frames)
		}
		if !there {
			t.Errorf("%s: %+v", c.name, all)
		}
		if c.kind == "bare-ends" {
			continue
		}
		code, out, errs = run(t, c.document, "check", "--clip", clip, "--document", "-")
		if code != c.code || strings.Count(out, "\n") != len(all) || (errs == "") != (len(all) > 0) {
			t.Errorf("%s, as text: exit %d, %q %q", c.name, code, out, errs)
		}
	}
	for name, args := range map[string][]string{
		"no document": {"check", "--clip", clip},
		"no clip":     {"check", "--document", "-"},
	} {
		if code, out, errs := run(t, document(0, 39, nil), args...); code != 2 || out != "" || errs == "" {
			t.Errorf("%s: exit %d, %q %q", name, code, out, errs)
		}
	}
	if code, _, errs := run(t, strings.Replace(document(0, 39, nil), "640", "320", 1), "check", "--clip", clip,
		"--document", "-"); code != 1 || errs == "" {
		t.Errorf("another size: exit %d, %q", code, errs)
	}
}

// A master goes out as it came: the documents of its shots, each on its own frames, and what no cover touches as it
// is coded; shots that overlap are refused, and another container is not the source's.
func TestMasterCommand(t *testing.T) {
	dir := t.TempDir()
	master := filepath.Join(dir, "master.mov")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=1280x720:rate=25:duration=2",
		"-f", "lavfi", "-i", "sine=duration=2", "-c:v", "prores_ks", "-profile:v", "1", "-pix_fmt", "yuv422p10le", "-c:a",
		"pcm_s24le", "-timecode", "10:00:00:00", master).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	b, err := os.ReadFile("../../docs/examples/plate.json")
	if err != nil {
		t.Fatal(err)
	}
	doc := string(b)
	for was, is := range map[string]string{
		`"frames": 200`: `"frames": 10`, `"last": 199`: `"last": 9`, `"frame": 199`: `"frame": 9`,
		`"frame": 110`: `"frame": 5`,
	} {
		doc = strings.ReplaceAll(doc, was, is)
	}
	if err := os.WriteFile(filepath.Join(dir, "second.json"), []byte(doc), 0o600); err != nil {
		t.Fatal(err)
	}
	shots := fmt.Sprintf(`[{"first":5,"last":14,"document":%s},{"first":30,"last":39,"document":"second.json"}]`, doc)
	list := filepath.Join(dir, "shots.json")
	if err := os.WriteFile(list, []byte(shots), 0o600); err != nil {
		t.Fatal(err)
	}
	out := filepath.Join(dir, "out.mov")
	args := []string{"render", "--clip", master, "--preset", "source", "--verify", "--json", "--shots"}
	code, said, errs := run(t, "", append(args, list, "--out", out)...)
	var got struct{ Copied, Encoded, Frames int }
	if err := json.Unmarshal([]byte(said), &got); code != 0 || err != nil || got.Copied != 30 || got.Encoded != 20 ||
		got.Frames != 50 {
		t.Errorf("%d %s %s", code, said, errs)
	}
	if i, err := media.Probe(t.Context(), out); err != nil || i.Timecode != "10:00:00:00" || i.Coded.Profile != "LT" {
		t.Errorf("the master came out as %+v, %v", i, err)
	}
	other := append(args, list, "--out", filepath.Join(dir, "out.mkv"))
	if code, _, errs := run(t, "", other...); code != 2 || errs == "" {
		t.Errorf("another container: %d %s", code, errs)
	}
	for _, bad := range []string{
		`[{"first":5,"last":14,"document":"second.json"},{"first":14,"last":23,"document":"second.json"}]`,
		`[{"first":45,"last":54,"document":"second.json"}]`, `[{"first":5}]`, `{}`,
	} {
		if err := os.WriteFile(list, []byte(bad), 0o600); err != nil {
			t.Fatal(err)
		}
		if code, _, errs := run(t, "", append(args, list, "--out", out)...); code != 1 || errs == "" {
			t.Errorf("%s: %d %s", bad, code, errs)
		}
	}
}

// A certificate is that of its file alone, and of who signed it.
func TestVerifyCommand(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, b []byte) string {
		t.Helper()
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	key, err := certificate.Key(dir)
	if err != nil {
		t.Fatal(err)
	}
	content := []byte("pictures and sound")
	master := write("master.mov", content)
	sha, size, err := storage.Digest(master)
	if err != nil {
		t.Fatal(err)
	}
	b, err := certificate.Sign(key, certificate.Statement{
		Programme: "Tidewrack Week", File: certificate.File{Name: "master.mov", Size: size, SHA256: sha, Frames: 9},
		Shots: []certificate.Shot{{Name: "Quay", Items: []certificate.Item{{Name: "Plate", State: "Approved"}}}},
	})
	if err != nil {
		t.Fatal(err)
	}
	signed := write("master.json", b)
	pub, err := certificate.Public(key)
	if err != nil {
		t.Fatal(err)
	}
	ours := write("public.pem", pub)
	if code, out, errs := run(t, "", "verify", signed, master, "--key", ours); code != 0 ||
		!strings.Contains(out, "Quay, Plate: Approved") {
		t.Errorf("%d %s %s", code, out, errs)
	}
	other, err := certificate.Key(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	theirs, err := certificate.Public(other)
	if err != nil {
		t.Fatal(err)
	}
	content[3] ^= 1
	changed := bytes.Clone(b)
	changed[len(b)/2] ^= 1
	for name, args := range map[string][]string{
		"a byte of the file":        {signed, write("spoilt.mov", content)},
		"a byte of the certificate": {write("changed.json", changed), master},
		"another file":              {signed, write("short.mov", content[:5])},
		"another key":               {signed, master, "--key", write("other.pem", theirs)},
		"no certificate":            {ours, master},
		"no file":                   {signed, filepath.Join(dir, "absent")},
	} {
		if code, _, errs := run(t, "", append([]string{"verify"}, args...)...); code != 1 || errs == "" {
			t.Errorf("%s: %d %s", name, code, errs)
		}
	}
}

// What is found goes into a document that has the surface's track, for the covers on it; held out at once only when
// that is asked for.
func holdoutInto(t *testing.T, clip, doc, dir string) {
	t.Helper()
	d, err := cover.Parse([]byte(doc))
	if err != nil {
		t.Fatal(err)
	}
	poses := &cover.Poses{Confidence: make([]float64, d.Frames), States: "a" + strings.Repeat("g", d.Frames-1)}
	for range d.Frames {
		poses.Corners = append(poses.Corners, [8]float64{100, 100, 400, 100, 400, 300, 100, 300})
	}
	d.Tracks = []cover.Track{{
		ID: "t1", Name: "Hull", Kind: cover.Surface, Model: "affine", Channel: "luma", Anchors: []cover.TrackAnchor{},
		Surface: []geom.Point{{X: 100, Y: 100}, {X: 400, Y: 100}, {X: 400, Y: 300}, {X: 100, Y: 300}}, Poses: poses,
	}}
	d.Covers[0].Track = "t1"
	given, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	into := filepath.Join(dir, "into.json")
	args := []string{"holdout", "--clip", clip, "--document", "-", "--into", into, "--from", "2", "--to", "4"}
	for _, more := range [][]string{{}, {"--accept", "--json"}} {
		code, out, errs := run(t, string(given), append(args, more...)...)
		if code != 0 {
			t.Fatalf("holdout %v: %d %s", more, code, errs)
		}
		b, err := os.ReadFile(into)
		if err != nil {
			t.Fatal(err)
		}
		got, err := cover.Parse(b)
		if err != nil || len(got.Covers) != len(d.Covers)+1 {
			t.Fatalf("the document: %v", err)
		}
		h := got.Covers[len(d.Covers)]
		if h.Proposed == nil || h.Proposed.Mattes == nil || h.Proposed.Mattes.First != 2 ||
			len(h.Proposed.Mattes.Frames) != 3 || !slices.Equal(h.HoldsOut, []string{d.Covers[0].ID}) ||
			len(h.Proposed.Accepted) != len(more)/2 || h.Span != (cover.Span{First: 2, Last: 4}) {
			t.Errorf("%v: the holdout is %+v", more, h)
		}
		var frames []struct{ Frame int }
		if len(more) > 0 {
			if err := json.Unmarshal([]byte(out), &frames); err != nil || len(frames) != 3 || frames[0].Frame != 2 {
				t.Errorf("holdout --json: %v %s", err, out)
			}
			if code, _, errs := run(t, string(b), "render", "--clip", clip, "--document", "-", "--out",
				filepath.Join(dir, "held.mkv"), "--verify"); code != 0 {
				t.Errorf("a document with mattes: %d %s", code, errs)
			}
		}
	}
	for _, bad := range [][]string{{"--track", "x.csv"}, {"--into", ""}, {"--into", "-", "--json"}} {
		if code, _, errs := run(t, string(given), append(args, bad...)...); code != 2 || errs == "" {
			t.Errorf("holdout %v: %d %s", bad, code, errs)
		}
	}
	if code, _, errs := run(t, doc, args...); code != 1 || !strings.Contains(errs, "no such track") {
		t.Errorf("holdout of a document without a track: %d %s", code, errs)
	}
}

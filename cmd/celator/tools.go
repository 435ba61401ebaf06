package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"celator/core/cover"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/server"
)

func probeCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "probe FILE", Short: "Say what a clip is", Args: cobra.ExactArgs(1)}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		i, err := media.Probe(cmd.Context(), args[0])
		if err != nil {
			return fmt.Errorf("%s: %w", args[0], err)
		}
		if asJSON {
			return printJSON(i)
		}
		rate := fmt.Sprintf("%.5g frames a second", i.Rate.Float())
		if i.Variable {
			rate += ", conformed from a variable rate"
		}
		fmt.Printf("%s  %s in %s\n", filepath.Base(args[0]), i.Codec, i.Container)
		fmt.Printf("  picture   %dx%d, %s, %d bit, %s range, %s\n", i.Width, i.Height, i.PixFmt, i.Depth,
			map[bool]string{true: "full", false: "limited"}[i.Range == "pc"], i.Matrix)
		fmt.Printf("  frames    %d at %s, %.3f s\n", i.Frames, rate, i.Duration)
		if first := i.First(); first != "" {
			fmt.Printf("  fields    interlaced, %s field first\n", first)
		}
		if i.Film {
			fmt.Println("  film      its pictures are marked to be shown for two and three fields (2:3 pulldown)")
		}
		if i.Timecode != "" {
			fmt.Printf("  timecode  %s\n", i.Timecode)
		}
		for _, s := range i.Sound {
			fmt.Printf("  sound     %s, %d channels, %d Hz", s.Codec, s.Channels, s.Rate)
			for _, t := range []string{s.Language, s.Title} {
				if t != "" {
					fmt.Print(", ", t)
				}
			}
			fmt.Println()
		}
		for _, s := range i.Subtitles {
			fmt.Printf("  subtitles %s %s %s\n", s.Codec, s.Language, s.Title)
		}
		for _, s := range i.Beside {
			fmt.Printf("  beside    %s\n", s)
		}
		return nil
	}
	return c
}

func printJSON(v any) error {
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

// readDocument reads and checks a document.
func readDocument(name string) (*cover.Document, error) {
	b, err := readFile(name)
	if err != nil {
		return nil, err
	}
	doc, err := cover.Parse(b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return doc, nil
}

// shotFile is a shot in the file that --shots names.
type shotFile struct {
	First    *int            `json:"first"`
	Last     *int            `json:"last"`
	Document json.RawMessage `json:"document"` // or the path of a file with it, from that file's folder
}

// readParts reads one document over a clip, or those of its shots.
func readParts(document, shots string) ([]deliver.Part, error) {
	if shots == "" {
		doc, err := readDocument(document)
		if err != nil {
			return nil, err
		}
		return deliver.Whole(doc), nil
	}
	b, err := readFile(shots)
	if err != nil {
		return nil, err
	}
	var list []shotFile
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&list); err != nil {
		return nil, fmt.Errorf("%s: %w", shots, err)
	}
	var parts []deliver.Part
	for i, s := range list {
		if s.First == nil || s.Last == nil || len(s.Document) == 0 {
			return nil, fmt.Errorf("%s: shot %d needs first, last and document", shots, i)
		}
		var path string
		var doc *cover.Document
		if json.Unmarshal(s.Document, &path) == nil {
			if !filepath.IsAbs(path) && shots != "-" {
				path = filepath.Join(filepath.Dir(shots), path)
			}
			doc, err = readDocument(path)
		} else {
			doc, err = cover.Parse(s.Document)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: shot %d: %w", shots, i, err)
		}
		parts = append(parts, deliver.Part{First: *s.First, Last: *s.Last, Document: doc})
	}
	return parts, nil
}

// readFile reads a file, or standard input for "-".
func readFile(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(io.LimitReader(os.Stdin, cover.MaxBytes+1))
	}
	return os.ReadFile(name)
}

// Long: flags and what they lead to.
func renderCommand() *cobra.Command {
	var clip, document, shots, out, preset string
	var from, to int
	var matte, verify, asJSON, damaged bool
	c := &cobra.Command{Use: "render", Short: "Write a clip with a document's covers"}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.StringVar(&document, "document", "", "document with the covers, - for standard input")
	f.StringVar(&shots, "shots", "", "instead of a document: a file with those of the clip's shots, as "+
		"[{\"first\": 0, \"last\": 99, \"document\": {…} or \"path\"}]")
	f.StringVar(&out, "out", "", "file to write; its ending chooses the format")
	f.StringVar(&preset, "preset", "", "a preset by name (review, archive, prores-hq, …), or a file with a recipe, "+
		"instead of the ending's; source codes as the clip is coded and copies what no cover touches")
	f.IntVar(&from, "from", 0, "first frame")
	f.IntVar(&to, "to", -1, "last frame; the clip's where not given")
	f.BoolVar(&matte, "matte", false, "write the combined matte, as grey, instead of the picture")
	f.BoolVar(&verify, "verify", false, "read the written file again and prove it")
	f.BoolVar(&damaged, "take-damaged", false, "take a damaged clip with what pictures it has")
	f.BoolVar(&asJSON, "json", false, "print what was done as JSON")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		ctx := cmd.Context()
		if (document == "") == (shots == "") {
			return wrongUse{errors.New("render needs either --document or --shots")}
		}
		for flag, v := range map[string]string{"clip": clip, "out": out} {
			if v == "" {
				return wrongUse{fmt.Errorf("render needs --%s", flag)}
			}
		}
		if out == "-" {
			return wrongUse{fmt.Errorf("a file with an index cannot be written to standard output; name a file")}
		}
		parts, err := readParts(document, shots)
		if err != nil {
			return err
		}
		read, err := clipOf(ctx, clip, out, damaged)
		if read.Path != clip {
			defer os.Remove(read.Path)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", clip, err)
		}
		info := read.Info
		var p media.Preset
		if info.Still != "" {
			p, err = stillPreset(info, preset, out, matte)
		} else {
			p, err = presetOf(info, preset, out)
		}
		if err != nil {
			return wrongUse{err}
		}
		if err := deliver.Apart(parts, info, info.Frames); err != nil {
			return err
		}
		if to < 0 {
			to = info.Frames - 1
		}
		if from < 0 || from > to || to >= info.Frames {
			return wrongUse{fmt.Errorf("frames %d to %d are not in the clip's 0 to %d", from, to, info.Frames-1)}
		}
		if same(clip, out) {
			return wrongUse{fmt.Errorf("--out is the clip itself; a source is never altered")}
		}
		if special(out) {
			return wrongUse{fmt.Errorf("--out %s is no file that could be replaced", out)}
		}
		part := filepath.Join(filepath.Dir(out), "."+filepath.Base(out)+".part")
		j := deliver.Job{
			Clip: read, Sound: clip, Original: info, Parts: parts, Preset: p, First: from,
			Last: to, Total: info.Frames, Out: part, Matte: matte,
		}
		defer os.Remove(part)
		if j.Anew, err = j.Encoded(ctx); err != nil {
			return err
		}
		if err := deliver.Render(ctx, j); errors.Is(err, media.ErrDamaged) {
			return fmt.Errorf("%w; --take-damaged takes it as it is", err)
		} else if err != nil {
			return err
		}
		encoded := 0
		for _, s := range j.Anew {
			encoded += s.Last - s.First + 1
		}
		var proof *deliver.Proof
		if verify && !(matte && p.Still) {
			pr, err := deliver.Verify(ctx, j, nil)
			if err != nil {
				return err
			}
			proof = &pr
		}
		if err := os.Rename(part, out); err != nil {
			return err
		}
		left := p.Left(info, from == 0 && to == info.Frames-1)
		if asJSON {
			return printJSON(map[string]any{
				"out": out, "preset": p.Name, "first": from, "last": to, "frames": to - from + 1,
				"copied": to - from + 1 - encoded, "encoded": encoded, "proof": proof, "left": left,
			})
		}
		said := fmt.Sprintf("wrote %d frames to %s", to-from+1, out)
		if copied := to - from + 1 - encoded; copied > 0 {
			said += fmt.Sprintf("; %d coded pictures are the clip's own, %d were coded anew", copied, encoded)
		}
		if proof != nil && p.Lossless {
			said += fmt.Sprintf("; every sample outside the covers equals the source's in all %d frames", proof.Compared)
		}
		if proof != nil && proof.Passages > 0 {
			said += fmt.Sprintf("; %d passages of sound were listened for and not heard", proof.Passages)
		}
		fmt.Fprintln(os.Stderr, said)
		for _, what := range p.Changes(info) {
			if !matte {
				fmt.Fprintln(os.Stderr, "changed:", what)
			}
		}
		for _, what := range left {
			fmt.Fprintln(os.Stderr, "not carried:", what)
		}
		return nil
	}
	return c
}

// clipOf looks at a clip that is rendered to out. Of one that is taken damaged a copy is read, beside
// what is written, which the caller removes.
func clipOf(ctx context.Context, path, out string, damaged bool) (media.Clip, error) {
	if damaged {
		copied := filepath.Join(filepath.Dir(out), "."+filepath.Base(out)+".copy")
		c, err := media.Salvage(ctx, path, copied, nil)
		c.Path = copied
		return c, err
	}
	info, err := media.Probe(ctx, path)
	if errors.Is(err, media.ErrDamaged) {
		err = fmt.Errorf("%w; --take-damaged takes it as it is", err)
	}
	return media.Clip{Path: path, Info: info}, err
}

// presetOf is a preset that takes a clip: by name, by a file with a recipe, or by the ending of what is written.
func presetOf(info media.Info, name, out string) (media.Preset, error) {
	if name == media.SourcePreset {
		p, err := info.Same()
		if err == nil && p.Ending != strings.ToLower(filepath.Ext(out)) {
			err = fmt.Errorf("as the source is, it is written into files that end in %s", p.Ending)
		}
		return p, err
	}
	var p media.Preset
	var err error
	if strings.HasSuffix(name, ".json") {
		p, err = readRecipe(name)
	} else {
		p, err = media.PresetFor(name, out)
	}
	if err == nil {
		err = p.Fits(info)
	}
	return p, err
}

// readRecipe makes a preset of a file with a recipe.
func readRecipe(name string) (media.Preset, error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return media.Preset{}, err
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	var r media.Recipe
	if err := dec.Decode(&r); err != nil {
		return media.Preset{}, fmt.Errorf("%s: %w", name, err)
	}
	return r.Preset()
}

// stillPreset checks that a still is written as what it is: by its own kind's
// ending, or its matte as a PNG.
func stillPreset(info media.Info, name, out string, matte bool) (media.Preset, error) {
	if name == "" {
		name = "still"
	}
	p, err := info.For(name)
	if err != nil {
		return p, err
	}
	want := info.Still
	if matte {
		want = "png"
	}
	ending := strings.ToLower(filepath.Ext(out))
	kinds := map[string]string{".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".tif": "tiff", ".tiff": "tiff"}
	if kinds[ending] != want {
		return p, fmt.Errorf("this is written as %s; end the name accordingly", strings.ToUpper(want))
	}
	return p, nil
}

func same(a, b string) bool {
	x, err1 := os.Stat(a)
	y, err2 := os.Stat(b)
	return err1 == nil && err2 == nil && os.SameFile(x, y)
}

func openapiCommand() *cobra.Command {
	var browser bool
	c := &cobra.Command{
		Use: "openapi", Short: "Print the HTTP API's contract",
		RunE: func(*cobra.Command, []string) error {
			write := server.OpenAPI
			if browser {
				write = server.BrowserCore
			}
			b, err := write()
			if err == nil {
				_, err = fmt.Println(strings.TrimSpace(string(b)))
			}
			return err
		},
	}
	c.Flags().BoolVar(&browser, "browser-core", false, "that of the core in the browser instead")
	return c
}

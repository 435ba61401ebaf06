package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"celator/core/check"
	"celator/core/cover"
	"celator/internal/checkrun"
	"celator/internal/deliver"
	"celator/internal/media"
	"celator/internal/reader"
)

// found ends the program with 3: the check did its work and found something.
type found struct{ n int }

func (f found) Error() string { return fmt.Sprintf("%d findings", f.n) }

// checked is a finding as it is printed.
type checked struct {
	check.Finding
	Name  string  `json:"name" doc:"the cover's"`
	Title string  `json:"title"`
	Unit  string  `json:"unit"`
	Place *[4]int `json:"place,omitempty" doc:"x, y, width, height on the worst frame, px"`
	// Evidence is what a machine reads in what was made out.
	Evidence string `json:"evidence,omitempty"`
}

func checkCommand() *cobra.Command {
	var clip, document string
	var asJSON bool
	c := &cobra.Command{
		Use:   "check",
		Short: "Try to break a document's covers; 0 is clean, 3 says that something was found",
	}
	f := c.Flags()
	f.StringVar(&clip, "clip", "", "clip to read")
	f.StringVar(&document, "document", "", "document with the covers, - for standard input")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		for flag, v := range map[string]string{"clip": clip, "document": document} {
			if v == "" {
				return wrongUse{fmt.Errorf("check needs --%s", flag)}
			}
		}
		doc, err := readDocument(document)
		if err != nil {
			return err
		}
		info, err := media.Probe(cmd.Context(), clip)
		if err != nil {
			return fmt.Errorf("%s: %w", clip, err)
		}
		if err := deliver.Fits(doc, info, info.Frames); err != nil {
			return err
		}
		m := reader.New(reader.Dir(), 1)
		defer m.Close()
		reads, err := m.Reader()
		if err != nil {
			fmt.Fprintln(os.Stderr, "celator: no machine reads what the covers hide:", err)
		}
		all, err := checkrun.Run(cmd.Context(), checkrun.Job{
			Clip: media.Clip{Path: clip, Info: info}, Document: doc, Reader: reads,
		})
		if err != nil {
			return err
		}
		read := make([]string, len(all))
		for i, f := range all {
			if read[i], err = checkrun.Evidence(cmd.Context(), reads, f.Recovered); err != nil {
				return err
			}
		}
		if asJSON {
			out := []checked{}
			for i, f := range all {
				a := check.Describe(f.Kind)
				v := checked{Finding: f, Title: a.Title, Unit: a.Unit, Name: nameOf(doc, f.Cover), Evidence: read[i]}
				if r := f.Place; !r.Empty() {
					v.Place = &[4]int{r.Min.X, r.Min.Y, r.Dx(), r.Dy()}
				}
				out = append(out, v)
			}
			if err := printJSON(out); err != nil {
				return err
			}
		} else {
			for n, f := range all {
				printFinding(f, read[n])
			}
			if len(all) == 0 {
				fmt.Fprintln(os.Stderr, "nothing was found")
			}
		}
		if len(all) > 0 {
			return found{len(all)}
		}
		return nil
	}
	return c
}

func nameOf(d *cover.Document, id string) string {
	if c := d.Find(id); c != nil {
		return c.Name
	}
	return ""
}

// printFinding prints one on a line, with what a machine reads.
func printFinding(f check.Finding, read string) {
	a := check.Describe(f.Kind)
	frames := ""
	for i, s := range f.Frames {
		if i > 0 {
			frames += ","
		}
		if frames += fmt.Sprint(s.First); s.Last > s.First {
			frames += fmt.Sprintf("-%d", s.Last)
		}
	}
	says := f.Says
	if read != "" {
		says += " A machine reads: " + read + "."
	}
	fmt.Printf("%s\t%s\t%s\t%s\t%.3g %s\t%s\n", f.Kind, f.Cover, frames, f.Severity, f.Figure, a.Unit, says)
}

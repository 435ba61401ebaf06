package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"io"
	"log"
	"math"
	"os"
	"path/filepath"
	"strconv"

	"celator/internal/demo"
)

// photographs are those that packages of Debian install, which make bench-world asks for: examples of a vision
// library and desktop backgrounds.
var photographs = []string{
	"/usr/share/doc/opencv-doc/examples/data/*.jpg", "/usr/share/wallpapers/*/contents/images/*.jpg",
}

// photos loads them, each once, those that are large enough to show something.
func photos() (out []image.Image) {
	const least = 400
	seen := map[[32]byte]bool{}
	for _, pattern := range photographs {
		files, err := filepath.Glob(pattern)
		check(err)
		for _, path := range files {
			f, err := os.Open(path)
			if err != nil {
				continue
			}
			h := sha256.New()
			io.Copy(h, f)
			_, err = f.Seek(0, io.SeekStart)
			check(err)
			p, _, err := image.Decode(f)
			f.Close()
			sum := [32]byte(h.Sum(nil))
			if err != nil || seen[sum] || min(p.Bounds().Dx(), p.Bounds().Dy()) < least {
				continue
			}
			seen[sum] = true
			out = append(out, p)
		}
	}
	return out
}

// world measures on trials of photographs. Of those that are kept no single one is told of.
func world(part, data string, names []string) {
	n, err := strconv.Atoi(os.Getenv("COUNT"))
	if err != nil {
		n = 100
	}
	all := photos()
	if len(all) < 20 {
		log.Fatalf("only %d photographs are installed", len(all))
	}
	shots := demo.Worlds(part, all, n)
	dir := filepath.Join(data, "world", part)
	check(demo.Generate(context.Background(), dir, shots, func(string) {}))
	kinds := map[string][]*tally{}
	var order []string
	sum := make([]*tally, len(names))
	for i := range sum {
		sum[i] = &tally{}
	}
	for _, s := range shots {
		if kinds[s.Kind] == nil {
			order = append(order, s.Kind)
			for range names {
				kinds[s.Kind] = append(kinds[s.Kind], &tally{})
			}
		}
		for i, name := range names {
			one := &tally{}
			one.run(name, filepath.Join(dir, s.Name), s)
			kinds[s.Kind][i].add(one)
			if s.Kind != "cloth" {
				sum[i].add(one)
			}
			if part == demo.Work {
				fmt.Printf("%-16s %-12s%v\n", s.Title, name, one)
			}
		}
	}
	fmt.Printf("%d trials of %d photographs, %s\n", n, len(all), part)
	line := func(what string, ts []*tally) {
		fmt.Printf("%-16s", what)
		for _, t := range ts {
			fmt.Print(t)
			if t.good > 0 {
				fmt.Printf(" (%4.1f)", 100*(1-float64(t.wrong)/float64(t.good)))
			}
		}
		fmt.Println()
	}
	for _, k := range order {
		line(k, kinds[k])
	}
	line("all but cloth", sum)
	for i, t := range sum {
		fmt.Printf("%s: jitter %.2f px, %.0f ms of processor a frame\n", names[i], math.Sqrt(mean(t.jitter)),
			t.cpu.Seconds()*1000/float64(max(t.frames, 1)))
	}
}

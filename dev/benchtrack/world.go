package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/dev/photos"
	"celator/internal/demo"
)

// world measures on trials of photographs. Of those that are kept no single one is told of.
func world(part, data string, names []string) {
	n, err := strconv.Atoi(os.Getenv("COUNT"))
	if err != nil {
		n = 100
	}
	all, err := photos.Installed()
	check(err)
	shots := demo.Worlds(part, all, n)
	only := os.Getenv("ONLY")
	shots = slices.DeleteFunc(shots, func(s demo.Shot) bool {
		return os.Getenv("MESH") != "" && s.Kind != "cloth" || only != "" && !strings.Contains(only, s.Name)
	})
	dir := filepath.Join(data, "world", part)
	check(demo.Generate(context.Background(), dir, shots, func(string) {}))
	if os.Getenv("POINTS") != "" {
		worldPoints(part, dir, shots)
		return
	}
	if os.Getenv("MESH") != "" {
		worldMeshes(part, dir, shots)
		return
	}
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
				fmt.Printf(" (%4.1f of %d)", 100*(1-float64(t.wrong)/float64(t.good)), t.good)
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

// worldPoints follows three points of each surface instead; a sheet that bends is taken to be flat.
func worldPoints(part, dir string, shots []demo.Shot) {
	kinds := map[string][]float64{}
	var order []string
	var all []float64
	for _, s := range shots {
		errs := points(filepath.Join(dir, s.Name), s)
		if kinds[s.Kind] == nil {
			order = append(order, s.Kind)
		}
		kinds[s.Kind] = append(kinds[s.Kind], errs...)
		if s.Kind != "cloth" {
			all = append(all, errs...)
		}
		if part == demo.Work {
			tellPoints(s.Title, errs)
		}
	}
	for _, k := range order {
		tellPoints(k, kinds[k])
	}
	tellPoints("all but cloth", all)
}

func tellPoints(what string, errs []float64) {
	if len(errs) == 0 {
		fmt.Printf("points: %-16s not seen\n", what)
		return
	}
	slices.Sort(errs)
	n, _ := slices.BinarySearch(errs, 2)
	fmt.Printf("points: %-16s median %.2f px, within 2 px %.1f %% of %d\n", what, errs[len(errs)/2],
		100*float64(n)/float64(len(errs)), len(errs))
}

// worldMeshes follows the sheets alone, as planes and as cloth.
func worldMeshes(part, dir string, shots []demo.Shot) {
	var planes, cloths meshErrors
	for _, s := range shots {
		plane, cloth := meshes(filepath.Join(dir, s.Name), s)
		planes.add(plane)
		cloths.add(cloth)
		if part == demo.Work {
			tellMesh(s.Title+" as a plane", plane)
			tellMesh(s.Title+" as cloth", cloth)
		}
	}
	tellMesh("as planes", planes)
	tellMesh("as cloth", cloths)
}

package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/dev/photos"
	"celator/internal/demo"
)

// world measures on crossings of photographs. Of those that are kept no single one is told of.
func world(ctx context.Context, part, data string) {
	n, err := strconv.Atoi(os.Getenv("COUNT"))
	if err != nil {
		n = 36
	}
	if part == demo.Kept && (os.Getenv("SHEETS") != "" || os.Getenv("EACH") != "") {
		log.Fatal("the kept part is not looked into")
	}
	all, err := photos.Installed()
	check(err)
	only := os.Getenv("ONLY")
	shots := slices.DeleteFunc(demo.WorldCrossings(part, all, n), func(s demo.Shot) bool {
		return only != "" && !strings.Contains(only, s.Name) && only != s.Kind
	})
	dir := filepath.Join(data, "world", "crossings-"+part)
	check(demo.Generate(ctx, dir, shots, func(string) {}))
	ours, plain := map[string]*tally{}, map[string]*tally{}
	var order []string
	var sum, beside tally
	if part == demo.Work {
		fmt.Println(heading)
	}
	for _, s := range shots {
		t, p := run(ctx, filepath.Join(dir, s.Name), s, true)
		if ours[s.Kind] == nil {
			order, ours[s.Kind], plain[s.Kind] = append(order, s.Kind), &tally{}, &tally{}
		}
		ours[s.Kind].add(t)
		plain[s.Kind].add(p)
		sum.add(t)
		beside.add(p)
		if part == demo.Work {
			fmt.Println(t.line(s.Name + " " + s.Kind))
			fmt.Println(p.line("     beside"))
		}
	}
	fmt.Printf("%d crossings of %d photographs, %s\n", len(shots), len(all), part)
	fmt.Println(heading)
	for _, k := range order {
		fmt.Println(ours[k].line(k))
		fmt.Println(plain[k].line("  the plain way"))
	}
	fmt.Println(sum.line("all"))
	fmt.Println(beside.line("  the plain way"))
}

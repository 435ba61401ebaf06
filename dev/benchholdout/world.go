package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strconv"

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
	shots := demo.WorldCrossings(part, all, n)
	dir := filepath.Join(data, "world", "crossings-"+part)
	check(demo.Generate(ctx, dir, shots, func(string) {}))
	kinds := map[string]*tally{}
	var order []string
	var sum tally
	for _, s := range shots {
		t := run(ctx, filepath.Join(dir, s.Name), s)
		if kinds[s.Kind] == nil {
			order, kinds[s.Kind] = append(order, s.Kind), &tally{}
		}
		kinds[s.Kind].add(t)
		sum.add(t)
		if part == demo.Work {
			fmt.Println(t.line(s.Name + " " + s.Kind))
		}
	}
	fmt.Printf("%d crossings of %d photographs, %s\n", n, len(all), part)
	for _, k := range order {
		fmt.Println(kinds[k].line(k))
	}
	fmt.Println(sum.line("all"))
}

package main

import (
	"os"
	"strings"
	"testing"
)

// Everything that is compiled in is named, in the version that is compiled in.
func TestNoticesAreWhole(t *testing.T) {
	t.Chdir("../..")
	text, err := os.ReadFile("web/public/notices.txt")
	if err != nil {
		t.Fatal(err)
	}
	all, err := modules()
	if err != nil || len(all) < 20 {
		t.Fatalf("%d modules, %v", len(all), err)
	}
	for _, p := range all {
		if p.name != "Go" && !strings.Contains(string(text), "\n"+p.name+" "+p.version+"\n") {
			t.Errorf("web/public/notices.txt does not name %s %s: run make notices", p.name, p.version)
		}
	}
}

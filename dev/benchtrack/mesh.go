package main

import (
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"celator/core/geom"
	"celator/internal/demo"
)

// side is how many places the program tells of along a surface's side.
const side = 17

// meshErrors are how far from the truth places all over a cloth are found.
type meshErrors struct {
	errs  []float64 // px
	good  int       // frames of those looked at that are said to be good
	right int       // and of those, whose places are within 2 px (root mean square)
}

func (e *meshErrors) add(o meshErrors) {
	e.errs, e.good, e.right = append(e.errs, o.errs...), e.good+o.good, e.right+o.right
}

// meshes follows a cloth as a plane and as what it is.
func meshes(dir string, s demo.Shot) (plane, cloth meshErrors) {
	mesh := s.Mesh()
	if mesh == nil {
		return plane, cloth
	}
	truth, err := demo.ReadTruth(dir)
	check(err)
	if os.Getenv("MESH") != "cloth" {
		plane = offMesh(dir, s, truth, mesh, "perspective")
	}
	return plane, offMesh(dir, s, truth, mesh, "cloth")
}

func offMesh(dir string, s demo.Shot, truth []demo.Truth, mesh func(int) []geom.Point, model string) (e meshErrors) {
	out, err := os.MkdirTemp("", "celator-bench-mesh")
	check(err)
	defer os.RemoveAll(out)
	from := mesh(s.Reference)
	outline := demo.Inner(from)
	var quad []string
	for _, p := range outline {
		quad = append(quad, fmt.Sprintf("%f,%f", p.X, p.Y))
	}
	file := filepath.Join(out, "mesh.csv")
	b, err := exec.Command("bin/celator", "track", "--clip", filepath.Join(dir, "clip.mp4"), "--quad",
		strings.Join(quad, " "), "--frame", strconv.Itoa(s.Reference), "--model", model, "--mesh", file, "--out",
		filepath.Join(out, "track.csv")).CombinedOutput()
	if err != nil {
		check(fmt.Errorf("%s: %w\n%s", dir, err, b))
	}
	b, err = os.ReadFile(file)
	check(err)
	found := map[int][]geom.Point{}
	for _, line := range strings.Split(strings.TrimSpace(string(b)), "\n")[1:] {
		var f int
		var p, q geom.Point
		_, err := fmt.Sscanf(line, "%d,%f,%f,%f,%f", &f, &p.X, &p.Y, &q.X, &q.Y)
		check(err)
		found[f] = append(found[f], q)
	}
	states, err := os.ReadFile(filepath.Join(out, "track.csv"))
	check(err)
	rows := strings.Split(strings.TrimSpace(string(states)), "\n")[1:]
	box := geom.Bounds(outline)
	for f := 0; f < s.Frames; f += 4 {
		if f == s.Reference || truth[f].Visible < .5 {
			continue
		}
		before, sum := len(e.errs), 0.
		for i, want := range mesh(f) {
			if !inside(outline, from[i]) {
				continue
			}
			u := (from[i].X - box.Min.X) / (box.Max.X - box.Min.X) * (side - 1)
			v := (from[i].Y - box.Min.Y) / (box.Max.Y - box.Min.Y) * (side - 1)
			x, y := min(int(u), side-2), min(int(v), side-2)
			g := found[f][y*side+x:]
			at := g[0].Lerp(g[1], u-float64(x)).Lerp(g[side].Lerp(g[side+1], u-float64(x)), v-float64(y))
			d := at.Sub(want).Len()
			e.errs = append(e.errs, d)
			sum += d * d
		}
		if strings.HasSuffix(rows[f], ",good") {
			e.good++
			if math.Sqrt(sum/float64(len(e.errs)-before)) <= 2 {
				e.right++
			}
		}
	}
	return e
}

// inside: a place lies in a quadrilateral whose corners run clockwise.
func inside(quad []geom.Point, p geom.Point) bool {
	for i, a := range quad {
		if quad[(i+1)%len(quad)].Sub(a).Cross(p.Sub(a)) < 0 {
			return false
		}
	}
	return true
}

// tellMesh prints what the errors of places came to.
func tellMesh(what string, e meshErrors) {
	errs := e.errs
	if len(errs) == 0 {
		return
	}
	slices.Sort(errs)
	at := func(q float64) float64 { return errs[int(math.Round(q*float64(len(errs)-1)))] }
	n, _ := slices.BinarySearch(errs, 2)
	fmt.Printf("mesh: %-24s median %.2f px, 95 %% within %.2f px, within 2 px %.1f %% of %d; good and right %d of %d\n",
		what, at(.5), at(.95), 100*float64(n)/float64(len(errs)), len(errs), e.right, e.good)
}

package media

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"celator/core/timecode"
)

// A folder with nothing but numbered pictures of one kind is a clip, at a rate that no
// picture says.
var sequenceRate = timecode.Rate{Num: 25, Den: 1}

// numbered is a picture's name: anything, its number, its kind.
var numbered = regexp.MustCompile(`^(.*?)(\d+)\.(png|tif|tiff|dpx|jpg|jpeg|bmp)$`)

// pictures are the numbered pictures of a folder.
type pictures struct {
	pattern string // of their files, as ffmpeg has it
	first   int
	count   int
	size    int64
}

var errNoSequence = errors.New("not a folder of numbered pictures")

// Numbered returns how many pictures a folder of numbered ones has, and how many bytes; 0 where it is none.
func Numbered(dir string) (n int, size int64) {
	p, err := sequence(dir)
	if err != nil {
		return 0, 0
	}
	return p.count, p.size
}

// sequence looks at a folder. The error, for people, says why it is no sequence.
func sequence(dir string) (p pictures, err error) {
	if st, err := os.Stat(dir); err != nil || !st.IsDir() {
		return p, errNoSequence
	}
	all, err := os.ReadDir(dir)
	if err != nil {
		return p, err
	}
	numbers := make([]int, len(all))
	parts := make([][]string, len(all))
	order := make([]int, len(all))
	for i, e := range all {
		m := numbered.FindStringSubmatch(e.Name())
		if m == nil {
			return p, fmt.Errorf("it holds %q, which is no numbered picture", e.Name())
		}
		if numbers[i], err = strconv.Atoi(m[2]); err != nil {
			return p, fmt.Errorf("the number of %q is too large", e.Name())
		}
		order[i], parts[i] = i, m
	}
	slices.SortStableFunc(order, func(a, b int) int { return numbers[a] - numbers[b] })
	digits := "%d"
	for _, m := range parts { // numbers that begin with a nought are all as long
		if strings.HasPrefix(m[2], "0") && len(m[2]) > 1 {
			digits = fmt.Sprintf("%%0%dd", len(m[2]))
		}
	}
	for k, i := range order {
		m, n := parts[i], numbers[i]
		if k == 0 {
			p.first = n
			p.pattern = strings.ReplaceAll(m[1], "%", "%%") + digits + "." + m[3]
		}
		if n != p.first+k {
			return p, fmt.Errorf("picture %d is missing", p.first+k)
		}
		if m[0] != parts[order[0]][1]+fmt.Sprintf(digits, n)+"."+parts[order[0]][3] {
			return p, fmt.Errorf("%q is named otherwise than %q", m[0], parts[order[0]][0])
		}
		info, err := all[i].Info()
		if err != nil {
			return p, err
		}
		if !info.Mode().IsRegular() {
			return p, fmt.Errorf("%q is no file", m[0])
		}
		p.count, p.size = k+1, p.size+info.Size()
	}
	if p.count == 0 {
		return p, errors.New("it is empty")
	}
	p.pattern = filepath.Join(strings.ReplaceAll(dir, "%", "%%"), p.pattern)
	return p, nil
}

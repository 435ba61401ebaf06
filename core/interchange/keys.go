package interchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"celator/core/cover"
)

var keyHeader = []string{"frame", "move_x", "move_y", "turn", "size_x", "size_y", "ease"}

// KeysCSV writes a cover's keys of place, a row each: how far it is moved from where
// it was drawn (px), turned (degrees, clockwise) and sized (ratios), and how it goes
// on from there: even, held or eased.
func KeysCSV(c *cover.Cover) []byte {
	var b bytes.Buffer
	b.WriteString(strings.Join(keyHeader, ",") + "\n")
	for _, k := range c.Motion.Keys {
		ease := string(k.Ease)
		if ease == "" {
			ease = "even"
		}
		fmt.Fprintf(&b, "%v,%.4f,%.4f,%.5f,%.6f,%.6f,%s\n", k.Frame, k.Move.X, k.Move.Y, k.Turn, k.Size.X, k.Size.Y, ease)
	}
	return b.Bytes()
}

// ParseKeysCSV reads keys of place, for a shot of so many frames. The size and the
// ease may be missing; then they are 1 and even.
func ParseKeysCSV(b []byte, frames int) ([]cover.PlacementKey, error) {
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(b, []byte("\xef\xbb\xbf"))))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	head, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("the file has no first line: %w", err)
	}
	if len(head) < 4 || strings.ToLower(strings.Join(head[:4], ",")) != strings.Join(keyHeader[:4], ",") {
		return nil, fmt.Errorf("the first line must be %s", strings.Join(keyHeader, ","))
	}
	var out []cover.PlacementKey
	for line := 2; ; line++ {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		k := cover.PlacementKey{Placement: cover.Rest}
		if k.Frame, err = cover.ParseTime(row[0], cover.MaxFrames); err != nil {
			return nil, fmt.Errorf("line %d: %w", line, err)
		}
		if len(row) < 4 {
			return nil, fmt.Errorf("line %d has %d fields, not at least 4", line, len(row))
		}
		for i, v := range []*float64{&k.Move.X, &k.Move.Y, &k.Turn, &k.Size.X, &k.Size.Y} {
			if i+1 >= len(row) || i > 2 && row[i+1] == "" {
				break
			}
			if *v, err = strconv.ParseFloat(row[i+1], 64); err != nil {
				return nil, fmt.Errorf("line %d: %q is no number", line, row[i+1])
			}
		}
		if len(row) > 6 && row[6] != "even" {
			k.Ease = cover.Ease(row[6])
		}
		out = append(out, k)
	}
	if len(out) == 0 {
		return nil, errors.New("the file has no key")
	}
	if err := (cover.Motion{Keys: out}).Validate(frames); err != nil {
		return nil, err
	}
	return out, nil
}

// ParseCover reads a cover with all its keys, as the document's schema has it. One
// that rides on a track says nothing without it and is refused.
func ParseCover(b []byte) (*cover.Cover, error) {
	if len(b) > cover.MaxBytes {
		return nil, fmt.Errorf("larger than %d MB", cover.MaxBytes>>20)
	}
	dec := json.NewDecoder(bytes.NewReader(b))
	dec.DisallowUnknownFields()
	var c cover.Cover
	if err := dec.Decode(&c); err != nil {
		return nil, err
	}
	if c.Track != "" {
		return nil, errors.New("the cover rides on a track; turn it into hand keys before it is written")
	}
	return &c, nil
}

package media

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// damageTime is how long is looked for where damage lies, once it is known that there is
// some: to say where is a help, not to say it is no loss.
const damageTime = 30 * time.Second

// damagedAt says on which frames the decoder complained, in words: " on frames 12, 13 and more", or
// nothing where that cannot be told.
func damagedAt(ctx context.Context, path string) string {
	ctx, cancel := context.WithTimeout(ctx, damageTime)
	defer cancel()
	const said = "16" // errors alone
	out, err := run(ctx, "ffprobe", append([]string{
		"-v", "error", "-threads", "1", "-select_streams", "v:0", "-show_log", said, "-of", "json",
		"-show_entries", "frame=pict_type:log=message",
	}, input(path)...))
	if err != nil {
		return ""
	}
	return readLogs(out)
}

// readLogs reads ffprobe's frames, each with what the decoder said of it.
func readLogs(out []byte) string {
	var probed struct {
		Frames []struct {
			Logs []struct {
				Message string `json:"message"`
			} `json:"logs"`
		} `json:"frames"`
	}
	if json.Unmarshal(out, &probed) != nil {
		return ""
	}
	words, n := "", 0
	for f, p := range probed.Frames {
		t := &tail{}
		for _, l := range p.Logs {
			fmt.Fprintln(t, l.Message)
		}
		if !t.damaged() {
			continue
		}
		switch n++; n {
		case 1:
			words = fmt.Sprintf(" on frame %d", f)
		case 2:
			words = fmt.Sprintf(" on frames%s, %d", words[len(" on frame"):], f)
		case 3:
			words += " and more"
		}
	}
	return words
}

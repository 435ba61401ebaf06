// Package intake is a stand-in for a station's delivery intake: it takes files by resumable upload
// (tus 1.0) or from a watched folder, refuses wrong names, formats and checksums, and gives a receipt
// for each file, in words.
//
//	DIR/uploads/   uploads under way
//	DIR/receipts/  what became of each upload, ID.json
//	DIR/accepted/  files that were acknowledged
//	DIR/watch/     the watched folder: NAME with NAME.sha256 beside it; NAME.receipt.json is the answer
package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/storage"
)

// States of a receipt.
const (
	Checking     = "checking"
	Acknowledged = "acknowledged"
	Refused      = "refused"
)

// Receipt is what the intake says of a file.
type Receipt struct {
	State  string    `json:"state" enum:"checking,acknowledged,refused"`
	Name   string    `json:"name"`
	Size   int64     `json:"size"`
	SHA256 string    `json:"sha256" doc:"of the file as it arrived"`
	Reason string    `json:"reason" doc:"why it is refused, in words"`
	At     time.Time `json:"at"`
}

// Rules are what the intake takes.
type Rules struct {
	Names   *regexp.Regexp // of the whole name
	Formats []string       // endings, with their dots
	Largest int64          // bytes
}

// Usual are the rules of the stand-in where none are given.
var Usual = Rules{
	Names:   regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9 _.-]{2,100}$`),
	Formats: []string{".mxf", ".mov", ".mp4", ".mkv", ".mpg", ".wav", ".zip"},
	Largest: 1 << 40,
}

// ErrRefused marks what the rules do not take.
var ErrRefused = errors.New("refused")

func refused(format string, a ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrRefused}, a...)...)
}

// Takes says whether a file of that name and size may be sent.
func (r Rules) Takes(name string, size int64) error {
	switch {
	case !r.Names.MatchString(name) || name != filepath.Base(name) || strings.HasPrefix(name, "."):
		return refused("its name %q is not of the form %s", name, r.Names)
	case !slices.Contains(r.Formats, strings.ToLower(filepath.Ext(name))):
		return refused("files that end in %q are not taken, only %s", filepath.Ext(name), strings.Join(r.Formats, ", "))
	case size <= 0 || size > r.Largest:
		return refused("%d bytes are not between 1 and %d", size, r.Largest)
	}
	return nil
}

// Intake is the stand-in.
type Intake struct {
	dir   string
	rules Rules
	log   *slog.Logger
	mu    sync.Mutex // one file is judged at a time
}

// Open makes the folders.
func Open(dir string, rules Rules, log *slog.Logger) (*Intake, error) {
	for _, d := range []string{"uploads", "receipts", "accepted", "watch"} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o700); err != nil {
			return nil, err
		}
	}
	return &Intake{dir: dir, rules: rules, log: log}, nil
}

// judge looks at a file that has arrived whole, and moves it where it belongs. The receipt is final; an error
// is the machine's.
func (in *Intake) judge(ctx context.Context, path, name, promised string) (Receipt, error) {
	in.mu.Lock()
	defer in.mu.Unlock()
	r := Receipt{State: Refused, Name: name, At: time.Now().UTC()}
	kept := filepath.Join(in.dir, "accepted", name)
	sha, size, err := storage.Digest(path)
	if errors.Is(err, os.ErrNotExist) { // taken, and ended before it could say so
		sha, size, err = storage.Digest(kept)
		if err == nil && strings.EqualFold(sha, promised) {
			r.State, r.Size, r.SHA256 = Acknowledged, size, sha
			return r, nil
		}
		return r, os.ErrNotExist
	}
	if err != nil {
		return r, err
	}
	r.Size, r.SHA256 = size, sha
	err = in.rules.Takes(name, size)
	if err == nil && !strings.EqualFold(sha, promised) {
		err = refused("its checksum is %s, announced was %s", sha, promised)
	}
	if ext := strings.ToLower(filepath.Ext(name)); err == nil && ext != ".zip" && ext != ".wav" {
		if _, e := media.Probe(ctx, path); ctx.Err() != nil {
			return r, ctx.Err()
		} else if fault.IsMachine(e) {
			return r, e
		} else if e != nil {
			err = refused("it cannot be played: %v", e)
		}
	}
	if old, _, e := storage.Digest(kept); err == nil && e == nil && old != sha {
		err = refused("another file of that name was taken before")
	}
	if err != nil {
		r.Reason = strings.TrimPrefix(err.Error(), ErrRefused.Error()+": ")
		in.log.Info("refused", "name", name, "why", r.Reason)
		return r, os.Remove(path)
	}
	if err := os.Rename(path, kept); err != nil {
		return r, err
	}
	r.State = Acknowledged
	in.log.Info("acknowledged", "name", name, "bytes", size)
	return r, nil
}

// write keeps a receipt, whole or not at all.
func write(path string, r Receipt) error {
	b, err := json.Marshal(r)
	if err == nil {
		err = os.WriteFile(path+".part", b, 0o600)
	}
	if err == nil {
		err = os.Rename(path+".part", path)
	}
	return err
}

// ReadReceipt reads a receipt's file.
func ReadReceipt(path string) (r Receipt, err error) {
	b, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(b, &r)
	}
	return r, err
}

// Package sweep takes away what nothing uses any more: uploads that nobody goes on with,
// files half written, folders of what was removed, segments that no delivery will need,
// attempts and graphics that no revision points at. What a person brought and the
// programme knows is never touched.
package sweep

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"celator/internal/storage"
	"celator/internal/store"
)

// Ages are how long each kind of thing is left alone.
type Ages struct {
	Uploads  time.Duration // since the last byte came; people come back to an upload after days
	Halves   time.Duration // since a file that is being written was written to
	Orphans  time.Duration // folders that no row names: a row is entered moments after its folder
	Segments time.Duration // since a segment was made or used; a small change reuses the others
	Unused   time.Duration // attempts and graphics that no revision points at
}

// Rules are the ages in use.
var Rules = Ages{
	Uploads: 7 * 24 * time.Hour, Halves: 24 * time.Hour, Orphans: time.Hour,
	Segments: 30 * 24 * time.Hour, Unused: 30 * 24 * time.Hour,
}

// Done is one thing that was taken away, or would be.
type Done struct {
	Rule, What, Why string
	Bytes           int64
}

// Often sweeps now and every hour until the context ends.
func Often(ctx context.Context, st *store.Store, lib storage.Library, log *slog.Logger) {
	for {
		done, err := Run(ctx, st, lib, Rules, false, time.Now())
		for _, d := range done {
			log.Info("swept", "rule", d.Rule, "what", d.What, "bytes", d.Bytes, "why", d.Why)
		}
		if err != nil && ctx.Err() == nil {
			log.Warn("sweeping was cut short", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
	}
}

// Run sweeps once; dry only says what would go. Each rule goes on where another fails.
func Run(ctx context.Context, st *store.Store, lib storage.Library, ages Ages, dry bool, now time.Time) ([]Done,
	error,
) {
	s := &sweeper{ctx: ctx, st: st, lib: lib, ages: ages, dry: dry, now: now}
	err := errors.Join(s.uploads(), s.halves(), s.orphans(), s.segments(), s.unused())
	return s.done, err
}

type sweeper struct {
	ctx  context.Context
	st   *store.Store
	lib  storage.Library
	ages Ages
	dry  bool
	now  time.Time
	done []Done
}

func (s *sweeper) old(path string, age time.Duration) (time.Duration, bool) {
	st, err := os.Stat(path)
	if err != nil {
		return 0, false
	}
	d := s.now.Sub(st.ModTime())
	return d, d > age
}

// remove takes a file or folder of the store away.
func (s *sweeper) remove(rule, path, why string) error {
	size := int64(0)
	filepath.WalkDir(path, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			if i, err := d.Info(); err == nil {
				size += i.Size()
			}
		}
		return nil
	})
	if !s.dry {
		if err := os.RemoveAll(path); err != nil {
			return err
		}
	}
	rel, err := filepath.Rel(s.lib.Store, path)
	if err != nil {
		rel = path
	}
	s.done = append(s.done, Done{rule, rel, why, size})
	return nil
}

func (s *sweeper) uploads() error {
	all, err := filepath.Glob(filepath.Join(s.lib.Store, "uploads", "*.info"))
	for _, info := range all {
		file := strings.TrimSuffix(info, ".info")
		age, old := s.old(file, s.ages.Uploads)
		if _, gone := s.old(info, s.ages.Uploads); !old && !gone {
			continue
		}
		if _, err := os.Stat(file); err == nil && !old {
			continue
		}
		why := fmt.Sprintf("nothing came for %d days", int(age.Hours()/24))
		err = errors.Join(err, s.remove("uploads", file, why), s.remove("uploads", info, why))
	}
	return err
}

// halves are files that are named only while they are written.
func (s *sweeper) halves() (err error) {
	for _, pattern := range []string{
		"segments/*.part", "deliveries/*/*.part", "deliveries/*/*.list", "deliveries/*/*.part.sound*",
		"deliveries/*/.numbered*", "deliveries/*/.beside*", "deliveries/*/.copied*", "deliveries/*/.unpacked*",
		"segments/.alike*", "deliveries/*/.alike*", "deliveries/*/*.part.first.*", "signing-key.pem.*",
		"sources/*/frames.txt", "uploads/*.lock", ".ready-*",
	} {
		all, e := filepath.Glob(filepath.Join(s.lib.Store, pattern))
		err = errors.Join(err, e)
		for _, path := range all {
			if _, old := s.old(path, s.ages.Halves); old {
				err = errors.Join(err, s.remove("halves", path, "nobody writes it any more"))
			}
		}
	}
	return err
}

// orphans are folders of sources and deliveries that the database does not know.
func (s *sweeper) orphans() error {
	known, err := s.st.Folders(s.ctx)
	if err != nil {
		return err
	}
	for _, folder := range []string{"sources", "deliveries"} {
		all, e := os.ReadDir(filepath.Join(s.lib.Store, folder))
		err = errors.Join(err, e)
		for _, d := range all {
			path := filepath.Join(s.lib.Store, folder, d.Name())
			if _, old := s.old(path, s.ages.Orphans); old && !known[folder+"/"+d.Name()] {
				err = errors.Join(err, s.remove("orphans", path, "it was removed from its programme"))
			}
		}
	}
	return err
}

func (s *sweeper) segments() error {
	needed, err := s.st.NeededSegments(s.ctx)
	if err != nil {
		return err
	}
	all, err := os.ReadDir(filepath.Join(s.lib.Store, "segments"))
	for _, d := range all {
		path := filepath.Join(s.lib.Store, "segments", d.Name())
		if strings.HasSuffix(path, ".part") || needed[d.Name()] {
			continue
		}
		if _, old := s.old(path, s.ages.Segments); old {
			err = errors.Join(err, s.remove("segments", path, "no delivery used it lately"))
		}
	}
	return err
}

func (s *sweeper) unused() error {
	attempts, err := s.st.DropAttempts(s.ctx, s.ages.Unused, s.dry)
	for _, id := range attempts {
		s.done = append(s.done, Done{"unused", "attempt " + id, "no revision points at it", 0})
	}
	graphics, err2 := s.st.DropGraphics(s.ctx, s.ages.Unused, s.dry)
	for _, id := range graphics {
		s.done = append(s.done, Done{"unused", "graphic " + id, "no revision points at it", 0})
	}
	return errors.Join(err, err2)
}

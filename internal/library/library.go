// Package library knows where files lie: the media folder that is only read,
// and the application's own store.
//
//	store/sources/ID/    the uploaded file, its view frames, checksums and conformed copy
//	store/uploads/       uploads under way
//	store/segments/      finished segments of deliveries, by key
//	store/deliveries/ID/ finished files
package library

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"celator/internal/media"
	"celator/internal/store"
)

// Library is the two roots.
type Library struct {
	Media string
	Store string
}

// New makes the folders.
func New(mediaDir, storeDir string) (Library, error) {
	var l Library
	for _, d := range []*string{&mediaDir, &storeDir} {
		abs, err := filepath.Abs(*d)
		if err != nil {
			return l, err
		}
		if err := os.MkdirAll(abs, 0o755); err != nil {
			return l, err
		}
		if *d, err = filepath.EvalSymlinks(abs); err != nil {
			return l, err
		}
	}
	l = Library{mediaDir, storeDir}
	for _, d := range []string{"sources", "uploads", "segments", "deliveries"} {
		if err := os.MkdirAll(filepath.Join(storeDir, d), 0o755); err != nil {
			return l, err
		}
	}
	return l, nil
}

// ErrOutside says that a path leaves its root.
var ErrOutside = errors.New("the path leads out of its folder")

// MediaPath returns the file of a path relative to the media folder. Links may
// not lead out of it.
func (l Library) MediaPath(rel string) (string, error) {
	if !filepath.IsLocal(rel) {
		return "", ErrOutside
	}
	p, err := filepath.EvalSymlinks(filepath.Join(l.Media, rel))
	if err != nil {
		return "", fmt.Errorf("%s is not in the media folder", rel)
	}
	if !strings.HasPrefix(p, l.Media+string(filepath.Separator)) {
		return "", ErrOutside
	}
	return p, nil
}

// MediaFile is a clip that could be brought in.
type MediaFile struct {
	Path string `json:"path"` // relative, with forward slashes
	Size int64  `json:"size"`
}

var clipEndings = []string{".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".mxf", ".ts", ".mts", ".m2ts", ".mpg", ".mpeg", ".nut", ".y4m", ".dv", ".flv", ".wmv", ".ogv"}

// MediaFiles lists the media folder's clips, at most 5000, sorted.
func (l Library) MediaFiles() ([]MediaFile, error) {
	out := []MediaFile{}
	err := filepath.WalkDir(l.Media, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasPrefix(d.Name(), ".") || d.Name() == "foreground.mkv" {
			return nil // what cannot be read is not offered; demo truth is no clip
		}
		if ext := strings.ToLower(filepath.Ext(p)); !slices.Contains(clipEndings, ext) && !slices.Contains(media.StillEndings, ext) {
			return nil
		}
		rel, err := filepath.Rel(l.Media, p)
		if err != nil {
			return err
		}
		if info, err := d.Info(); err == nil {
			out = append(out, MediaFile{filepath.ToSlash(rel), info.Size()})
		}
		if len(out) >= 5000 {
			return fs.SkipAll
		}
		return nil
	})
	return out, err
}

// Dir is a source's own folder.
func (l Library) Dir(source string) string { return filepath.Join(l.Store, "sources", source) }

// SourcePath is the source's file.
func (l Library) SourcePath(s store.Source) (string, error) {
	if s.Place == "media" {
		return l.MediaPath(s.Path)
	}
	if !filepath.IsLocal(s.Path) {
		return "", ErrOutside
	}
	return filepath.Join(l.Dir(s.ID), s.Path), nil
}

// Conformed is where a source's conformed copy lies.
func (l Library) Conformed(source string) string {
	return filepath.Join(l.Dir(source), "conformed.nut")
}

// Clip returns the file that is read for a source, with its frames' checksums
// once they are known.
func (l Library) Clip(s store.Source) (media.Clip, error) {
	path, err := l.SourcePath(s)
	if err != nil {
		return media.Clip{}, err
	}
	c := media.Clip{Path: path, Info: s.Reading()}
	if s.ReadInfo.V != nil {
		c.Path = l.Conformed(s.ID)
	}
	if s.State == store.Ready {
		c.Sums, err = media.LoadSums(filepath.Join(l.Dir(s.ID), "frames.sum"))
	}
	return c, err
}

// Shot returns the frames of a shot as a clip, and a name for them that no other frames
// have.
func (l Library) Shot(sh store.Shot, s store.Source) (c media.Clip, id string, err error) {
	if c, err = l.Clip(s); err != nil {
		return c, "", err
	}
	if id = s.ID; sh.First > 0 || sh.Frames != s.Frames {
		id = fmt.Sprintf("%s@%d-%d", s.ID, sh.First, sh.Last())
		c = c.Part(sh.First, sh.Last())
	}
	return c, id, nil
}

// TakeUpload moves a finished upload into a source's folder.
func (l Library) TakeUpload(upload, source, name string) error {
	if !filepath.IsLocal(upload) || strings.ContainsRune(upload, filepath.Separator) {
		return ErrOutside
	}
	if err := os.MkdirAll(l.Dir(source), 0o755); err != nil {
		return err
	}
	from := filepath.Join(l.Store, "uploads", upload)
	if err := os.Rename(from, filepath.Join(l.Dir(source), name)); err != nil {
		return errors.New("the upload is not there or not finished")
	}
	os.Remove(from + ".info")
	return nil
}

// Remove takes a source's own folder away; a file in the media folder stays.
func (l Library) Remove(source string) error {
	if source == "" || !filepath.IsLocal(source) {
		return ErrOutside
	}
	return os.RemoveAll(l.Dir(source))
}

// Segment is the file of a segment key.
func (l Library) Segment(key string) string { return filepath.Join(l.Store, "segments", key) }

// DeliveryFile is where a delivery's result lies.
func (l Library) DeliveryFile(id, name string) string {
	return filepath.Join(l.Store, "deliveries", id, name)
}

// Digest returns the SHA-256 of a file and its size.
func Digest(path string) (string, int64, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", 0, err
	}
	defer f.Close()
	h := sha256.New()
	n, err := io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), n, err
}

// Package storage knows where files lie: the media folder that is only read,
// and the application's own store.
//
//	store/sources/ID/    the uploaded file, its view frames, checksums and conformed copy
//	store/uploads/       uploads under way
//	store/segments/      finished segments of deliveries, by key
//	store/deliveries/ID/ finished files
package storage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"

	"celator/internal/fault"
	"celator/internal/media"
	"celator/internal/still"
	"celator/internal/store"
)

// Library is the two roots.
type Library struct {
	Media string
	Store string
	// Space tells how many bytes are free where the store is, and how many there are; nil
	// asks the file system.
	Space func(dir string) (free, all int64, err error)
}

// New makes the folders. What the application keeps is its user's alone: footage is not
// for everybody who can sign in to the machine.
func New(mediaDir, storeDir string) (Library, error) {
	var l Library
	for _, d := range []*string{&mediaDir, &storeDir} {
		abs, err := filepath.Abs(*d)
		if err != nil {
			return l, err
		}
		if err := os.MkdirAll(abs, 0o700); err != nil {
			return l, err
		}
		if *d, err = filepath.EvalSymlinks(abs); err != nil {
			return l, err
		}
	}
	l = Library{Media: mediaDir, Store: storeDir}
	for _, d := range []string{"sources", "uploads", "segments", "deliveries"} {
		if err := os.MkdirAll(filepath.Join(storeDir, d), 0o700); err != nil {
			return l, err
		}
	}
	// What an earlier version left open is closed.
	return l, os.Chmod(storeDir, 0o700)
}

// ErrOutside says that a path leaves its root.
var ErrOutside = errors.New("the path leads out of its folder")

// MediaPath returns the file of a path relative to the media folder. Links may
// not lead out of it.
func (l Library) MediaPath(rel string) (string, error) {
	if !filepath.IsLocal(rel) || strings.ContainsRune(rel, 0) {
		return "", ErrOutside
	}
	p, err := filepath.EvalSymlinks(filepath.Join(l.Media, rel))
	if err != nil {
		return "", fmt.Errorf("%s is not in the media folder: %w", filepath.Base(rel), media.ErrGone)
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

// fewest is how many numbered pictures make a clip of their folder: a few may be stills that stand beside each
// other.
const fewest = 8

var clipEndings = []string{
	".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".mxf", ".ts", ".mts", ".m2ts", ".mpg",
	".mpeg", ".nut", ".y4m", ".dv", ".flv", ".wmv", ".ogv",
}

// MediaFiles lists the media folder's clips, at most 5000, sorted. A folder of numbered pictures is one.
func (l Library) MediaFiles() ([]MediaFile, error) {
	out := []MediaFile{}
	err := filepath.WalkDir(l.Media, func(p string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && p != l.Media {
			if n, size := media.Numbered(p); n >= fewest {
				rel, err := filepath.Rel(l.Media, p)
				if err != nil {
					return err
				}
				out = append(out, MediaFile{filepath.ToSlash(rel), size})
				return fs.SkipDir
			}
		}
		if err != nil || d.IsDir() || strings.HasPrefix(d.Name(), ".") || d.Name() == "foreground.mkv" {
			return nil // what cannot be read is not offered; demo truth is no clip
		}
		if ext := strings.ToLower(filepath.Ext(p)); !slices.Contains(clipEndings, ext) &&
			!slices.Contains(still.Endings, ext) {
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

// identifier is what names a folder of the store. Nothing else is ever joined to a path.
var identifier = regexp.MustCompile(`^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$`)

// under is the path of an identifier in a folder of the store; of anything else it is one
// that is not there.
func (l Library) under(folder, id string) string {
	if !identifier.MatchString(id) {
		id = "none"
	}
	return filepath.Join(l.Store, folder, id)
}

// Dir is a source's own folder.
func (l Library) Dir(source string) string { return l.under("sources", source) }

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

// uploaded is the name that the resumable upload gives a file.
var uploaded = regexp.MustCompile(`^[0-9a-f]{32}$`)

// IsUpload reports whether a text can be the name of an upload.
func IsUpload(id string) bool { return uploaded.MatchString(id) }

// Errors of taking an upload; they are for people.
var (
	ErrNoUpload   = errors.New("there is no such upload")
	ErrUnfinished = errors.New("the upload is not finished")
	ErrDigest     = errors.New("the upload is not what was sent: its SHA-256 is another")
)

// TakeUpload lays a whole upload into a source's folder under a name. The upload itself
// stays until DropUpload, so that nothing is lost should the source not come to be. sha256,
// where it is given, must be the file's.
func (l Library) TakeUpload(upload, source, name, sha256 string) error {
	if !uploaded.MatchString(upload) {
		return ErrNoUpload
	}
	from := filepath.Join(l.Store, "uploads", upload)
	b, err := os.ReadFile(from + ".info")
	if err != nil {
		return ErrNoUpload
	}
	var said struct {
		Size           int64
		SizeIsDeferred bool
	}
	if err := json.Unmarshal(b, &said); err != nil || said.SizeIsDeferred {
		return ErrUnfinished
	}
	st, err := os.Stat(from)
	if err != nil {
		return ErrNoUpload
	}
	if st.Size() != said.Size {
		return fmt.Errorf("%w: %d of %d bytes are here", ErrUnfinished, st.Size(), said.Size)
	}
	if sha256 != "" {
		if got, _, err := Digest(from); err != nil {
			return err
		} else if got != strings.ToLower(sha256) {
			return ErrDigest
		}
	}
	if err := os.MkdirAll(l.Dir(source), 0o700); err != nil {
		return err
	}
	return os.Link(from, filepath.Join(l.Dir(source), name))
}

// Uploads counts the uploads under way, and the bytes that they still want.
func (l Library) Uploads() (n int, missing int64, err error) {
	all, err := filepath.Glob(filepath.Join(l.Store, "uploads", "*.info"))
	for _, info := range all {
		var said struct{ Size int64 }
		b, err := os.ReadFile(info)
		if err != nil || json.Unmarshal(b, &said) != nil {
			continue // ended meanwhile
		}
		n++
		if st, err := os.Stat(strings.TrimSuffix(info, ".info")); err == nil {
			missing += max(said.Size-st.Size(), 0)
		}
	}
	return n, missing, err
}

// DropUpload takes away an upload that became a source.
func (l Library) DropUpload(upload string) {
	if uploaded.MatchString(upload) {
		from := filepath.Join(l.Store, "uploads", upload)
		os.Remove(from)
		os.Remove(from + ".info")
	}
}

// Remove takes a source's own folder away; a file in the media folder stays.
func (l Library) Remove(source string) error {
	if !identifier.MatchString(source) {
		return ErrOutside
	}
	return os.RemoveAll(l.Dir(source))
}

// Clear takes away what was made of a source, so that it can be made again; its original
// stays.
func (l Library) Clear(source string) error {
	dir := l.Dir(source)
	return errors.Join(media.RemoveViews(dir), remove(filepath.Join(dir, "frames.txt")),
		remove(l.Conformed(source)), media.RemovePieces(dir))
}

func remove(path string) error {
	if err := os.Remove(path); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// reserve is left free on the store's disk, in bytes, so that the database and the rest
// of the machine go on when it is nearly full.
const reserve = 512 << 20

// Free is how many bytes may still be written to the store.
func (l Library) Free() (int64, error) {
	space := l.Space
	if space == nil {
		space = diskSpace
	}
	free, all, err := space(l.Store)
	// A small disk keeps less.
	return max(free-min(reserve, all/20), 0), err
}

func diskSpace(dir string) (free, all int64, err error) {
	var st syscall.Statfs_t
	err = syscall.Statfs(dir, &st)
	return int64(st.Bavail) * st.Bsize, int64(st.Blocks) * st.Bsize, err
}

// Room returns an error that wraps fault.ErrFull unless there is room for so many bytes.
func (l Library) Room(need int64) error {
	free, err := l.Free()
	if err != nil {
		return fault.Machine(err)
	}
	if free < need {
		return fmt.Errorf("%w: %d MB are free, this takes about %d MB", fault.ErrFull, free>>20, need>>20)
	}
	return nil
}

// Segment is the file of a segment key.
func (l Library) Segment(key string) string { return filepath.Join(l.Store, "segments", key) }

// DeliveryFile is where a delivery's result lies.
func (l Library) DeliveryFile(id, name string) string {
	return filepath.Join(l.under("deliveries", id), name)
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

// CertificateFile is the certificate beside such a file.
func (l Library) CertificateFile(id, name string) string {
	return l.DeliveryFile(id, name) + ".certificate.json"
}

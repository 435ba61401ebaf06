package preview

import (
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"sync"
	"time"

	"celator/core/frame"
	"celator/internal/media"
)

// Disk keeps decoded frames in files, one a clip, a slot a frame. It is a cache: files
// may be taken away at any time, nothing is lost by it, and a frame that is read back is
// held against its checksum. Of clips whose checksums are not known nothing is kept.
type Disk struct {
	dir   string
	limit int64 // bytes
	free  func() (int64, error)
	jobs  chan func()

	mu    sync.Mutex
	clips map[string]*clipFile
	no    map[tried]bool
	bytes int64
}

// tried remembers the frames that could not be kept, so that nobody reads them again only
// to keep them.
type tried struct {
	id string
	f  int
}

type clipFile struct {
	file  *os.File
	size  int // of a slot
	bytes int64
	there map[int]bool
	used  time.Time
}

// pending is how many frames may wait to be written; beyond it they are not kept. Each
// holds its picture in memory for that long.
const pending = 8

// NewDisk keeps at most limit bytes in a folder, which it empties first, and writes
// nothing while free says that there is no room.
func NewDisk(dir string, limit int64, free func() (int64, error)) (*Disk, error) {
	if err := os.RemoveAll(dir); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	d := &Disk{dir: dir, limit: limit, free: free, jobs: make(chan func(), pending), clips: map[string]*clipFile{}, no: map[tried]bool{}}
	go func() {
		for do := range d.jobs {
			do()
		}
	}()
	return d, nil
}

func (d *Disk) has(id string, f int) bool {
	if d == nil {
		return false
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	c := d.clips[id]
	return c != nil && c.there[f]
}

// read returns a frame that is kept, or nil.
func (d *Disk) read(id string, clip media.Clip, f int) *frame.Picture {
	if !d.has(id, f) {
		return nil
	}
	d.mu.Lock()
	c := d.clips[id]
	if c == nil {
		d.mu.Unlock()
		return nil
	}
	c.used = time.Now()
	file := c.file
	d.mu.Unlock()
	p := frame.New(clip.Info.Format(), nil)
	if _, err := file.ReadAt(p.Data, int64(f)*int64(len(p.Data))); err != nil || !clip.Is(f, p) {
		d.mu.Lock()
		delete(c.there, f)
		d.mu.Unlock()
		return nil
	}
	return p
}

// write keeps a frame when there is time for it.
func (d *Disk) write(id string, clip media.Clip, f int, p *frame.Picture) {
	if d == nil || f >= len(clip.Sums) || clip.Info.Still != "" || d.has(id, f) {
		return
	}
	select {
	case d.jobs <- func() { d.put(id, f, p) }:
	default:
		d.refuse(id, f)
	}
}

// refuse remembers for a while that a frame was not kept.
func (d *Disk) refuse(id string, f int) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.no) > 10_000 {
		clear(d.no)
	}
	d.no[tried{id, f}] = true
}

func (d *Disk) refused(id string, f int) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.no[tried{id, f}]
}

func (d *Disk) put(id string, f int, p *frame.Picture) {
	size := int64(len(p.Data))
	if free, err := d.free(); err != nil || free < 2*size {
		d.refuse(id, f)
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	kept := false
	defer func() {
		if !kept {
			d.no[tried{id, f}] = true
		}
	}()
	c := d.clips[id]
	if c == nil {
		name := sha256.Sum256([]byte(id))
		file, err := os.OpenFile(filepath.Join(d.dir, hex.EncodeToString(name[:16])), os.O_CREATE|os.O_RDWR|os.O_TRUNC, 0o600)
		if err != nil {
			return
		}
		c = &clipFile{file: file, size: len(p.Data), there: map[int]bool{}}
		d.clips[id] = c
	}
	c.used = time.Now()
	for d.bytes+size > d.limit {
		d.forget()
		if d.clips[id] != c { // it was the only one left, and begins anew
			return
		}
	}
	if _, err := c.file.WriteAt(p.Data, int64(f)*size); err != nil {
		return
	}
	c.there[f], kept = true, true
	delete(d.no, tried{id, f})
	c.bytes += size
	d.bytes += size
}

// forget takes away the clip that was used longest ago; d.mu is held.
func (d *Disk) forget() {
	oldest := ""
	for id, c := range d.clips {
		if oldest == "" || c.used.Before(d.clips[oldest].used) {
			oldest = id
		}
	}
	if c := d.clips[oldest]; c != nil {
		os.Remove(c.file.Name())
		c.file.Close()
		d.bytes -= c.bytes
		delete(d.clips, oldest)
	}
}

// Bytes is what the files take.
func (d *Disk) Bytes() int64 {
	if d == nil {
		return 0
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.bytes
}

func (d *Disk) close() {
	if d == nil {
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	for len(d.clips) > 0 {
		d.forget()
	}
}

package decode

import (
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"celator/core/frame"
	"celator/internal/media"
)

// Disk keeps decoded frames in files, one a clip, a slot a frame. It is a cache: files
// may be taken away at any time, nothing is lost by it, and a frame that is read back is
// held against its checksum, so that files of an earlier run are as good as those of this
// one. Of clips whose checksums are not known nothing is kept.
type Disk struct {
	dir   string
	limit int64 // bytes
	free  func() (int64, error)
	jobs  chan func()

	mu    sync.Mutex
	clips map[string]*clipFile
	left  map[string]int64 // files of an earlier run that nobody asked for yet, by name
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
	older map[int]bool // slots of an earlier run that were found empty or wrong
	slots int          // of an earlier run
	used  time.Time
}

// holds reports whether frame f is there, or may be.
func (c *clipFile) holds(f int) bool { return c.there[f] || f < c.slots && !c.older[f] }

// pending is how many frames may wait to be written; beyond it they are not kept. Each
// holds its picture in memory for that long.
const pending = 8

// NewDisk keeps at most limit bytes in a folder, and writes nothing while free says that
// there is no room.
func NewDisk(dir string, limit int64, free func() (int64, error)) (*Disk, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	d := &Disk{
		dir: dir, limit: limit, free: free, jobs: make(chan func(), pending), clips: map[string]*clipFile{},
		left: map[string]int64{}, no: map[tried]bool{},
	}
	left, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, e := range left {
		if i, err := e.Info(); err == nil {
			n := held(i)
			d.left[e.Name()] = n
			d.bytes += n
		}
	}
	go func() {
		for do := range d.jobs {
			do()
		}
	}()
	return d, nil
}

// held is what a file takes on the disk: slots that were never written take nothing.
func held(i os.FileInfo) int64 {
	if st, ok := i.Sys().(*syscall.Stat_t); ok {
		return st.Blocks * 512
	}
	return i.Size()
}

// open returns a clip's file, of an earlier run where there is one, or nil; d.mu is held.
func (d *Disk) open(id string, size int, create bool) *clipFile {
	if c := d.clips[id]; c != nil {
		return c
	}
	sum := sha256.Sum256([]byte(id))
	name := hex.EncodeToString(sum[:16])
	bytes, was := d.left[name]
	if !was && !create {
		return nil
	}
	file, err := os.OpenFile(filepath.Join(d.dir, name), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil
	}
	c := &clipFile{file: file, size: size, there: map[int]bool{}, older: map[int]bool{}, used: time.Now()}
	if was {
		delete(d.left, name)
		c.bytes = bytes
		if st, err := file.Stat(); err == nil {
			c.slots = int(st.Size() / int64(size))
		}
	}
	d.clips[id] = c
	return c
}

func (d *Disk) has(id string, f int) bool {
	if d == nil {
		return false
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	c := d.clips[id]
	return c != nil && c.holds(f)
}

// sure reports whether a frame was kept or found in this run.
func (d *Disk) sure(id string, f int) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	c := d.clips[id]
	return c != nil && c.there[f]
}

// read returns a frame that is kept, or nil.
func (d *Disk) read(id string, clip media.Clip, f int) *frame.Picture {
	if d == nil || len(clip.Sums) == 0 || clip.Info.Still != "" {
		return nil
	}
	d.mu.Lock()
	c := d.open(id, clip.Info.Format().Size(), false)
	if c == nil || !c.holds(f) {
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
		c.older[f] = true
		d.mu.Unlock()
		return nil
	}
	d.mu.Lock()
	c.there[f] = true
	d.mu.Unlock()
	return p
}

// write keeps a frame when there is time for it.
func (d *Disk) write(id string, clip media.Clip, f int, p *frame.Picture) {
	if d == nil || f >= len(clip.Sums) || clip.Info.Still != "" || d.sure(id, f) {
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
	c := d.open(id, len(p.Data), true)
	if c == nil {
		return
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
	if f >= c.slots || c.older[f] { // else its place was taken before
		c.bytes += size
		d.bytes += size
	}
}

// forget takes away the clip that was used longest ago; d.mu is held.
func (d *Disk) forget() {
	for name, n := range d.left { // nobody has asked for it in this run
		os.Remove(filepath.Join(d.dir, name))
		d.bytes -= n
		delete(d.left, name)
		return
	}
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

// close lets go of the files, which stay for the next run.
func (d *Disk) close() {
	if d == nil {
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	for id, c := range d.clips {
		c.file.Close()
		delete(d.clips, id)
	}
}

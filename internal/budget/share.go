package budget

import (
	"runtime"
	"runtime/debug"
)

// Budget is what a process may take, shared out. Pools are taken from in this order, so
// that nobody waits in a circle: bodies, pictures, children, decoding, processor.
type Budget struct {
	Frames    int64 // bytes of decoded pictures that are remembered
	Patches   int64 // bytes of finished patches
	Documents int64 // bytes of documents, with their poses and mattes

	Pictures  *Pool // bytes of pictures in the works
	Bodies    *Pool // bytes of large requests; apart, since who holds them waits for pictures
	Children  *Pool // bytes of processes that somebody waits for: decoders, readers of pictures
	Jobs      *Pool // bytes of processes of the queue's jobs
	Processor *Pool // of its cores, for pictures in the works
	Decoding  *Pool // of its cores, for frames that decoders are waited for
}

// Default is the memory that a server takes, its children included; while a segment of a
// delivery is encoded, its encoder takes its own beside it (500 MB at 1080p).
const Default = 1 << 30

// Least is the smallest budget: one picture of 1080p in the works beside the caches.
const Least = 256 << 20

// waits is how many may wait for each pool. At two cores and a fifth of a second each
// the last of them waits for six seconds.
const waits = 64

// New shares out a memory of so many bytes and holds the runtime to it. What is
// remembered may go at any time, so it gets a third; processes get rather more, and the
// rest is for what is in the works and for the collector's own needs.
func New(bytes int64) *Budget {
	b := &Budget{
		Frames: bytes * 5 / 24, Patches: bytes / 16, Documents: bytes / 16,
		Pictures:  NewPool(bytes*3/20, 4*waits), // who waits for it holds nothing
		Bodies:    NewPool(bytes/10, waits),
		Children:  NewPool(bytes*3/16, waits),
		Jobs:      NewPool(bytes/4, 1<<20), // as many wait as the queue lets begin
		Processor: NewPool(int64(runtime.GOMAXPROCS(0)), 4*waits),
		Decoding:  NewPool(int64(runtime.GOMAXPROCS(0)), 4*waits),
	}
	debug.SetMemoryLimit(bytes * 9 / 16)
	return b
}

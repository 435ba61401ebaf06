package budget

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2/simplelru"
)

// Cache remembers what was used last, bounded by its bytes. The newest stays even where
// it alone is larger.
type Cache[K comparable, V any] struct {
	limit int64
	size  func(V) int64

	mu    sync.Mutex
	bytes int64
	all   *lru.LRU[K, V]
}

// NewCache returns a cache of at most limit bytes; size tells what a value takes.
func NewCache[K comparable, V any](limit int64, size func(V) int64) *Cache[K, V] {
	c := &Cache[K, V]{limit: limit, size: size}
	c.all, _ = lru.NewLRU(1<<30, func(_ K, v V) { c.bytes -= size(v) })
	return c
}

// Get returns what is remembered under a key.
func (c *Cache[K, V]) Get(k K) (V, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.all.Get(k)
}

// Add remembers a value that is not remembered yet.
func (c *Cache[K, V]) Add(k K, v V) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.all.Contains(k) {
		return
	}
	c.bytes += c.size(v)
	c.all.Add(k, v)
	for c.bytes > c.limit && c.all.Len() > 1 {
		c.all.RemoveOldest()
	}
}

// Bytes is what all of it takes.
func (c *Cache[K, V]) Bytes() int64 {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.bytes
}

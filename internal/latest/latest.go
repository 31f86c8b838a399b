// Package latest remembers the values that were used last, within bounds. All
// of it is safe for use by several goroutines.
package latest

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Some remembers so many values, at least one.
func Some[K comparable, V any](most int) *lru.Cache[K, V] {
	c, err := lru.New[K, V](max(1, most))
	if err != nil {
		panic(err) // it refuses sizes below one only
	}
	return c
}

// Sized remembers values up to a number of them and of bytes; one that is
// larger than all that is remembered alone.
type Sized[K comparable, V any] struct {
	mu    sync.Mutex
	kept  *simplelru.LRU[K, V]
	size  func(V) int
	held  int
	bytes int
}

// NewSized bounds what is remembered by a number of values, at least one, and
// by bytes, which size counts.
func NewSized[K comparable, V any](most, bytes int, size func(V) int) *Sized[K, V] {
	s := &Sized[K, V]{size: size, bytes: bytes}
	kept, err := simplelru.NewLRU(max(1, most), func(_ K, v V) { s.held -= size(v) })
	if err != nil {
		panic(err) // it refuses sizes below one only
	}
	s.kept = kept
	return s
}

// Get gives a value, which counts as used.
func (s *Sized[K, V]) Get(k K) (V, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.kept.Get(k)
}

// Add remembers a value, in place of one of the same key.
func (s *Sized[K, V]) Add(k K, v V) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.kept.Remove(k)
	s.kept.Add(k, v)
	for s.held += s.size(v); s.held > s.bytes && s.kept.Len() > 1; {
		s.kept.RemoveOldest()
	}
}

// Held is how many bytes are remembered.
func (s *Sized[K, V]) Held() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.held
}

package storetest

import (
	"sync"
	"testing"

	"nelko/internal/store"
)

// seconds are where a second connection was asked for within a transaction.
var seconds struct {
	sync.Mutex
	stacks []string
}

func init() {
	store.OnSecond = func(stack string) {
		seconds.Lock()
		defer seconds.Unlock()
		seconds.stacks = append(seconds.stacks, stack)
	}
}

// noSecond fails a test during which a second connection was asked for within a transaction.
func noSecond(t testing.TB) {
	seconds.Lock()
	defer seconds.Unlock()
	for _, s := range seconds.stacks {
		t.Errorf("a second connection was asked for within a transaction:\n%s", s)
	}
	seconds.stacks = nil
}

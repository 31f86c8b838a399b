package signin

import (
	"crypto/sha256"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"nelko/internal/latest"
)

// The limits of guessing at who somebody is. What is right is not counted.
var (
	triesOfOne     = limit{10, 10 * time.Minute} // of one account from one address
	triesOfAddress = limit{60, time.Minute}      // of any account from one address
	// of one account from anywhere, by browsers that are not known
	triesOfAccount = limit{100, time.Hour}
	triesOfCode    = limit{6, 5 * time.Minute} // of a second step
)

// limit is so many failures within a time.
type limit struct {
	most   int
	within time.Duration
}

// counted is what failures are counted by, and how many there may be.
type counted struct {
	key string
	limit
}

// mostTries is how many keys failures are remembered of.
const mostTries = 100_000

// tries counts failures by keys.
type tries struct {
	mu    sync.Mutex
	since *lru.Cache[[sha256.Size]byte, *failures] // by the sums of keys, which strangers choose
}

type failures struct {
	began time.Time
	n     int
}

func newTries() *tries { return &tries{since: latest.Some[[sha256.Size]byte, *failures](mostTries)} }

// take counts a try, before it is known whether it fails: many at once are many.
// It is refused where there were too many.
func (t *tries) take(key string, l limit, now time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	sum := sha256.Sum256([]byte(key))
	f, ok := t.since.Get(sum)
	if !ok || now.Sub(f.began) > l.within {
		f = &failures{began: now}
		t.since.Add(sum, f)
	}
	if f.n >= l.most {
		return false
	}
	f.n++
	return true
}

// right takes a try back that was right.
func (t *tries) right(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if f, ok := t.since.Get(sha256.Sum256([]byte(key))); ok && f.n > 0 {
		f.n--
	}
}

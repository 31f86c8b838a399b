package web

import (
	"crypto/sha256"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"nelko/internal/latest"
)

// The limits of guessing at who somebody is. What is right is not counted.
var (
	triesOfOne     = limit{10, 10 * time.Minute} // of one account from one address
	triesOfAddress = limit{60, time.Minute}      // of any account from one address
	triesOfAccount = limit{100, time.Hour}       // of one account from anywhere, by browsers that are not known
	triesOfCode    = limit{6, 5 * time.Minute}   // of a second step
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

// ParseProxies reads addresses and networks, separated by commas, of proxies
// that say truly whom they ask for.
func ParseProxies(list string) (out []netip.Prefix, err error) {
	for _, s := range strings.FieldsFunc(list, func(r rune) bool { return r == ',' || r == ' ' }) {
		p, err := netip.ParsePrefix(s)
		if err != nil {
			a, err := netip.ParseAddr(s)
			if err != nil {
				return nil, err
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p.Masked())
	}
	return out, nil
}

// forwarded has requests come from whom a trusted proxy says it asks for: the
// last address of X-Forwarded-For that is no trusted proxy's. What others say
// in it counts for nothing.
func forwarded(proxies []netip.Prefix) func(http.Handler) http.Handler {
	trusted := func(s string) (netip.Addr, bool) {
		a, err := netip.ParseAddr(strings.TrimSpace(s))
		if err != nil {
			return a, false
		}
		a = a.Unmap()
		for _, p := range proxies {
			if p.Contains(a) {
				return a, true
			}
		}
		return a, false
	}
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			peer, err := netip.ParseAddrPort(r.RemoteAddr)
			if _, ok := trusted(peer.Addr().String()); err == nil && ok {
				said := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
				for i := len(said) - 1; i >= 0; i-- {
					a, ok := trusted(said[i])
					if !a.IsValid() {
						break
					}
					r.RemoteAddr = netip.AddrPortFrom(a, 0).String()
					if !ok {
						break
					}
				}
			}
			next.ServeHTTP(w, r)
		})
	}
}

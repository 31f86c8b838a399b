package signin

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"nelko/internal/latest"
)

// sealed gives browsers something to keep that only this process can have said, that is good for
// a while, and once.
type sealed struct {
	key  [sha256.Size]byte
	used *lru.Cache[[sha256.Size]byte, struct{}]
}

// mostUsed is how many of what was brought back are remembered.
const mostUsed = 100_000

func newSealed() *sealed {
	s := &sealed{used: latest.Some[[sha256.Size]byte, struct{}](mostUsed)}
	if _, err := rand.Read(s.key[:]); err != nil {
		panic(err) // crypto/rand never fails (its documentation)
	}
	return s
}

func (s *sealed) code(b []byte) []byte {
	h := hmac.New(sha256.New, s.key[:])
	h.Write(b)
	return h.Sum(nil)
}

// seal is what a browser is given to keep until a time.
func (s *sealed) seal(what []byte, until time.Time) string {
	b := binary.BigEndian.AppendUint64(nil, uint64(until.Unix()))
	b = append(b, what...)
	return base64.RawURLEncoding.EncodeToString(append(s.code(b), b...))
}

// open is what was sealed, the first time; nil if this process did not, or too long ago.
func (s *sealed) open(text string, now time.Time) []byte {
	b, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil || len(b) < sha256.Size+8 {
		return nil
	}
	code, said := b[:sha256.Size], b[sha256.Size:]
	if !hmac.Equal(code, s.code(said)) || now.After(time.Unix(int64(binary.BigEndian.Uint64(said)), 0)) {
		return nil
	}
	if seen, _ := s.used.ContainsOrAdd([sha256.Size]byte(code), struct{}{}); seen {
		return nil
	}
	return said[8:]
}

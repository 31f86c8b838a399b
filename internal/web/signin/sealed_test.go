package signin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// What a browser keeps is good once, for a while, and only as it was given.
func TestSealed(t *testing.T) {
	now := time.Now()
	s := newSealed()
	said := s.seal([]byte("question"), now.Add(time.Minute))
	assert.Nil(t, newSealed().open(said, now), "another process's")
	changed := []byte(said)
	changed[len(changed)-2] ^= 1
	assert.Nil(t, s.open(string(changed), now))
	assert.Nil(t, s.open(said, now.Add(2*time.Minute)), "too late")
	assert.Equal(t, "question", string(s.open(said, now)))
	assert.Nil(t, s.open(said, now), "again")
	for _, odd := range []string{"", "x", "AAAA", "%"} {
		assert.Nil(t, s.open(odd, now))
	}
}

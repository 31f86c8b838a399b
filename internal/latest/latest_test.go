package latest

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What was used last stays, within both bounds; what is held is what is there.
func TestSized(t *testing.T) {
	s := NewSized[int](3, 10, func(v string) int { return len(v) })
	s.Add(1, "aaaa")
	s.Add(2, "bbbb")
	_, ok := s.Get(1)
	assert.True(t, ok)
	s.Add(3, "cccc")
	_, ok = s.Get(2)
	assert.False(t, ok, "used longest ago")
	assert.Equal(t, 8, s.Held())
	s.Add(3, "c")
	assert.Equal(t, 5, s.Held(), "in place of the earlier one")
	s.Add(4, "d")
	s.Add(5, "e")
	_, ok = s.Get(1)
	assert.False(t, ok, "more than three")
	assert.Equal(t, 3, s.Held())
	s.Add(6, "larger than all")
	v, ok := s.Get(6)
	assert.True(t, ok)
	assert.Equal(t, len(v), s.Held(), "alone")
}

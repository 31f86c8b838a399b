package queue

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A job that needs a service outside is tried for as long as it is meant to be:
// quickly at first, then every minute.
func TestTries(t *testing.T) {
	for _, d := range []time.Duration{0, time.Second, time.Minute, time.Hour, Outside} {
		n := Tries(d)
		var sum time.Duration
		for i := range n - 1 {
			sum += pause(i)
		}
		assert.GreaterOrEqual(t, sum, d)
		if n > 1 {
			assert.Less(t, sum-pause(n-2), d, "not once more than that")
		}
	}
	assert.Equal(t, time.Second, pause(0))
	assert.Equal(t, 4*time.Second, pause(2))
	assert.Equal(t, time.Minute, pause(500))
	assert.InDelta(t, 4*60, Tries(Outside), 8)
}

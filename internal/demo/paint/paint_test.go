package paint

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every scene paints a picture with contrast and colour, the same one from
// the same seed and another from another.
func TestScenes(t *testing.T) {
	for scene := range scenes {
		s := Spec{Scene: scene, W: 240, H: 160, Seed: 5, Club: [2]uint32{0x2f5d8a, 0xf2c14e}}
		a, err := Paint(s)
		require.NoError(t, err)
		again, err := Paint(s)
		require.NoError(t, err)
		assert.Equal(t, a.Pix, again.Pix, scene)
		s.Seed = 6
		b, err := Paint(s)
		require.NoError(t, err)
		diff, sum, sq := 0.0, 0.0, 0.0
		for i, v := range a.Pix {
			diff += math.Abs(float64(v) - float64(b.Pix[i]))
			sum, sq = sum+float64(v), sq+float64(v)*float64(v)
		}
		n := float64(len(a.Pix))
		assert.Greater(t, diff/n, 6.0, "%s: two seeds look alike", scene)
		assert.Greater(t, math.Sqrt(sq/n-sum*sum/n/n), 15.0, "%s: no contrast", scene)
	}
	_, err := Paint(Spec{Scene: "moon", W: 8, H: 8})
	assert.Error(t, err)
}

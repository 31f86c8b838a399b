package making_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/making"
	"nelko/internal/store"
)

// The busiest fragment decides on the line a size needs (RFC 8216, 4.3.4.2:
// BANDWIDTH is the peak).
func TestBusiest(t *testing.T) {
	list := "#EXTM3U\n#EXT-X-MAP:URI=\"film.m4s\",BYTERANGE=\"1000@0\"\n#EXTINF:4.000000,\n#EXT-X-BYTERANGE:1000000@1000\nfilm.m4s\n#EXTINF:2.000000,\n#EXT-X-BYTERANGE:750000@1001000\nfilm.m4s\n#EXTINF:0.040000,\n#EXT-X-BYTERANGE:90000@1751000\nfilm.m4s\n"
	assert.Equal(t, 3_000_000, making.Busiest(store.Render{
		StreamList: list,
		Size:       1,
		Seconds:    1,
	}), "a last fragment of one frame is none")
	assert.Equal(t, 800, making.Busiest(store.Render{
		Size:    1000,
		Seconds: 10,
	}), "without a list, the whole film's")
}

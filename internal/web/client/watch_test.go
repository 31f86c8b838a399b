package client

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The first piece of a film in fragments, by its list (RFC 8216, 4.3.2.2).
func TestOpening(t *testing.T) {
	for list, want := range map[string]int64{
		"#EXTM3U\n#EXT-X-MAP:URI=\"film.m4s\",BYTERANGE=\"1396@0\"\n#EXTINF:4.2,\n#EXT-X-BYTERANGE:111217@1396\nfilm.m4s\n": 112613,
		"":                     0,
		"#EXT-X-BYTERANGE:x":   0,
		"#EXT-X-BYTERANGE:5\n": 0,
	} {
		assert.Equal(t, want, opening(list))
	}
}

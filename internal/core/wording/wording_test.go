package wording_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/wording"
)

func TestWording(t *testing.T) {
	assert.Equal(t, []string{"0 slides", "1 slide", "2 slides"}, []string{wording.Counted(0, "slide"),
		wording.Counted(1, "slide"), wording.Counted(2, "slide")})
	assert.Equal(t, []string{"", "link", "link and disc", "link, disc and file"},
		[]string{wording.Listed(nil), wording.Listed([]string{"link"}),
			wording.Listed([]string{"link", "disc"}), wording.Listed([]string{"link", "disc", "file"})})
	assert.Equal(t, []string{"2 copies", "3 days"}, []string{wording.Counted(2, "copy"),
		wording.Counted(3, "day")})
	assert.Equal(t, []string{"", "missing: Names", "über"}, []string{wording.Lower(""),
		wording.Lower("Missing: Names"), wording.Lower("Über")})
}

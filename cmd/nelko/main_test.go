package main

import (
	"testing"

	"github.com/alecthomas/kong"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
)

func TestParseSize(t *testing.T) {
	f, err := parseSize("1080x1920")
	require.NoError(t, err)
	assert.Equal(t, doc.Frame{W: 1080, H: 1920}, f)
	for _, bad := range []string{"", "1080", "x", "1080x", "1080x1920x2", "1080 x 1920", "wide"} {
		_, err := parseSize(bad)
		assert.Error(t, err, bad)
	}
}

// The command line of the README is understood: details with commas and
// equals signs, several songs whose names have commas.
func TestMakeCommandLine(t *testing.T) {
	parse := func(args ...string) (commands, error) {
		var c commands
		k, err := kong.New(&c)
		require.NoError(t, err)
		_, err = k.Parse(args)
		return c, err
	}
	c, err := parse("make", "--theme", "tideline", "--media", t.TempDir(), "--music", "main.go", "--music", "make.go",
		"--detail", "names=Ann, Bo; and Cy = friends", "--detail", "date=12 September 2026", "--out", "f.mp4", "--fps", "29.97", "--json")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"names": "Ann, Bo; and Cy = friends", "date": "12 September 2026"}, c.Make.Detail)
	assert.Len(t, c.Make.Music, 2)
	_, err = parse("make", "--theme", "tideline", "--media", "/nowhere", "--music", "main.go", "--out", "f.mp4")
	assert.ErrorContains(t, err, "/nowhere")
	_, err = parse("user", "add", "--role", "king", "a@b.example")
	assert.ErrorContains(t, err, "role")
}

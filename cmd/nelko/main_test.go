package main

import (
	"context"
	"testing"

	"github.com/alecthomas/kong"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/app"
	"nelko/internal/core/doc"
	"nelko/internal/demo"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
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
	c, err := parse("make", "--theme", "tideline", "--media", t.TempDir(), "--music", "main.go", "--music",
		"make.go",
		"--detail", "names=Ann, Bo; and Cy = friends", "--detail", "date=12 September 2026", "--out", "f.mp4",
		"--fps", "29.97", "--json")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{
		"names": "Ann, Bo; and Cy = friends",
		"date":  "12 September 2026",
	}, c.Make.Detail)
	assert.Len(t, c.Make.Music, 2)
	_, err = parse("make", "--theme", "tideline", "--media", "/nowhere", "--music", "main.go", "--out",
		"f.mp4")
	assert.ErrorContains(t, err, "/nowhere")
	_, err = parse("user", "add", "--role", "king", "a@b.example")
	assert.ErrorContains(t, err, "role")
}

// Other machines are not let at an account whose password is public.
func TestTheDemosAccountIsForThisMachine(t *testing.T) {
	h := housetest.Open(t)
	ctx := context.Background()
	serve := func(addr string, c serveCmd) error {
		return c.mayServe(ctx, &app.App{Settings: app.Settings{Addr: addr}, House: h})
	}
	for _, addr := range []string{"127.0.0.1:8080", "localhost:80", "[::1]:8080"} {
		assert.NoError(t, serve(addr, serveCmd{Demo: true}), addr)
	}
	for _, addr := range []string{"0.0.0.0:8080", ":8080", "192.168.1.5:80", "[::]:80", "studio.example:80"} {
		assert.ErrorContains(t, serve(addr, serveCmd{Demo: true}), "--demo-open", addr)
		assert.NoError(t, serve(addr, serveCmd{Demo: true, DemoOpen: true}), addr)
		assert.NoError(t, serve(addr, serveCmd{}), "there is no such account")
	}
	_, err := h.Accounts.Add(ctx, demo.Email, "", demo.Password, store.Owner)
	require.NoError(t, err)
	assert.ErrorContains(t, serve("0.0.0.0:80", serveCmd{}), "everybody knows", "it was made before")
	require.NoError(t, h.Accounts.SetPassword(ctx, demo.Email, "oars over slack water"))
	assert.NoError(t, serve("0.0.0.0:80", serveCmd{}), "its password is another now")
}

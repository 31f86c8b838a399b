package demo

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/demo/paint"
	"nelko/internal/demo/synth"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/themes/themestest"
)

var ctx = context.Background()

// The demo's photos are stored as a camera would for each way it was held, and
// come out upright with their capture time.
func TestPhotosCarryOrientationAndTime(t *testing.T) {
	require.NoError(t, media.Startup())
	px := raster.Pixels{W: 64, H: 40, Channels: 3, Pix: make([]byte, 64*40*3)}
	for y := range 40 {
		for x := range 64 { // red grows to the right, green downwards
			px.Pix[(y*64+x)*3], px.Pix[(y*64+x)*3+1] = byte(x*4), byte(y*6)
		}
	}
	taken := time.Date(2026, 9, 12, 10, 11, 12, 0, time.UTC)
	for o := 1; o <= 8; o++ {
		jpg, err := vips.JPEG(stored(px, o), 95)
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), "a.jpg")
		require.NoError(t, os.WriteFile(path, withEXIF(jpg, o, taken, "Saltmere One"), 0o644))
		m, _, err := media.Probe(ctx, path, "a.jpg")
		require.NoError(t, err)
		assert.Equal(t, [2]int{64, 40}, [2]int{m.W, m.H}, "orientation %d", o)
		assert.Equal(t, taken, m.Captured)
		assert.Equal(t, "Saltmere One", m.Camera)
		got, err := vips.Load(path, 64, 40)
		require.NoError(t, err)
		// JPEG halves the chroma; corners differ by more than 180.
		for _, at := range [][2]int{{5, 5}, {58, 5}, {5, 35}, {58, 35}} {
			i := (at[1]*64 + at[0]) * 3
			assert.InDelta(t, px.Pix[i], got.Pix[i], 24, "orientation %d", o)
			assert.InDelta(t, px.Pix[i+1], got.Pix[i+1], 24, "orientation %d", o)
		}
	}
}

// The scenario has what it promises: enough orders, in different states, with
// their own songs of different tempo.
func TestScenario(t *testing.T) {
	assert.GreaterOrEqual(t, len(commissions), 8)
	states, clients := map[state]int{}, map[string]bool{}
	th, err := themestest.Shelf(t).Get("tideline")
	require.NoError(t, err)
	for _, o := range commissions {
		states[o.state]++
		assert.False(t, clients[o.client], "%s twice", o.client)
		clients[o.client] = true
		for k := range o.details {
			found := false
			for _, d := range th.Details {
				found = found || d.Key == k
			}
			assert.True(t, found, "the theme asks for %s", k)
		}
		for _, s := range o.songs {
			assert.Contains(t, songs, s)
		}
		for _, p := range append(o.pictures, o.clips...) {
			_, err := paint.Paint(paint.Spec{Scene: p, W: 16, H: 16})
			assert.NoError(t, err)
		}
	}
	assert.Len(t, states, 4, "fresh, fitted, rendered and delivered ones")
	assert.GreaterOrEqual(t, len(songs), 4)
	tempi := map[float64]bool{}
	for _, p := range songs {
		tempi[p.BPM] = true
		assert.Greater(t, p.Seconds(), 40.0)
	}
	assert.Len(t, tempi, len(songs))
}

func TestSongAndClipFiles(t *testing.T) {
	require.NoError(t, media.Startup())
	write := func(name string, b []byte, err error) string {
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, b, 0o644))
		return path
	}
	p := synth.Piece{Name: "Short", BPM: 120, Bars: 8, Root: 60, Chords: []int{0}, Seed: 1}
	b, err := songFile(ctx, p)
	m, _, err2 := media.Probe(ctx, write("s.flac", b, err), "s.flac")
	require.NoError(t, err2)
	assert.Equal(t, doc.SongMedia, m.Kind)
	assert.InDelta(t, p.Seconds(), float64(m.Length)/48000, 0.01)
	assert.Greater(t, m.LUFS, -30.0)

	b, err = clip(ctx, paint.Spec{
		Scene: paint.Race,
		W:     96,
		H:     54,
		Seed:  2,
	}, time.Date(2026, 9, 12, 12, 0, 0, 0, time.UTC))
	m, _, err2 = media.Probe(ctx, write("c.mp4", b, err), "c.mp4")
	require.NoError(t, err2)
	assert.Equal(t, doc.ClipMedia, m.Kind)
	assert.InDelta(t, clipFrames/25.0, float64(m.Length)/48000, 0.01)
	assert.Equal(t, 2026, m.Captured.Year())
}

package pango_test

import (
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/media"
	"nelko/internal/media/pango"
)

func TestMain(m *testing.M) {
	if err := media.Startup(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(m.Run())
}

func typed(words, face string) scene.Type {
	return scene.Type{
		Words:  words,
		Face:   face,
		Size:   60,
		Width:  600,
		Align:  "centre",
		Colour: raster.RGB{R: 255, G: 240, B: 200},
	}
}

func ink(t *testing.T, y scene.Type) (p raster.Pixels, sum int) {
	s, err := pango.Words.Set(y)
	require.NoError(t, err, y.Words)
	p, err = pango.Draw(y, int(s.W)+1+2*y.Pad(), int(s.H)+1+2*y.Pad())
	require.NoError(t, err, y.Words)
	for i := 3; i < len(p.Pix); i += 4 {
		sum += int(p.Pix[i])
	}
	return p, sum
}

// Any script is set and leaves ink, none of it cut off at the sprite's edge,
// and every letter has a place within the words.
func TestAnyScript(t *testing.T) {
	for _, words := range []string{"The Gannets", "Zoë & <b>Søn</b>", "مرحبا بالعالم", "海の祭り", "שלום",
		"🚣 crew", "Ελλάδα", "นักพายเรือ", "fjord gypsy"} {
		y := typed(words, "Fraunces,Noto Serif Semi-Bold")
		p, sum := ink(t, y)
		assert.Greater(t, sum, 20000, words)
		for x := range p.W {
			assert.Zero(t, p.Pix[4*x+3], "%s: the top edge is free", words)
			assert.Zero(t, p.Pix[4*((p.H-1)*p.W+x)+3], "%s: the bottom edge is free", words)
		}
		s, err := pango.Words.Set(y)
		require.NoError(t, err)
		assert.NotEmpty(t, s.Letters, words)
		for _, r := range append(s.Letters, s.Words...) {
			assert.True(t, r.X >= -1 && r.X+r.W <= s.W+1, "%s: %v", words, r)
		}
	}
}

// Reading order is that of the words, whatever the direction of writing:
// Hebrew begins at the right.
func TestReadingOrder(t *testing.T) {
	s, err := pango.Words.Set(typed("שלום עולם", "Noto Sans"))
	require.NoError(t, err)
	require.Len(t, s.Words, 2)
	assert.Greater(t, s.Words[0].X, s.Words[1].X)
	assert.Greater(t, s.Letters[0].X, s.Letters[1].X)
	s, err = pango.Words.Set(typed("two words", "Noto Sans"))
	require.NoError(t, err)
	require.Len(t, s.Words, 2)
	assert.Len(t, s.Letters, 8)
	assert.Less(t, s.Words[0].X, s.Words[1].X)
}

func TestLinesBreakAndLeadingSpreadsThem(t *testing.T) {
	y := typed("A long line of words that does not fit", "Noto Sans")
	s, err := pango.Words.Set(y)
	require.NoError(t, err)
	assert.Greater(t, s.Lines, 1)
	assert.LessOrEqual(t, s.W, 600.0)
	y.Leading = 1.6
	wide, err := pango.Words.Set(y)
	require.NoError(t, err)
	assert.Greater(t, wide.H, s.H)
}

// The shipped faces are really the ones used, and tracking, outline and
// shadow do what they say.
func TestStyle(t *testing.T) {
	a, _ := ink(t, typed("Gannets", "Fraunces Semi-Bold"))
	b, plain := ink(t, typed("Gannets", "Noto Serif Semi-Bold"))
	assert.NotEqual(t, a.Pix, b.Pix)
	y := typed("Gannets", "Noto Serif Semi-Bold")
	tight, err := pango.Words.Set(y)
	require.NoError(t, err)
	y.Track = 0.2
	loose, err := pango.Words.Set(y)
	require.NoError(t, err)
	assert.InDelta(t, tight.W+7*0.2*60, loose.W, 13)
	y.Track, y.Outline = 0, 4
	_, outlined := ink(t, y)
	assert.Greater(t, outlined, plain*5/4)
	y.Outline, y.Shadow = 0, 0.8
	_, shadowed := ink(t, y)
	assert.Greater(t, shadowed, plain*5/4)
}

func TestBadTypeIsRefused(t *testing.T) {
	_, err := pango.Words.Set(scene.Type{Words: "x", Face: "Noto Sans", Width: 100})
	assert.Error(t, err)
	_, err = pango.Draw(scene.Type{Words: "x", Face: "Noto Sans", Size: 20, Width: 100}, 0, 10)
	assert.Error(t, err)
	_, err = pango.Words.Set(typed("bad \xff\x00 bytes", "Noto Sans"))
	assert.NoError(t, err)
}

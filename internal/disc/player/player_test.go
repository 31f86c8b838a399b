package player

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What is no disc is told of and not crashed on. Discs themselves are walked
// where they are made, in package disc.
func TestNoDisc(t *testing.T) {
	_, err := Open(filepath.Join(t.TempDir(), "none.iso"))
	assert.Error(t, err)
	path := filepath.Join(t.TempDir(), "noise.iso")
	noise := make([]byte, 1<<20)
	for i := range noise {
		noise[i] = byte(i * 7)
	}
	assert.NoError(t, os.WriteFile(path, noise, 0o600))
	_, err = Walk(path)
	assert.Error(t, err)
	_, err = Guide{}.Page(path, 1)
	assert.ErrorContains(t, err, "no such page")
}

// The disc's colours are Y, Cr, Cb in video range (ITU-R BT.601): black, white,
// and the primaries of its table 3, from memory to within rounding.
func TestPalette(t *testing.T) {
	d := &Disc{}
	copy(d.colour[:], []uint32{0x108080, 0xeb8080, 0x51f05a, 0x912236, 0x296ef0})
	p := d.Palette()
	near := func(want, got uint32) {
		for shift := 0; shift <= 16; shift += 8 {
			assert.InDelta(t, want>>shift&255, got>>shift&255, 2, "%06x, not %06x", got, want)
		}
	}
	for i, want := range []uint32{0x000000, 0xffffff, 0xff0000, 0x00ff00, 0x0000ff} {
		near(want, p[i])
	}
}

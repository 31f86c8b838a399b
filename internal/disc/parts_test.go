package disc

import (
	"encoding/binary"
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
)

// unpack reads run lengths as decoders of presentation graphics do.
func unpack(t *rapid.T, b []byte, w, h int) (out []byte) {
	for len(b) > 0 {
		if b[0] != 0 {
			out, b = append(out, b[0]), b[1:]
			continue
		}
		switch flag := b[1]; {
		case flag == 0:
			require.Zero(t, len(out)%w, "a row is whole when it is closed")
			b = b[2:]
		default:
			n, size, c := int(flag&0x3f), 2, byte(0)
			if flag&0x40 != 0 {
				n, size = n<<8|int(b[2]), 3
			}
			if flag&0x80 != 0 {
				c, size = b[size], size+1
			}
			for range n {
				out = append(out, c)
			}
			b = b[size:]
		}
	}
	require.Len(t, out, w*h)
	return out
}

// Whatever the picture, what is packed is the picture.
func TestRunLengths(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, h := rapid.IntRange(1, 400).Draw(t, "w"), rapid.IntRange(1, 6).Draw(t, "h")
		img := image.NewPaletted(image.Rect(0, 0, w, h), make(color.Palette, 4))
		for i := 0; i < len(img.Pix); {
			c := rapid.ByteRange(0, 3).Draw(t, "colour")
			for n := rapid.SampledFrom([]int{1, 2, 3, 63, 64, 200}).Draw(t, "run"); n > 0 &&
				i < len(img.Pix); n-- {
				img.Pix[i] = c
				i++
			}
		}
		assert.Equal(t, img.Pix, unpack(t, runLengths(img), w, h))
	})
}

// Every button can be reached from every other by the four keys, and a key does
// not lead astray: what is reached lies in its direction.
func TestButtonsAreReached(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var all []button
		cols, rows := rapid.IntRange(1, 3).Draw(t, "cols"), rapid.IntRange(1, 3).Draw(t, "rows")
		for y := range rows {
			for x := range cols {
				all = append(all, button{Rectangle: image.Rect(60+200*x, 50+150*y, 220+200*x, 160+150*y)})
			}
		}
		reached := map[int]bool{0: true}
		for queue := []int{0}; len(queue) > 0; queue = queue[1:] {
			for way, to := range neighbours(all, queue[0]) {
				from := queue[0]
				if to != from {
					dx, dy := all[to].Min.X-all[from].Min.X, all[to].Min.Y-all[from].Min.Y
					assert.Greater(t, [4]int{-dy, dy, -dx, dx}[way], 0)
				}
				if !reached[to] {
					reached[to] = true
					queue = append(queue, to)
				}
			}
		}
		assert.Len(t, reached, len(all))
	})
}

// Subtitles that follow each other leave decoders time; a subtitle is shown for
// a frame at least.
func TestSubtitlesAreApart(t *testing.T) {
	lines := []plan.Cue{{From: 0, To: 50}, {From: 50, To: 51}, {From: 51, To: 90}, {From: 200, To: 240}}
	assert.Equal(t, []timecode.Frames{48, 51, 90, 240}, []timecode.Frames{ends(lines, 0), ends(lines, 1),
		ends(lines, 2), ends(lines, 3)})
	assert.Equal(t, "01:01:01.04", clock(timecode.R25, 25*3661+1))
}

// Words are drawn in their own colour and three others, whatever the script, and
// stand in the lower part of the frame, inside the title-safe area.
func TestWordsOfAnyScript(t *testing.T) {
	for _, text := range []string{"Off the quay", "Die Boje\nund zurück", "Στο λιμάνι", "إلى الميناء", "港へ"} {
		c := raster.RGB{R: 255, G: 220, B: 40}
		img, at, err := Words(text, c, 720, 480, 4.0/3)
		require.NoError(t, err)
		assert.Len(t, img.Palette, 4)
		counts := map[uint8]int{}
		for _, p := range img.Pix {
			counts[p]++
		}
		assert.Greater(t, counts[2], 40, text)
		assert.Greater(t, counts[1], 40, text)
		box := img.Bounds().Add(at)
		assert.True(t, box.In(image.Rect(36, 240, 684, 456)), "%s: %v", text, box)
		assert.True(t, at.X%2 == 0 && at.Y%2 == 0 && img.Bounds().Dx()%2 == 0)
	}
}

// The map from times to packets leads back to each entry, however far apart
// they are.
func TestEntryMap(t *testing.T) {
	var entries []entry
	for i := range 600 {
		entries = append(entries, entry{pts: int64(126000 + i*90000), packet: uint32(i * 1311)})
	}
	b := entryMap(entries)
	counts := uint64(binary.BigEndian.Uint16(b[4:]))<<32 | uint64(binary.BigEndian.Uint32(b[6:]))
	coarses, fines := int(counts>>18&0xffff), int(counts&0x3ffff)
	require.Equal(t, len(entries), fines)
	start := 14
	fine := start + int(binary.BigEndian.Uint32(b[start:]))
	at := func(i int) (uint64, uint32) { // as libbluray puts the parts together
		c := 0
		for k := range coarses {
			if int(binary.BigEndian.Uint32(b[start+4+8*k:])>>14) <= i {
				c = k
			}
		}
		first, packet := binary.BigEndian.Uint32(b[start+4+8*c:]), binary.BigEndian.Uint32(b[start+8+8*c:])
		f := binary.BigEndian.Uint32(b[fine+4*i:])
		return uint64(first&0x3fff&^1)<<18 + uint64(f>>17&0x7ff)<<8, packet&^0x1ffff + f&0x1ffff
	}
	for i, e := range entries {
		pts, packet := at(i)
		assert.InDelta(t, e.pts/2, pts, 256, "entry %d", i)
		assert.Equal(t, e.packet, packet, "entry %d", i)
	}
}

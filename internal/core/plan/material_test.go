package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/doc"
)

// Each medium knows its slides, songs whether they play, and look-alikes are
// one group though its ends are not like each other.
func TestMaterial(t *testing.T) {
	photo := func(id doc.MediaID, print uint64) doc.Media {
		return doc.Media{ID: id, Kind: doc.PhotoMedia, Print: print}
	}
	media := []doc.Media{photo("a", 0xffff), photo("b", 0xfffff0), photo("c", 0xff),
		photo("d", 0xffffffffffffffff), photo("e", 0), photo("f", 0), {
			ID:   "s",
			Kind: doc.SongMedia,
		}, {ID: "t", Kind: doc.SongMedia}}
	d := doc.New("t", 1)
	d.Slides = []doc.Slide{{
		ID:    "1",
		Media: []doc.MediaID{"a", "d"},
	}, {ID: "2"}, {ID: "3", Media: []doc.MediaID{"a"}}}
	d.Soundtrack.AddSong("s")
	f := Material(d, media)
	assert.Equal(t, []int{0, 2}, f[0].Slides)
	assert.Equal(t, []int{0}, f[3].Slides)
	assert.True(t, f[6].Plays && f[6].Used() && !f[7].Used() && !f[1].Used())
	// 0xffff and 0xff differ in 8 bits, 0xffff and 0xfffff0 in 12, of 0xff and
	// 0xfffff0 in 20: a and c are alike, b is like neither.
	assert.Equal(t, []int{1, 0, 1, 0, 0, 0}, []int{f[0].Group, f[1].Group, f[2].Group, f[3].Group, f[4].Group,
		f[5].Group}, "without a print nothing is like anything")
	assert.Equal(t, 2, f[0].Like)
	media[1].Print = 0xffff0 // 8 bits from a, 16 from c
	g := Material(d, media)
	assert.Equal(t, []int{1, 1, 1}, []int{g[0].Group, g[1].Group, g[2].Group}, "c is like a, a is like b")
	assert.Equal(t, 3, g[1].Like)
}

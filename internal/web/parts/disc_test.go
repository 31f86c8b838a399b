package parts

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/store"
	"nelko/internal/web/field"
)

// The kinds of disc an order can choose among, with how its film fits.
func TestDiscChoices(t *testing.T) {
	list := DiscChoices([]float64{62})
	assert.Len(t, list, 5)
	assert.Equal(t, "dvd/DVD 4.7 GB", list[0].Value)
	assert.True(t, list[0].First)
	names := map[string]bool{}
	for _, c := range list {
		assert.True(t, c.Fits, c.Name)
		assert.NotContains(t, c.Name, ", DVD", "nothing is said twice")
		names[c.Name] = true
	}
	assert.Len(t, names, 5)
	long := DiscChoices([]float64{6 * 3600})
	assert.False(t, long[0].Fits)
	assert.Contains(t, long[0].Words, "too long for one DVD 4.7 GB: ")
	assert.Equal(t, []string{"DVD PAL 16:9", "DVD PAL 4:3", "DVD NTSC 16:9", "DVD NTSC 4:3"}, Standards())
}

// What a form of a disc means: the kind with its blank, and for files the sizes
// that were ticked.
func TestDiscForm(t *testing.T) {
	every := field.Amount(5)
	f := DiscForm{
		On:       "data/HD disc 25 GB",
		Name:     "x",
		Standard: "DVD PAL 16:9",
		Profiles: []string{"MP4", "Web 720"},
		Also:     []int64{4},
		Every:    &every,
	}
	n := f.Disc(3)
	assert.Equal(t, []any{store.DataDisc, "HD disc 25 GB", []string{"MP4", "Web 720"}, []int64{3, 4}, 5},
		[]any{n.Kind, n.Blank, n.Profiles, n.Orders, n.Every})
	f.On = "dvd/DVD 8.5 GB"
	assert.Equal(t, []string{"DVD PAL 16:9"}, f.Disc(3).Profiles)
}

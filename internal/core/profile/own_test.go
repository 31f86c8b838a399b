package profile

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nelko/internal/core/timecode"
)

func named(t *testing.T, name string) Profile {
	p, ok := Named(name)
	require.True(t, ok, name)
	return p
}

// A profile of one's own is another with a few things changed, and nothing else.
func TestOwnProfiles(t *testing.T) {
	web := named(t, "Web 1080")
	p, err := web.Own(Change{
		Name:     " Feed ",
		About:    "tall",
		Shape:    Shape{4, 5},
		Lines:    720,
		Rate:     timecode.R25,
		CRF:      24,
		Captions: Track,
	})
	require.NoError(t, err)
	want := web
	want.Name, want.About, want.Shape, want.Lines, want.Rate, want.Video.CRF, want.Captions = "Feed", "tall",
		Shape{4, 5}, 720, timecode.R25, 24, Track
	assert.Equal(t, want, p)
	w, h := p.Frame(1920, 1080)
	assert.Equal(t, []int{720, 900}, []int{w, h})

	p, err = web.Own(Change{Name: "Small", MaxBytes: 8e6})
	require.NoError(t, err)
	assert.True(t, p.Whole())
	sized, err := p.Sized(30*60, 1920, 1080)
	require.NoError(t, err)
	assert.Less(t, float64(sized.Video.Kbps+sized.Audio.Kbps)*1000*60/8, 8e6)

	p, err = web.Own(Change{Name: "Rate", Kbps: 4000})
	require.NoError(t, err)
	assert.Equal(t, []int{4000, 2}, []int{p.Video.Kbps, p.Video.Passes})
	p, err = named(t, "Archive AV1").Own(Change{Name: "Rate", Kbps: 4000})
	require.NoError(t, err)
	assert.Equal(t, 1, p.Video.Passes)
	p, err = web.Own(Change{Name: "Short", Teaser: 2})
	require.NoError(t, err)
	assert.Equal(t, &Teaser{From: 4, Seconds: 2, Fade: 0.5}, p.Teaser)
	assert.False(t, p.Plays(), "a part is not the film")

	for what, c := range map[string]struct {
		base Profile
		Change
	}{
		"no name": {web, Change{}}, "both": {web, Change{
			Name: "x",
			CRF:  20,
			Kbps: 500,
		}}, "frame of a disc": {DVDPALWide, Change{Name: "x", Lines: 480}},
		"rate of a disc": {DVDPALWide, Change{
			Name: "x",
			Rate: timecode.R30,
		}}, "captions": {web, Change{
			Name:     "x",
			Captions: "sung",
		}}, "teaser": {web, Change{Name: "x", Teaser: 9000}},
	} {
		_, err := c.base.Own(c.Change)
		assert.Error(t, err, what)
	}
}

// Sizes are drawn with the largest of their shape, rate and captions, by nobody
// who is drawn with another; what cannot be shared is drawn alone.
func TestTogether(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfN(rapid.SampledFrom(Shipped), 1, 8).Draw(t, "profiles")
		drawn, leads := Together(all, 1920, 1080)
		for i, lead := range leads {
			if lead == i {
				assert.Equal(t, all[i], drawn[i])
				continue
			}
			assert.Equal(t, lead, leads[lead], "a lead leads itself")
			assert.False(t, all[i].Whole() || all[lead].Whole())
			assert.Equal(t, all[lead].Rate, all[i].Rate)
			w, h := all[lead].Frame(1920, 1080)
			assert.Equal(t, &Size{w, h}, drawn[i].Drawn)
			kw, kh, _ := drawn[i].Kept(1920, 1080)
			x, y := all[i].Size(1920, 1080)
			assert.Equal(t, []int{x, y}, []int{kw, kh}, "it keeps its own size")
			assert.LessOrEqual(t, kw*kh, w*h, "nothing is enlarged")
		}
	})
	_, leads := Together([]Profile{named(t, "Phone 480"), named(t, "Upright 1080"), named(t, "Web 1080"),
		named(t, "Web 720"), named(t, "Sound")}, 1920, 1080)
	assert.Equal(t, []int{2, 1, 2, 2, 4}, leads)
}

func TestWhatPlays(t *testing.T) {
	var plays []string
	for _, p := range Shipped {
		if p.Plays() {
			plays = append(plays, p.Name)
		}
		assert.NotEmpty(t, p.About)
		assert.NotEmpty(t, p.String())
	}
	assert.Equal(t, []string{"MP4", "Phone 360", "Phone 480", "Web 720", "Web 1080", "Web 2160",
		"Upright 1080", "Square 1080", "Mail"}, plays)
	assert.True(t, named(t, "Open web").File.Plays())
	assert.False(t, named(t, "Edit ProRes").File.Plays())
	assert.Equal(t, "a JPEG", named(t, "Poster").String())
	assert.Equal(t, "mp3 at 256 kbit/s", named(t, "Sound").String())
	_, ok := Named("Smoke signals")
	assert.False(t, ok)
}

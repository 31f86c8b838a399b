package profile

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nelko/internal/core/timecode"
)

func TestShippedProfilesAreValid(t *testing.T) {
	for _, p := range append(Shipped, Draft, Loop) {
		assert.NoError(t, p.Validate(), p.Name)
	}
}

func TestProfilesAreChecked(t *testing.T) {
	for want, change := range map[string]func(*Profile){
		"name": func(p *Profile) { p.Name = " " }, "rate": func(p *Profile) { p.Rate = timecode.Rate{Num: 31, Den: 1} },
		"frame": func(p *Profile) { p.Longer = 9000 }, "video": func(p *Profile) { p.Video.Encoder = "" }, "video.crf": func(p *Profile) { p.Video.CRF = 60 },
		"video.key_seconds": func(p *Profile) { p.Video.KeySeconds = 0 }, "audio.kbps": func(p *Profile) { p.Audio.Kbps = 4 },
		"file": func(p *Profile) { p.File.MIME = "" }, "captions": func(p *Profile) { p.Captions = "sung" }, "max_bytes": func(p *Profile) { p.MaxBytes = -1 },
	} {
		p := Film
		change(&p)
		assert.ErrorContains(t, p.Validate(), want+":")
	}
}

// A frame keeps its shape to within a pixel, is even, and never larger than
// it was or than the profile says.
func TestFrameKeepsItsShape(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, h := 2*rapid.IntRange(32, 2048).Draw(t, "w"), 2*rapid.IntRange(32, 2048).Draw(t, "h")
		p := Profile{Longer: rapid.IntRange(0, 4096).Draw(t, "longer"), Shorter: rapid.IntRange(0, 2160).Draw(t, "shorter")}
		x, y := p.Frame(w, h)
		assert.True(t, x%2 == 0 && y%2 == 0 && x >= 2 && y >= 2)
		assert.True(t, x <= w && y <= h)
		if p.Longer > 1 {
			assert.LessOrEqual(t, max(x, y), max(2, p.Longer+1))
		}
		k := float64(x) / float64(w)
		assert.InDelta(t, float64(h)*k, float64(y), 2+float64(h)/float64(w)*2)
	})
}

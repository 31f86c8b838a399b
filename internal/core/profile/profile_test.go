package profile

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
		"name": func(p *Profile) {
			p.Name = " "
		}, "rate": func(p *Profile) {
			p.Rate = timecode.Rate{Num: 31, Den: 1}
		}, "kind": func(p *Profile) { p.Kind = "scent" },
		"frame": func(p *Profile) {
			p.Longer = 9000
		}, "shape": func(p *Profile) {
			p.Shape = Shape{90, 2}
		}, "video": func(p *Profile) {
			p.Video.Encoder = ""
		}, "video.crf": func(p *Profile) { p.Video.CRF = 70 },
		"video.kbps": func(p *Profile) {
			p.Video.Passes = 3
		}, "video.key_seconds": func(p *Profile) {
			p.Video.KeySeconds = 0
		}, "audio.kbps": func(p *Profile) { p.Audio.Kbps = 4 },
		"file": func(p *Profile) {
			p.File.MIME = ""
		}, "captions": func(p *Profile) {
			p.Captions = "sung"
		}, "max_bytes": func(p *Profile) { p.MaxBytes = -1 },
		"teaser": func(p *Profile) {
			p.Teaser = &Teaser{Seconds: 2, Fade: 1.5}
		}, "about": func(p *Profile) { p.About = strings.Repeat("x", 300) },
	} {
		p := Film
		change(&p)
		assert.ErrorContains(t, p.Validate(), want+":")
	}
	p := shaped(Film, 4, 1)
	p.Lines = 1100
	assert.ErrorContains(t, p.Validate(), "longer side would have more", "4400 pixels")
}

// A frame keeps the shape it is to have to within its rounding, is even, has
// the lines the profile says, and is no longer than it allows.
func TestFrameKeepsItsShape(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, h := 2*rapid.IntRange(120, 2048).Draw(t, "w"), 2*rapid.IntRange(120, 2048).Draw(t, "h")
		p := Profile{
			Longer: rapid.SampledFrom([]int{0, 480, 960, 4096}).Draw(t, "longer"),
			Lines:  rapid.SampledFrom([]int{0, 360, 480, 1080}).Draw(t, "lines"),
		}
		shape := float64(w) / float64(h)
		if rapid.Bool().Draw(t, "shaped") {
			p.Shape = Shape{rapid.IntRange(1, 16).Draw(t, "across"), rapid.IntRange(4, 16).Draw(t, "down")}
			shape = float64(p.Shape.W) / float64(p.Shape.H)
		}
		x, y := p.Frame(w, h)
		assert.True(t, x%2 == 0 && y%2 == 0 && x >= 2 && y >= 2)
		if p.Longer > 0 {
			assert.LessOrEqual(t, max(x, y), p.Longer+1)
		} else if p.Lines > 0 {
			assert.Equal(t, p.Lines, min(x, y))
		} else if p.Shape == (Shape{}) {
			assert.Equal(t, [2]int{w, h}, [2]int{x, y}, "the slideshow's own")
		}
		assert.InDelta(t, float64(y)*shape, float64(x), 2+2*shape)
	})
}

// What discs store: 720 pixels a line, of 576 or 480 lines, whatever their
// shape (ITU-R BT.601; DVD-Video has no other full frame).
func TestDiscFrames(t *testing.T) {
	for _, p := range []Profile{DVDPALWide, DVDPALNarrow, DVDNTSCWide, DVDNTSCNarrow} {
		w, h := p.Frame(1920, 1080)
		assert.InDelta(t, float64(p.Shape.W)/float64(p.Shape.H), float64(w)/float64(h), 0.01,
			"drawn with square pixels")
		kw, kh, scaled := p.Kept(1920, 1080)
		assert.Equal(t, []any{720, h, true}, []any{kw, kh, scaled})
		group := p.Video.KeySeconds * p.Rate.FPS()
		assert.LessOrEqual(t, group, map[bool]float64{true: 15, false: 18}[p.Rate == timecode.R25]+1e-9)
	}
}

// A film of limited size: the bit rate fills what the sound leaves, never more
// than all of it, and what would look bad is refused with the number.
func TestMailSize(t *testing.T) {
	var mail Profile
	for _, p := range Shipped {
		if p.MaxBytes > 0 {
			mail = p
		}
	}
	sized, err := mail.Sized(mail.Rate.Frames(150), 1920, 1080)
	require.NoError(t, err)
	bits := float64(sized.Video.Kbps+sized.Audio.Kbps) * 1000 * 150
	assert.Less(t, bits, 25e6*8.0)
	assert.Greater(t, bits, 25e6*8*0.95, "2:30 fill the room")
	assert.Equal(t, 720, sized.Lines)
	longer, err := mail.Sized(mail.Rate.Frames(600), 1920, 1080)
	require.NoError(t, err)
	assert.Less(t, longer.Lines, sized.Lines)
	var long *TooLong
	_, err = mail.Sized(mail.Rate.Frames(3600), 1920, 1080)
	require.ErrorAs(t, err, &long)
	assert.ErrorContains(t, err, "a film of 60:00.0 leaves 0 kbit/s")
	_, err = mail.Sized(mail.Rate.Frames(long.LongestSeconds-1), 1920, 1080)
	assert.NoError(t, err, "as long as the message says")
	_, err = mail.Sized(mail.Rate.Frames(long.LongestSeconds+2), 1920, 1080)
	assert.Error(t, err)
}

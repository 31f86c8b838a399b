package render

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

// clipFade is how long a clip's own sound takes to come in and go out.
const clipFade = timecode.SampleRate / 4

// SoundTrack opens the songs and the clips with sound of a slideshow for
// mixing. closeAll must be called afterwards.
func SoundTrack(ctx context.Context, d doc.Slideshow, p plan.Plan, lib doc.Library, files media.Files) (t sound.Track, closeAll func(), err error) {
	var open []*media.Sound
	closeAll = func() {
		for _, s := range open {
			s.Close()
		}
	}
	source := func(id doc.MediaID, from float64) (*media.Sound, error) {
		path, err := files.Path(id)
		if err == nil {
			var s *media.Sound
			if s, err = media.OpenSound(ctx, path, from); err == nil {
				open = append(open, s)
				return s, nil
			}
		}
		return nil, fmt.Errorf("%s: %w", lib[id].Name, err)
	}
	seconds := func(s float64) timecode.Samples { return timecode.Samples(math.Round(s * timecode.SampleRate)) }
	t = sound.Track{
		FadeIn: seconds(d.Soundtrack.FadeInSeconds), FadeOut: seconds(d.Soundtrack.FadeOutSeconds),
		Total: d.Rate.SampleAt(p.Pictures),
	}
	for _, id := range d.Soundtrack.Songs {
		m := lib[id]
		s, err := source(id, 0)
		if err != nil {
			closeAll()
			return t, func() {}, err
		}
		t.Songs = append(t.Songs, sound.Song{Source: s, Length: m.Length, Gain: sound.Gain(m.LUFS, m.PeakDB, d.Soundtrack.LUFS)})
	}
	for _, c := range clipSounds(d, p, lib) {
		s, err := source(c.Media, float64(d.Begin(lib[c.Media]))/timecode.SampleRate)
		if err != nil {
			closeAll()
			return t, func() {}, err
		}
		t.Clips = append(t.Clips, sound.Clip{Source: s, At: c.At, Length: c.Length, Gain: c.Gain, Fade: clipFade})
	}
	return t, closeAll, nil
}

// clipSound is where a clip's own sound is heard.
type clipSound struct {
	Media      doc.MediaID
	At, Length timecode.Samples
	Gain       float64
}

func clipSounds(d doc.Slideshow, p plan.Plan, lib doc.Library) (out []clipSound) {
	for _, s := range p.Slides {
		for _, id := range s.Media {
			m := lib[id]
			if m.Kind != doc.ClipMedia || !m.Sound || d.Shot(id).Sound <= 0 {
				continue
			}
			at := d.Rate.SampleAt(s.Start)
			out = append(out, clipSound{id, at, min(d.Length(m), d.Rate.SampleAt(s.End())-at), d.Shot(id).Sound})
		}
	}
	return out
}

// SoundKey names all that a slideshow's soundtrack depends on.
func SoundKey(d doc.Slideshow, p plan.Plan, lib doc.Library, profile Profile, content func(doc.MediaID) string) (string, error) {
	type heard struct {
		Content    string
		Length     timecode.Samples
		LUFS, Peak float64
	}
	in := struct {
		Engine int
		Track  doc.Soundtrack
		Total  timecode.Samples
		Kbps   int
		Songs  []heard
		Clips  []clipSound
		Begins []timecode.Samples
	}{Engine: EngineVersion, Track: d.Soundtrack, Total: d.Rate.SampleAt(p.Pictures), Kbps: profile.AudioKbps}
	for _, id := range d.Soundtrack.Songs {
		m := lib[id]
		in.Songs = append(in.Songs, heard{content(id), m.Length, m.LUFS, m.PeakDB})
	}
	in.Track.Songs = nil
	for _, c := range clipSounds(d, p, lib) {
		in.Begins = append(in.Begins, d.Begin(lib[c.Media]))
		c.Media = doc.MediaID(content(c.Media))
		in.Clips = append(in.Clips, c)
	}
	b, err := json.Marshal(in)
	if err != nil {
		return "", fmt.Errorf("naming the soundtrack: %w", err)
	}
	sum := sha256.Sum256(append([]byte("sound"), b...))
	return hex.EncodeToString(sum[:]), nil
}

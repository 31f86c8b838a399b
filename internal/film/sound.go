package film

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
)

// clipFade is how long a clip's own sound takes to come in and go out.
const clipFade = timecode.SampleRate / 4

// heard is a stretch of sound and all it depends on.
type heard struct {
	Media           doc.MediaID
	Music           bool
	Begin           timecode.Samples // in the source
	At, Length      timecode.Samples
	Gain            float64
	FadeIn, FadeOut timecode.Samples
	Points          []sound.Point
}

func samples(seconds float64) timecode.Samples {
	return timecode.Samples(math.Round(seconds * timecode.SampleRate))
}

// heard lists the film's sound: the soundtrack's items at their places, and
// the clips that are heard with their pictures.
func (f *Film) heard() (out []heard) {
	d, lib := f.Doc, f.Library
	for _, p := range d.Soundtrack.Placed(lib) {
		m := lib[p.Media]
		h := heard{Media: p.Media, Music: p.Role == doc.Music, Begin: p.Begin, At: p.Start, Length: p.Length, Gain: 1,
			FadeIn: samples(p.FadeInSeconds), FadeOut: samples(p.FadeOutSeconds)}
		if p.Role != doc.ClipSound {
			h.Gain = sound.Gain(m.LUFS, m.PeakDB, d.Soundtrack.LUFS)
		}
		for _, g := range p.Gain {
			h.Points = append(h.Points, sound.Point{At: samples(g.AtSeconds), Gain: math.Pow(10, g.DB/20)})
		}
		out = append(out, h)
	}
	for _, s := range f.Plan.Slides {
		for _, id := range s.Media {
			m := lib[id]
			if m.Kind != doc.ClipMedia || !m.Sound || d.Shot(id).Sound <= 0 {
				continue
			}
			at := d.Rate.SampleAt(s.Start)
			begin, length := d.Cut(s.Slide, m)
			out = append(out, heard{Media: id, Begin: begin, At: at, Length: min(length, d.Rate.SampleAt(s.End())-at),
				Gain: d.Shot(id).Sound, FadeIn: clipFade, FadeOut: clipFade})
		}
	}
	for _, l := range d.Decor {
		m := lib[doc.MediaID(l.Media)]
		if m.Kind != doc.ClipMedia || !m.Sound || l.Sound <= 0 {
			continue
		}
		from, to := f.Plan.Laid(l, lib)
		if to > from {
			at := d.Rate.SampleAt(from)
			out = append(out, heard{Media: m.ID, Begin: samples(l.Begin), At: at, Length: d.Rate.SampleAt(to) - at, Gain: l.Sound, FadeIn: clipFade, FadeOut: clipFade})
		}
	}
	if f.Profile.Teaser != nil {
		return part(out, d.Rate.SampleAt(f.From), f.Samples())
	}
	return out
}

// fades are how long all sound takes to come in at the beginning and to go out
// at the end, in seconds.
func (f *Film) fades() (in, out float64) {
	if t := f.Profile.Teaser; t != nil {
		return t.Fade, t.Fade
	}
	return f.Doc.Soundtrack.FadeInSeconds, f.Doc.Soundtrack.FadeOutSeconds
}

// part gives what is heard of a film from a moment on, so long, with fades of
// its own at both ends.
func part(all []heard, from, length timecode.Samples) (out []heard) {
	for _, h := range all {
		h.At -= from
		if cut := -h.At; cut > 0 {
			h.Begin, h.Length, h.At = h.Begin+cut, h.Length-cut, 0
			h.FadeIn = max(0, h.FadeIn-cut)
			h.Points = slices.Clone(h.Points)
			for i := range h.Points {
				h.Points[i].At -= cut
			}
		}
		if over := h.At + h.Length - length; over > 0 {
			h.Length -= over
			h.FadeOut = max(0, h.FadeOut-over)
		}
		if h.Length > 0 {
			out = append(out, h)
		}
	}
	return out
}

// Silent reports whether the film has no sound of its own.
func (f *Film) Silent() bool { return len(f.heard()) == 0 }

// Track opens what is heard for mixing. closeAll must be called afterwards.
func (f *Film) Track(ctx context.Context, files media.Files) (t sound.Track, closeAll func(), err error) {
	var open []*media.Sound
	closeAll = func() {
		for _, s := range open {
			s.Close()
		}
	}
	in, out := f.fades()
	t = sound.Track{FadeIn: samples(in), FadeOut: samples(out), Total: f.Samples()}
	for _, h := range f.heard() {
		path, err := files.Path(ctx, h.Media)
		var src *media.Sound
		if err == nil {
			src, err = media.OpenSound(ctx, path, float64(h.Begin)/timecode.SampleRate)
		}
		if err != nil {
			closeAll()
			return t, func() {}, fmt.Errorf("%s: %w", f.Library[h.Media].Name, err)
		}
		open = append(open, src)
		p := sound.Part{Source: src, At: h.At, Length: h.Length, Gain: h.Gain, FadeIn: h.FadeIn, FadeOut: h.FadeOut, Points: h.Points}
		if h.Music {
			t.Music = append(t.Music, p)
		} else {
			t.Over = append(t.Over, p)
		}
	}
	return t, closeAll, nil
}

// SoundKey names all that the film's soundtrack depends on.
func (f *Film) SoundKey() (string, error) { return f.soundKey() }

func (f *Film) nameSound() (string, error) {
	in, out := f.fades()
	b, err := json.Marshal(struct {
		Engine          int
		Encode          string
		Audio           profile.Audio
		Format          string
		Total           timecode.Samples
		FadeIn, FadeOut float64
		Heard           []heard
	}{EngineVersion, f.tools.Encode, f.Profile.Audio, f.Profile.File.Format, f.Samples(), in, out, f.heard()})
	if err != nil {
		return "", fmt.Errorf("naming the soundtrack: %w", err)
	}
	sum := sha256.Sum256(append([]byte("sound"), b...))
	return hex.EncodeToString(sum[:]), nil
}

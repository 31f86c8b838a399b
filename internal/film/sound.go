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
	Voice           bool
	Begin           timecode.Samples // in the source
	At, Length      timecode.Samples
	Gain            float64
	FadeIn, FadeOut timecode.Samples

	InShape, OutShape sound.Shape
	Points            []sound.Point
}

// shapes are the mixer's for the document's.
var shapes = map[doc.FadeShape]sound.Shape{
	doc.SmoothFade: sound.Smooth,
	doc.EvenFade:   sound.Even,
	doc.PowerFade:  sound.Power,
}

// joinFade is how long a song's stretches cross where they are joined, half of it on
// either side.
const joinFade = timecode.SampleRate / 20

func samples(seconds float64) timecode.Samples {
	return timecode.Samples(math.Round(seconds * timecode.SampleRate))
}

// heard lists the film's sound: the soundtrack's items at their places, and
// the clips that are heard with their pictures.
func (f *Film) heard() (out []heard) {
	d, lib := f.Doc, f.Library
	for _, p := range f.Plan.Sound.Placed(lib) {
		out = append(out, item(p, lib, lufs(f))...)
	}
	for _, s := range f.Plan.Slides {
		for _, id := range s.Media {
			m := lib[id]
			if m.Kind != doc.ClipMedia || !m.Sound || d.Shot(id).Sound <= 0 {
				continue
			}
			at := d.Rate.SampleAt(s.Start)
			begin, length := d.Cut(s.Slide, m)
			out = append(out, heard{
				Media:   id,
				Begin:   begin,
				At:      at,
				Length:  min(length, d.Rate.SampleAt(s.End())-at),
				Gain:    d.Shot(id).Sound,
				FadeIn:  clipFade,
				FadeOut: clipFade,
			})
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
			out = append(out, heard{
				Media:   m.ID,
				Begin:   samples(l.Begin),
				At:      at,
				Length:  d.Rate.SampleAt(to) - at,
				Gain:    l.Sound,
				FadeIn:  clipFade,
				FadeOut: clipFade,
			})
		}
	}
	if f.Profile.Teaser != nil {
		return part(out, d.Rate.SampleAt(f.From), f.Samples())
	}
	return out
}

// item is what is heard of an item: its stretches, crossed where they are joined. lufs
// is how loud songs are to be, 0 as they are.
func item(p doc.Placed, lib doc.Library, lufs float64) (out []heard) {
	m := lib[p.Media]
	gain := math.Pow(10, p.LevelDB/20)
	if p.Role != doc.ClipSound && lufs != 0 {
		// Songs are made as loud as each other; the limiter holds their peaks.
		gain *= sound.Gain(m.LUFS, lufs)
	}
	for k, piece := range p.Pieces {
		h := heard{
			Media:  p.Media,
			Music:  p.Role == doc.Music,
			Voice:  p.Role == doc.Narration,
			Begin:  piece.Begin,
			At:     piece.Start,
			Length: piece.Length,
			Gain:   gain,
		}
		if k == 0 {
			h.FadeIn, h.InShape = p.In.Length, shapes[p.In.Shape]
		} else {
			lead := min(joinFade/2, piece.Begin)
			h.Begin, h.At, h.Length = h.Begin-lead, h.At-lead, h.Length+lead
			h.FadeIn, h.InShape = 2*lead, sound.Power
		}
		if k == len(p.Pieces)-1 {
			h.FadeOut, h.OutShape = p.Out.Length, shapes[p.Out.Shape]
		} else {
			lead := min(joinFade/2, p.Pieces[k+1].Begin)
			h.Length += lead
			h.FadeOut, h.OutShape = 2*lead, sound.Power
		}
		for _, g := range p.Gain {
			h.Points = append(h.Points, sound.Point{
				At:   samples(g.AtSeconds) - (h.At - p.Start),
				Gain: math.Pow(10, g.DB/20),
			})
		}
		out = append(out, h)
	}
	return out
}

// fades are how long all sound takes to come in at the beginning and to go out
// at the end, in seconds.
func fades(f *Film) (in, out float64) {
	if t := f.Profile.Teaser; t != nil {
		return t.Fade, t.Fade
	}
	return f.Doc.Soundtrack.FadeInSeconds, f.Doc.Soundtrack.FadeOutSeconds
}

// lufs is how loud the film is to be: as its profile has it, unless it is left as it is.
func lufs(f *Film) float64 {
	if own := f.Doc.Soundtrack.LUFS; own == 0 || f.Profile.Audio.LUFS == 0 {
		return own
	}
	return f.Profile.Audio.LUFS
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
	in, out := fades(f)
	d := f.Doc.Soundtrack.Ducked()
	return open(ctx, files, f.Library, f.heard(), sound.Track{
		FadeIn:  samples(in),
		FadeOut: samples(out),
		Total:   f.Samples(),
		LUFS:    lufs(f),
		Duck: sound.Duck{
			DB:      d.DB,
			Attack:  samples(d.Attack),
			Release: samples(d.Release),
			Ahead:   samples(d.Ahead),
		},
	})
}

// Song opens one item of a soundtrack by itself, as it is and from its beginning.
// closeAll must be called afterwards.
func Song(ctx context.Context, files media.Files, lib doc.Library, it doc.Item) (t sound.Track,
	closeAll func(), err error) {
	it.Role, it.At, it.Join, it.On, it.Hold = doc.Music, nil, nil, "", false
	p := doc.Soundtrack{Items: []doc.Item{it}}.Placed(lib)[0]
	return open(ctx, files, lib, item(p, lib, 0), sound.Track{Total: p.Length})
}

// open gives a track its sources.
func open(ctx context.Context, files media.Files, lib doc.Library, all []heard, t sound.Track) (_ sound.Track,
	closeAll func(), err error) {
	var sources []*media.Sound
	closeAll = func() {
		for _, s := range sources {
			s.Close()
		}
	}
	for _, h := range all {
		source := func() (*media.Sound, error) {
			path, err := files.Path(ctx, h.Media)
			var src *media.Sound
			if err == nil {
				src, err = media.OpenSound(ctx, path, h.Begin, lib[h.Media].Kind == doc.SongMedia)
			}
			if err != nil {
				return nil, fmt.Errorf("%s: %w", lib[h.Media].Name, err)
			}
			sources = append(sources, src)
			return src, nil
		}
		p := sound.Part{
			At:       h.At,
			Length:   h.Length,
			Gain:     h.Gain,
			FadeIn:   h.FadeIn,
			FadeOut:  h.FadeOut,
			InShape:  h.InShape,
			OutShape: h.OutShape,
			Points:   h.Points,
		}
		if h.Voice {
			src, err := source()
			var spoken []sound.Span
			if err == nil {
				p.Source = src
				spoken, err = sound.Listen(p)
			}
			if err != nil {
				closeAll()
				return t, func() {}, err
			}
			t.Duck.Spoken = append(t.Duck.Spoken, spoken...)
		}
		if p.Source, err = source(); err != nil {
			closeAll()
			return t, func() {}, err
		}
		switch {
		case h.Voice:
			t.Voice = append(t.Voice, p)
		case h.Music:
			t.Music = append(t.Music, p)
		default:
			t.Over = append(t.Over, p)
		}
	}
	return t, closeAll, nil
}

// soundVersion changes whenever the same inputs give other samples.
const soundVersion = 6

// SoundKey names all that the film's soundtrack depends on.
func (f *Film) SoundKey() (string, error) { return f.soundKey() }

func (f *Film) nameSound() (string, error) {
	in, out := fades(f)
	b, err := json.Marshal(struct {
		Engine          int
		Encode          string
		Audio           profile.Audio
		Format          string
		Total           timecode.Samples
		FadeIn, FadeOut float64
		LUFS            float64
		Duck            doc.Duck
		Heard           []heard
	}{soundVersion, f.tools.Encode, f.Profile.Audio, f.Profile.File.Format, f.Samples(), in, out, lufs(f),
		f.Doc.Soundtrack.Ducked(), f.heard()})
	if err != nil {
		return "", fmt.Errorf("naming the soundtrack: %w", err)
	}
	sum := sha256.Sum256(append([]byte("sound"), b...))
	return hex.EncodeToString(sum[:]), nil
}

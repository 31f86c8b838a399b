package render

import (
	"context"
	"fmt"
	"math"
	"os"

	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
)

// Facts is what a finished file turned out to be.
type Facts struct {
	Frames timecode.Frames `json:"frames"`
	Rate   timecode.Rate   `json:"-"`
	W      int             `json:"width"`
	H      int             `json:"height"`
	// the least likeness to what was drawn that was found, as a peak signal-to-noise ratio
	PictureDB    float64       `json:"picture_db,omitempty"`
	Pixels       string        `json:"pixels,omitempty"` // as ffmpeg names them
	Pictures     int           `json:"-"`                // streams of pictures, without posters
	Sounds       int           `json:"-"`                // streams of sound
	PictureSec   float64       `json:"picture_seconds"`
	SoundSec     float64       `json:"sound_seconds"`
	Bytes        int64         `json:"bytes"`
	PictureCodec string        `json:"picture_codec"`
	SoundCodec   string        `json:"sound_codec"`
	Colours      string        `json:"colours"`            // matrix and range, as ffmpeg names them
	Transfer     string        `json:"-"`                  // likewise
	Primaries    string        `json:"-"`                  // likewise
	Shown        profile.Shape `json:"shown,omitzero"`     // the frame's shape where pixels are not square
	Captions     int           `json:"captions,omitempty"` // tracks of text
	Poster       bool          `json:"poster,omitempty"`
}

// Verify checks a film or soundtrack against what its profile promises and its
// plan says: one picture stream beside the poster, or none, and one sound stream, of the
// profile's codecs; its pixel format, captions and poster; the frame size, shape, rate and
// colour tags as far as the file has them; every frame there; picture and sound as long as
// planned, to within one frame or, in containers that round times, two; and no larger than
// the profile allows. What the pictures show is compared by Job.compare.
func Verify(ctx context.Context, path string, film *film.Film) (Facts, error) {
	f, err := Inspect(ctx, path)
	if err != nil {
		return f, err
	}
	s, p := film.Scene, film.Profile
	frame := s.Rate.Seconds(1)
	if containers[p.File.Format].loose {
		frame = math.Max(2*frame, 0.08)
	}
	want := s.Rate.Seconds(s.Frames)
	colours := film.Kept.Matrix.Name() + " tv"
	named := coloursOf(film.Kept.Matrix)
	switch {
	case p.MaxBytes > 0 && f.Bytes > p.MaxBytes:
		return f, fmt.Errorf("it has %d bytes; the profile allows %d", f.Bytes, p.MaxBytes)
	case f.SoundCodec != p.Audio.Codec || p.Kind == profile.OfFilm && f.PictureCodec != p.Video.Codec:
		return f, fmt.Errorf("it holds %q and %q in place of %s and %s", f.PictureCodec, f.SoundCodec,
			p.Video.Codec, p.Audio.Codec)
	case p.Kind != profile.OfSound && (f.W != film.Kept.W || f.H != film.Kept.H):
		return f, fmt.Errorf("it is %d×%d pixels in place of %d×%d", f.W, f.H, film.Kept.W, film.Kept.H)
	case p.Kind == profile.OfFilm && f.Rate != s.Rate:
		return f, fmt.Errorf("it has %s frames a second in place of %s", f.Rate.Fraction(), s.Rate.Fraction())
	case p.Kind == profile.OfFilm && f.Frames != s.Frames:
		return f, fmt.Errorf("it has %d frames in place of %d", f.Frames, s.Frames)
	case math.Abs(f.SoundSec-want) > frame:
		return f, fmt.Errorf("the sound lasts %.3f s in place of %.3f", f.SoundSec, want)
	case f.Sounds != 1 || p.Kind == profile.OfFilm && f.Pictures != 1 || p.Kind == profile.OfSound &&
		f.Pictures != 0:
		return f, fmt.Errorf("it holds %d pictures and %d sounds", f.Pictures, f.Sounds)
	case f.Captions != tracks(film):
		return f, fmt.Errorf("it holds %d tracks of captions in place of %d", f.Captions, tracks(film))
	case f.Poster != (containers[p.File.Format].poster != ""):
		return f, fmt.Errorf("that it holds a poster is %t", f.Poster)
	case p.Kind == profile.OfSound:
		return f, nil
	case f.Pixels != p.Video.Pixels:
		return f, fmt.Errorf("its pixels are %q in place of %q", f.Pixels, p.Video.Pixels)
	case f.Colours != colours:
		return f, fmt.Errorf("its colours are tagged %q in place of %q", f.Colours, colours)
	case !tagged(f.Transfer, named.transfer) || !tagged(f.Primaries, named.primaries):
		return f, fmt.Errorf("its colours are tagged %q and %q in place of %q and %q", f.Transfer,
			f.Primaries, named.transfer, named.primaries)
	case math.Abs(f.PictureSec-want) > frame:
		return f, fmt.Errorf("the picture lasts %.3f s in place of %.3f", f.PictureSec, want)
	case film.Kept.Shown.W > 0 && f.Shown != film.Kept.Shown:
		return f, fmt.Errorf("it is shown at %d:%d in place of %d:%d", f.Shown.W, f.Shown.H,
			film.Kept.Shown.W, film.Kept.Shown.H)
	}
	return f, nil
}

// tagged reports whether a colour tag is what it must be, or the file has no room for it.
func tagged(is, want string) bool { return is == "" || is == "unknown" || is == want }

// tracks is how many tracks of captions a film's file has.
func tracks(f *film.Film) int {
	p := f.Profile
	if p.Kind == profile.OfFilm && p.Captions == profile.Track && containers[p.File.Format].text != "" &&
		len(f.Captions()) > 0 {
		return 1
	}
	return 0
}

// Inspect reads a file's facts, counting its frames. A poster that lies in it
// is none of them.
func Inspect(ctx context.Context, path string) (Facts, error) {
	st, err := os.Stat(path)
	if err != nil {
		return Facts{}, err
	}
	streams, err := media.Streams(ctx, path)
	if err != nil {
		return Facts{}, err
	}
	f := Facts{Bytes: st.Size()}
	for _, s := range streams {
		switch {
		case s.Poster:
			f.Poster = true
		case s.Type == "video":
			f.Pictures++
			f.Pixels = s.Pixels
			f.Transfer, f.Primaries = s.Transfer, s.Primaries
			f.PictureCodec, f.W, f.H, f.Rate, f.Frames, f.PictureSec = s.Codec, s.W, s.H, s.Rate, s.Packets,
				s.Seconds
			f.Colours = s.ColourSpace + " " + s.ColourRange
			f.Shown = s.Shown
		case s.Type == "audio":
			f.Sounds++
			f.SoundCodec, f.SoundSec = s.Codec, s.Seconds
		case s.Type == "subtitle":
			f.Captions++
		}
	}
	return f, nil
}

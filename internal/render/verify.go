package render

import (
	"context"
	"fmt"
	"math"
	"os"

	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
)

// Facts is what a finished file turned out to be.
type Facts struct {
	Frames       timecode.Frames `json:"frames"`
	Rate         timecode.Rate   `json:"-"`
	W            int             `json:"width"`
	H            int             `json:"height"`
	PictureSec   float64         `json:"picture_seconds"`
	SoundSec     float64         `json:"sound_seconds"`
	Bytes        int64           `json:"bytes"`
	PictureCodec string          `json:"picture_codec"`
	SoundCodec   string          `json:"sound_codec"`
	Colours      string          `json:"colours"` // matrix and range, as ffmpeg names them
}

// Verify checks a film file against what its profile promises and its plan
// says: one picture and one sound stream of the profile's codecs, the frame
// size, rate and colour tags, every frame there, picture and sound as long as
// planned to within one frame, and no larger than the profile allows.
func Verify(ctx context.Context, path string, film *film.Film) (Facts, error) {
	f, err := Inspect(ctx, path)
	if err != nil {
		return f, err
	}
	s, p := film.Scene, film.Profile
	frame := s.Rate.Seconds(1)
	want := s.Rate.Seconds(s.Frames)
	switch {
	case f.PictureCodec != p.Video.Codec || f.SoundCodec != p.Audio.Codec:
		err = fmt.Errorf("it holds %q and %q in place of %s and %s", f.PictureCodec, f.SoundCodec, p.Video.Codec, p.Audio.Codec)
	case f.W != s.W || f.H != s.H:
		err = fmt.Errorf("it is %d×%d pixels in place of %d×%d", f.W, f.H, s.W, s.H)
	case f.Rate != s.Rate:
		err = fmt.Errorf("it has %s frames a second in place of %s", f.Rate.Fraction(), s.Rate.Fraction())
	case f.Colours != s.Matrix.Name()+" tv":
		err = fmt.Errorf("its colours are tagged %q in place of %q", f.Colours, s.Matrix.Name()+" tv")
	case f.Frames != s.Frames:
		err = fmt.Errorf("it has %d frames in place of %d", f.Frames, s.Frames)
	case math.Abs(f.PictureSec-want) > frame:
		err = fmt.Errorf("the picture lasts %.3f s in place of %.3f", f.PictureSec, want)
	case math.Abs(f.SoundSec-want) > frame:
		err = fmt.Errorf("the sound lasts %.3f s in place of %.3f", f.SoundSec, want)
	case p.MaxBytes > 0 && f.Bytes > p.MaxBytes:
		err = fmt.Errorf("it has %d bytes; the profile allows %d", f.Bytes, p.MaxBytes)
	}
	return f, err
}

// Inspect reads a film file's facts, counting its frames.
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
		switch s.Type {
		case "video":
			f.PictureCodec, f.W, f.H, f.Rate, f.Frames, f.PictureSec = s.Codec, s.W, s.H, s.Rate, s.Packets, s.Seconds
			f.Colours = s.ColourSpace + " " + s.ColourRange
		case "audio":
			f.SoundCodec, f.SoundSec = s.Codec, s.Seconds
		}
	}
	return f, nil
}

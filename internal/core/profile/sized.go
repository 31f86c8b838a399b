package profile

import (
	"fmt"

	"nelko/internal/core/timecode"
)

// Bits of picture a pixel needs to look clean in slow films of dissolves and
// zooms; below that blocks are seen in skies. Chosen by looking.
const leastBits = 0.035

// enough is the rate factor at which a film of limited size looks well, so that it does
// not fill its room for its own sake. Chosen so that it is smaller than the usual film of as
// many lines.
const enough = 22

// overheadShare is the part of a file that is neither picture nor sound: its
// index, the heads of packets, and what a bit rate in two passes may miss.
const overheadShare = 0.03

// sizedLines are the frames a film of a limited size is tried in.
var sizedLines = []int{1080, 720, 540, 480, 360}

// TooLong says that a film cannot be as small as its profile promises and
// still look well.
type TooLong struct {
	Bytes          int64   // allowed
	Seconds        float64 // of the film
	Kbps           int     // left for the picture
	Needed         int     // kbit/s, in the smallest frame
	LongestSeconds float64 // that would look well
}

func (e *TooLong) Error() string {
	return fmt.Sprintf("a film of %s leaves %d kbit/s for the picture within %.0f MB, and %d are needed "+
		"for it to look well; at most %s fit: send a link, or a part of it",
		timecode.Clock(e.Seconds), e.Kbps, float64(e.Bytes)/1e6, e.Needed, timecode.Clock(e.LongestSeconds))
}

// Sized is the profile for a film of so many frames and w×h pixels: where the
// profile limits the size of the file, the bit rate that fills it, in the
// largest frame, up to the profile's own, in which that looks well. The error
// is a *TooLong.
func (p Profile) Sized(frames timecode.Frames, w, h int) (Profile, error) {
	if p.MaxBytes == 0 || p.Kind != OfFilm || frames < 1 {
		return p, nil
	}
	seconds := p.Rate.Seconds(frames)
	room := float64(p.MaxBytes) * 8 * (1 - overheadShare)
	kbps := int(room/seconds/1000) - p.Audio.Kbps
	needs := 0
	for _, n := range sizedLines {
		q := p
		if q.Lines = n; p.Lines > 0 && n > p.Lines {
			continue
		}
		x, y := q.Size(w, h)
		needs = int(float64(x*y)*p.Rate.FPS()*leastBits/1000) + 1
		if kbps >= needs {
			q.Video.Kbps, q.Video.Passes = min(kbps, 8*needs), 2
			if q.Video.Encoder == Film.Video.Encoder {
				q.Video.EnoughCRF = enough
			}
			return q, nil
		}
	}
	return p, &TooLong{p.MaxBytes, seconds, max(0, kbps), needs, room / 1000 / float64(needs+p.Audio.Kbps)}
}

// String names the profile's frame, rate and codecs.
func (p Profile) String() string {
	switch p.Kind {
	case OfStill:
		return "a JPEG"
	case OfSound:
		return fmt.Sprintf("%s at %d kbit/s", p.Audio.Codec, p.Audio.Kbps)
	}
	return fmt.Sprintf("%s and %s at %s a second", p.Video.Codec, p.Audio.Codec, p.Rate)
}

package parts

import (
	"context"
	"fmt"
	"math"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/intake"
)

// LibrarySong is a song of the studio's as pages list it.
type LibrarySong struct {
	intake.Song
	Length, Tempo, Loudness string
	Until                   string // the licence ends
	Over                    bool   // it has ended
	ForTheme                bool   // noted for an occasion of the theme
	Away                    string // how far it is from the length looked for
}

// LibrarySongs are the songs that are wanted, in the words of a list.
func LibrarySongs(ctx context.Context, in *intake.Intake, w intake.Wanted) (out []LibrarySong, err error) {
	songs, err := in.Songs.Music(ctx, w)
	for _, song := range songs {
		l := LibrarySong{
			Song:     song,
			Length:   timecode.Clock(song.Seconds()),
			Tempo:    "—",
			Loudness: fmt.Sprintf("%.1f LUFS", song.Media.LUFS),
		}
		if song.BPM() > 0 {
			l.Tempo = fmt.Sprintf("%.0f", song.BPM())
		}
		if u := song.LicenceUntil; u != nil {
			l.Until, l.Over = u.Format(time.DateOnly), u.Before(time.Now().Truncate(24*time.Hour))
		}
		l.ForTheme = song.ForOne(w.Occasions)
		if w.Near > 0 {
			switch d := song.Seconds() - w.Near; {
			case d >= 0.5:
				l.Away = fmt.Sprintf("%.0f s longer", d)
			case d <= -0.5:
				l.Away = fmt.Sprintf("%.0f s shorter", -d)
			default:
				l.Away = "as long"
			}
		}
		out = append(out, l)
	}
	return out, err
}

// WaveColumns is how finely an item's waveform is drawn.
const WaveColumns = 600

// WaveOf draws what is heard of an item as a path, 600 wide and 40 high.
func WaveOf(pl doc.Placed, wave []byte) string {
	var b strings.Builder
	per := float64(pl.Length) / WaveColumns
	for x := range WaveColumns {
		at := pl.Start + timecode.Samples(float64(x)*per)
		for _, piece := range pl.Pieces {
			if at < piece.Start || at >= piece.Start+piece.Length {
				continue
			}
			into := float64(piece.Begin+at-piece.Start) / timecode.SampleRate * sound.PeaksPerSecond
			lo, hi := int(into), int(into+per/timecode.SampleRate*sound.PeaksPerSecond)
			top := byte(0)
			for k := lo; k <= hi && k < len(wave); k++ {
				top = max(top, wave[k])
			}
			h := math.Max(0.5, float64(top)/255*19)
			fmt.Fprintf(&b, "M%d %.1fv%.1f", x, 20-h, 2*h)
		}
	}
	return b.String()
}

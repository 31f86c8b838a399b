// Package captions writes a film's captions as subtitles.
package captions

import (
	"io"
	"strings"
	"time"

	"github.com/asticode/go-astisub"

	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

// Writer writes captions at a frame rate.
type Writer func(w io.Writer, lines []film.Line, rate timecode.Rate) error

// Formats are the files that lie beside films, by their extension.
var Formats = map[string]Writer{".srt": WriteSRT, ".vtt": WriteVTT}

func subtitles(lines []film.Line, rate timecode.Rate) *astisub.Subtitles {
	at := func(n timecode.Frames) time.Duration {
		return time.Duration(rate.Seconds(n) * float64(time.Second)).Round(time.Millisecond)
	}
	s := astisub.NewSubtitles()
	for i, l := range lines {
		it := &astisub.Item{Index: i + 1, StartAt: at(l.From), EndAt: at(l.To)}
		for text := range strings.Lines(l.Text) {
			if text = strings.TrimSpace(text); text != "" {
				it.Lines = append(it.Lines, astisub.Line{Items: []astisub.LineItem{{Text: text}}})
			}
		}
		s.Items = append(s.Items, it)
	}
	return s
}

// WriteSRT writes SubRip.
func WriteSRT(w io.Writer, lines []film.Line, rate timecode.Rate) error {
	return subtitles(lines, rate).WriteToSRT(w)
}

// WriteVTT writes WebVTT. It needs at least one line.
func WriteVTT(w io.Writer, lines []film.Line, rate timecode.Rate) error {
	return subtitles(lines, rate).WriteToWebVTT(w)
}

// Package captions writes a film's captions as subtitles, and reads subtitles.
package captions

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/asticode/go-astisub"

	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

// Writer writes captions at a frame rate.
type Writer func(w io.Writer, lines []plan.Cue, rate timecode.Rate) error

// Formats are the files that lie beside films, by their extension.
var Formats = map[string]Writer{".srt": WriteSRT, ".vtt": WriteVTT}

func subtitles(lines []plan.Cue, rate timecode.Rate) *astisub.Subtitles {
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

// WriteSRT writes SubRip: plain text in UTF-8, in which nothing is escaped. An arrow of
// SubRip's own in the words becomes one that is none.
func WriteSRT(w io.Writer, lines []plan.Cue, rate timecode.Rate) error {
	b := bufio.NewWriter(w)
	at := func(d time.Duration) string {
		return fmt.Sprintf("%02d:%02d:%02d,%03d", int(d.Hours()), int(d.Minutes())%60, int(d.Seconds())%60,
			d.Milliseconds()%1000)
	}
	for i, it := range subtitles(lines, rate).Items {
		if i > 0 {
			fmt.Fprintln(b)
		}
		fmt.Fprintf(b, "%d\n%s --> %s\n", it.Index, at(it.StartAt), at(it.EndAt))
		for _, l := range it.Lines {
			fmt.Fprintln(b, strings.ReplaceAll(l.Items[0].Text, "-->", "→"))
		}
	}
	return b.Flush()
}

// WriteVTT writes WebVTT. It needs at least one line.
func WriteVTT(w io.Writer, lines []plan.Cue, rate timecode.Rate) error {
	return subtitles(lines, rate).WriteToWebVTT(w)
}

// without reads subtitles without the panics that the library has for some
// broken files.
func without(read func(io.Reader) (*astisub.Subtitles, error), in io.Reader) (s *astisub.Subtitles,
	err error) {
	defer func() {
		if why := recover(); why != nil {
			err = fmt.Errorf("they are broken (%v)", why)
		}
	}()
	return read(in)
}

// MostCues is how many subtitles of a file are read.
const MostCues = 5000

// Read reads SubRip or WebVTT, whichever it is, at a frame rate. Styles and
// places are left out; words are kept, lines of one subtitle apart by a line
// feed. An unreadable file is an error that says what is wrong.
func Read(r io.Reader, rate timecode.Rate) ([]plan.Cue, error) {
	in := bufio.NewReader(r)
	if mark, err := in.Peek(3); err == nil && string(mark) == "\xef\xbb\xbf" {
		_, _ = in.Discard(3) // a byte order mark
	}
	start, _ := in.Peek(6) // what is shorter is no WebVTT
	read := astisub.ReadFromSRT
	if string(start) == "WEBVTT" {
		read = astisub.ReadFromWebVTT
	}
	s, err := without(read, in)
	if err != nil {
		return nil, fmt.Errorf("these are no subtitles in SubRip or WebVTT: %w", err)
	}
	if len(s.Items) == 0 {
		return nil, errors.New("there is no subtitle in this file")
	}
	if len(s.Items) > MostCues {
		return nil, fmt.Errorf("the file has %d subtitles; at most %d are read", len(s.Items), MostCues)
	}
	var out []plan.Cue
	for _, it := range s.Items {
		var words []string
		for _, l := range it.Lines {
			if text := strings.TrimSpace(l.String()); text != "" {
				words = append(words, text)
			}
		}
		from, to := rate.Frames(it.StartAt.Seconds()), rate.Frames(it.EndAt.Seconds())
		if len(words) > 0 && to > from && from >= 0 {
			out = append(out, plan.Cue{From: from, To: to, Text: strings.Join(words, "\n")})
		}
	}
	slices.SortStableFunc(out, func(a, b plan.Cue) int { return cmp.Compare(a.From, b.From) })
	return out, nil
}

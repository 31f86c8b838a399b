package interchange

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"net/url"
	"strconv"
	"strings"

	"nelko/internal/media"
)

// Track is a song of a playlist.
type Track struct {
	Name    string  // of the file
	Title   string  // as the playlist has it; may be empty
	Seconds float64 // 0: not said
}

// maxPlaylist is the largest playlist that is read, in bytes.
const maxPlaylist = 4 << 20

// WriteM3U writes an extended M3U playlist in UTF-8 (RFC 8216 names its lines; what
// players read is common practice).
func WriteM3U(w io.Writer, tracks []Track) error {
	b := bufio.NewWriter(w)
	fmt.Fprint(b, "#EXTM3U\n")
	for _, t := range tracks {
		fmt.Fprintf(b, "#EXTINF:%d,%s\n%s\n", int(math.Round(t.Seconds)), oneLine(t.Title), oneLine(t.Name))
	}
	return b.Flush()
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

type xspf struct {
	XMLName xml.Name    `xml:"http://xspf.org/ns/0/ playlist"`
	Version string      `xml:"version,attr"`
	Tracks  []xspfTrack `xml:"trackList>track"`
}

type xspfTrack struct {
	Location string `xml:"location,omitempty"`
	Title    string `xml:"title,omitempty"`
	Duration int    `xml:"duration,omitempty"` // milliseconds
}

// WriteXSPF writes a playlist in XSPF version 1 (xspf.org).
func WriteXSPF(w io.Writer, tracks []Track) error {
	p := xspf{Version: "1"}
	for _, t := range tracks {
		p.Tracks = append(p.Tracks, xspfTrack{(&url.URL{Path: t.Name}).String(), t.Title,
			int(math.Round(t.Seconds * 1000))})
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	return e.Encode(p)
}

// ReadPlaylist reads a playlist in either form. Of addresses and paths only the file's
// name is kept: nothing is opened.
func ReadPlaylist(r io.Reader) ([]Track, error) {
	all, err := io.ReadAll(io.LimitReader(r, maxPlaylist+1))
	if err != nil {
		return nil, err
	}
	if len(all) > maxPlaylist {
		return nil, fmt.Errorf("the playlist is larger than %d MB", maxPlaylist>>20)
	}
	all = bytes.TrimPrefix(all, []byte("\ufeff"))
	var out []Track
	if bytes.HasPrefix(bytes.TrimSpace(all), []byte("<")) {
		var p xspf
		if err := xml.Unmarshal(all, &p); err != nil {
			return nil, fmt.Errorf("the playlist cannot be read as XSPF: %w", err)
		}
		for _, t := range p.Tracks {
			out = append(out, Track{fileOf(t.Location), t.Title, max(0, float64(t.Duration)/1000)})
		}
		return out, nil
	}
	var next Track
	for _, line := range strings.Split(string(all), "\n") {
		line = strings.TrimSpace(line)
		switch info, ok := strings.CutPrefix(line, "#EXTINF:"); {
		case ok:
			seconds, title, _ := strings.Cut(info, ",")
			if v, err := strconv.ParseFloat(strings.TrimSpace(seconds), 64); err == nil && v > 0 &&
				!math.IsInf(v, 0) {
				next.Seconds = v
			}
			next.Title = strings.TrimSpace(title)
		case line == "" || strings.HasPrefix(line, "#"):
		default:
			next.Name = fileOf(line)
			out, next = append(out, next), Track{}
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("the playlist names no song")
	}
	return out, nil
}

// fileOf is the name of the file a playlist's entry means.
func fileOf(location string) string {
	if u, err := url.Parse(location); err == nil && (u.Scheme == "" || len(u.Scheme) > 1) {
		location = u.Path
	}
	return media.Base(location)
}

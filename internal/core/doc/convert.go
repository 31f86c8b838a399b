package doc

import (
	"encoding/json"
	"fmt"
	"maps"

	"nelko/internal/core/timecode"
)

// Told is what documents said before version 3 and is kept elsewhere since.
type Told struct {
	Details map[string]string
	Rate    timecode.Rate
}

// Convert reads a document of any version. Those before version 3 named media
// by rows: content gives the content of such a name, and themeVersion the
// content of a theme; both may be nil for documents of version 3.
func Convert(b []byte, content func(name string) (MediaID, bool),
	themeVersion func(id string) string) (Slideshow, Told, error) {
	v, err := version(b)
	if err != nil {
		return Slideshow{}, Told{}, err
	}
	if v == Version {
		s, err := Parse(b)
		return s, Told{Rate: s.Rate}, err
	}
	var old second
	if err := strict(b, &old); err != nil {
		return Slideshow{}, Told{}, err
	}
	if v == 1 {
		old.fromFirst()
	}
	s, err := old.toThird(content)
	if err != nil {
		return Slideshow{}, Told{}, err
	}
	if themeVersion != nil {
		s.ThemeVersion = themeVersion(s.Theme)
	}
	return s, Told{Details: s.Details, Rate: s.Rate}, s.checked()
}

// second is a document of version 1 or 2. What has not changed since is read
// by the present types.
type second struct {
	Slideshow
	Rate       timecode.Rate     `json:"rate"`
	Details    map[string]string `json:"details"`
	Soundtrack struct {
		Songs          []MediaID `json:"songs"`
		FadeInSeconds  float64   `json:"fade_in_seconds"`
		FadeOutSeconds float64   `json:"fade_out_seconds"`
		LUFS           float64   `json:"lufs"`
	} `json:"soundtrack"`
}

// fromFirst: in version 1 every slide carried the layout it was cast into;
// since then only one chosen by hand stands there.
func (s *second) fromFirst() {
	for i := range s.Slides {
		s.Slides[i].Layout = ""
	}
}

// toThird names media by content, makes the songs items of the soundtrack,
// and takes details and rate out of the document.
func (s *second) toThird(content func(string) (MediaID, bool)) (Slideshow, error) {
	n := s.Slideshow
	n.Version, n.Rate, n.Details = Version, s.Rate, maps.Clone(s.Details)
	if n.Details == nil {
		n.Details = map[string]string{}
	}
	n.Names = map[MediaID]string{}
	var lost error
	named := func(id MediaID) MediaID {
		c, ok := content(string(id))
		if !ok {
			lost = fmt.Errorf("slideshow document: medium %s is not known", id)
			return id
		}
		n.Names[c] = string(id)
		return c
	}
	all := func(ids []MediaID) []MediaID {
		var out []MediaID
		for _, id := range ids {
			out = append(out, named(id))
		}
		return out
	}
	for i := range n.Slides {
		n.Slides[i].Media = all(n.Slides[i].Media)
	}
	n.LeftOut = all(n.LeftOut)
	n.Soundtrack = Soundtrack{
		FadeInSeconds:  s.Soundtrack.FadeInSeconds,
		FadeOutSeconds: s.Soundtrack.FadeOutSeconds,
		LUFS:           s.Soundtrack.LUFS,
	}
	for _, id := range all(s.Soundtrack.Songs) {
		n.Soundtrack.AddSong(id)
	}
	for i := range n.Decor {
		if n.Decor[i].Media != "" {
			n.Decor[i].Media = string(named(MediaID(n.Decor[i].Media)))
		}
	}
	if len(s.Shots) > 0 {
		n.Shots = map[MediaID]Shot{}
		for id, shot := range s.Shots {
			n.Shots[named(id)] = shot
		}
	}
	return n, lost
}

// Marshal writes the document as JSON.
func (s Slideshow) Marshal() ([]byte, error) { return json.Marshal(s) }

package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/doc"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// What no person writes is told apart from what people do: years, dates, boat numbers that the
// details have, and names of files that are titles.
func TestUnwritten(t *testing.T) {
	for text, odd := range map[string]bool{
		"At the quay":    false,
		"Summer 2026":    false,
		"12 of 24 crews": false,
		"Crew 417":       false,
		"Dr. Ida Marsh":  false,
		"e.g. the start": false,
		"IMG_0417":       true,
		"DSC01234":       true,
		"regatta_final":  true,
		"Start.JPG":      true,
		"a.mp4":          true,
		"Hello $(name)":  true,
		"{{names}}":      true,
		"20261130":       true,
		"Crew 418":       true,
	} {
		why := unwritten(text, []string{"IMG_0417.jpg", "At the finish.jpg"}, "Crew 417")
		assert.Equal(t, odd, why != "", "%s: %s", text, why)
	}
	assert.Equal(t, "the name of a file", unwritten("img_0417", []string{"IMG_0417.jpg"}, ""))
	assert.Empty(t, unwritten("At the finish", []string{"At the finish.jpg"}, ""),
		"a file that was given a title")
}

// Cards as they were suggested, captions of cameras, pictures beyond the film's limits, and
// clips of which something is heard are told of; a clip that is silent is not.
func TestWhatAColleagueWouldSay(t *testing.T) {
	lib := doc.Library{"a": {
		ID:   "a",
		Kind: doc.PhotoMedia,
		Name: "DSC01234.jpg",
	}, "b": {ID: "b", Kind: doc.PhotoMedia, Name: "b.jpg"},
		"loud": {
			ID:     "loud",
			Kind:   doc.ClipMedia,
			Name:   "loud.mp4",
			Sound:  true,
			LUFS:   -20,
			Length: 3 * timecode.SampleRate,
		}, "still": {
			ID:     "still",
			Kind:   doc.ClipMedia,
			Name:   "still.mp4",
			Sound:  true,
			LUFS:   -70,
			Length: 3 * timecode.SampleRate,
		}}
	d := doc.New("t", 1)
	d.Slides = []doc.Slide{
		{ID: "1", Kind: doc.Card, Linger: 1, Card: &doc.Words{Kind: "title", Main: "Title"}},
		{ID: "2", Kind: doc.Pictures, Media: []doc.MediaID{"a"}, Linger: 1, Caption: "DSC01234"},
		{ID: "3", Kind: doc.Pictures, Media: []doc.MediaID{"b"}, Linger: 1, Pinned: 4},
		{ID: "4", Kind: doc.Clip, Media: []doc.MediaID{"loud"}, Linger: 1},
		{ID: "5", Kind: doc.Clip, Media: []doc.MediaID{"still"}, Linger: 1},
	}
	d.Fit = doc.Fit{Mode: doc.AtPace, PaceSeconds: 2, Shortest: 1.5, Longest: 3}
	th := &theme.Theme{
		Transitions: theme.Joins{Set: []transition.Transition{{Kind: "cut"}}},
		Title:       theme.Card{Seconds: 4},
	}
	var said []string
	for _, c := range Closer(d, Build(d, th, lib), th, lib) {
		said = append(said, c.Kind+": "+c.Text)
	}
	all := strings.Join(said, "\n")
	assert.Contains(t, all, "suggested: Slide 1 says “Title”")
	assert.Contains(t, all, "machine: Slide 2: its caption is “DSC01234”; the name of a file")
	assert.Contains(t, all, "limits: Slide 3 is wholly seen for 4.0 s; the film’s longest is 3 s")
	assert.Contains(t, all, "silent: Slide 4")
	assert.NotContains(t, all, "Slide 5")
	assert.Len(t, said, 4, all)
}

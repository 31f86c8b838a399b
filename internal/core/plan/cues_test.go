package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// A subtitle that stands for its slide is its caption; several are lines with
// times; one over two slides captions both; what stands after the film is lost.
func TestPlaceCues(t *testing.T) {
	slide := func(id doc.SlideID, start, length, overlap timecode.Frames) Slide {
		return Slide{Slide: doc.Slide{ID: id}, Start: start, Length: length, Overlap: overlap}
	}
	p := Plan{
		Frames: 480,
		Slides: []Slide{slide("a", 0, 150, 30), slide("b", 120, 150, 30), slide("c", 240, 240, 0)},
	}
	said, lost := p.Place([]Cue{
		{0, 135, "first"},
		{140, 180, "b one"}, {185, 400, "b two and c"},
		{900, 950, "nobody"},
	}, timecode.Rate{Num: 30, Den: 1})
	assert.Equal(t, 1, lost)
	assert.Equal(t, map[doc.SlideID]Said{
		"a": {Caption: "first"},
		"b": {Lines: []doc.Line{{From: 0.67, To: 2, Text: "b one"}, {From: 2.17, Text: "b two and c"}}},
		"c": {Lines: []doc.Line{{From: 0, To: 5.33, Text: "b two and c"}}},
	}, said)
}

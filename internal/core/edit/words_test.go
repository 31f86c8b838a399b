package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
)

// Words snap by their own edges, as they come out after the edit: to the
// middle, to the frame and to the safe areas of SMPTE ST 2046-1 (5 % for
// titles, 3.5 % for action, from memory).
func TestWordsSnap(t *testing.T) {
	with, ids := shelf(3)
	d := must(t, doc.New("tideline", 7), Pour{ids}, with)
	d = must(t, d, AddCard{Words: doc.Words{Kind: "title", Main: "Half-time"}}, with)
	card := d.Slides[len(d.Slides)-2].ID
	captioned := d.Slides[2].ID
	d = must(t, d, Caption{Slides: []doc.SlideID{captioned}, Text: "The last hundred metres"}, with)
	var asked []doc.SlideID
	with.Words = func(d doc.Slideshow, id doc.SlideID) framing.Rect {
		asked = append(asked, id)
		box := framing.Rect{W: 0.2, H: 0.1}
		for _, c := range []*design.Caption{d.CaptionStyle, d.Slides[d.Index(id)].CaptionStyle} {
			if c != nil {
				box.H = 2 * c.Size
			}
		}
		return box
	}
	for _, c := range []struct{ at, to framing.Point }{
		{framing.Point{X: 0.51, Y: 0.3}, framing.Point{X: 0.5, Y: 0.3}},
		{framing.Point{X: 0.155, Y: 0.89}, framing.Point{X: 0.15, Y: 0.9}},
		{framing.Point{X: 0.853, Y: 0.0849}, framing.Point{X: 0.85, Y: 0.085}},
		{framing.Point{X: 0.25, Y: 0.055}, framing.Point{X: 0.25, Y: 0.05}},
	} {
		on := must(t, d, Words{
			Slide: card,
			Words: doc.Words{Kind: "title", Main: "Full time", At: &c.at},
			Snap:  true,
		}, with)
		at := on.Slides[d.Index(card)].Card.At
		assert.InDelta(t, c.to.X, at.X, 1e-9)
		assert.InDelta(t, c.to.Y, at.Y, 1e-9)
		off := must(t, d, Words{
			Slide: card,
			Words: doc.Words{Kind: "title", Main: "Full time", At: &c.at},
		}, with)
		assert.Equal(t, c.at, *off.Slides[d.Index(card)].Card.At, "only when asked")
	}
	asked = nil
	style := design.Caption{
		Type:   design.Type{Size: 0.08},
		Anchor: "lower",
		Width:  0.8,
		At:     &framing.Point{X: 0.3, Y: 0.86},
	}
	on := must(t, d, CaptionStyle{Style: &style, Snap: true}, with)
	assert.Equal(t, []doc.SlideID{captioned}, asked, "the first of the captions is measured")
	assert.InDelta(t, 0.95-0.08, on.CaptionStyle.At.Y, 1e-9)
	assert.Equal(t, 0.86, style.At.Y, "what was given stays as it was")
	one := must(t, d, CaptionStyle{Slides: []doc.SlideID{captioned}, Style: &style, Snap: true}, with)
	assert.InDelta(t, 0.95-0.08, one.Slides[d.Index(captioned)].CaptionStyle.At.Y, 1e-9)
	assert.Nil(t, one.CaptionStyle)
}

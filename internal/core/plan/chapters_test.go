package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
)

// laid is a plan of slides of 100 frames, each sharing 20 with the next.
func laid(slides ...doc.Slide) Plan {
	p := Plan{Rate: timecode.R25}
	for i, s := range slides {
		x := Slide{Slide: s, Start: timecode.Frames(80 * i), Length: 100}
		if i+1 < len(slides) {
			x.Overlap = 20
		}
		p.Slides = append(p.Slides, x)
	}
	return p
}

func TestChapters(t *testing.T) {
	pic := doc.Slide{Kind: doc.Pictures}
	chosen := doc.Slide{Kind: doc.Pictures, Chapter: "The start"}
	card := doc.Slide{Kind: doc.Card, Card: &doc.Words{Kind: "title", Main: " Home "}}
	open := doc.Slide{Kind: doc.Opening}
	assert.Equal(t, []Chapter{{0, "Film"}, {180, "The start"}}, laid(open, pic, chosen, card).
		Chapters("Film"), "where they were chosen, once the slide is whole")
	assert.Equal(t, []Chapter{{0, "Film"}, {180, "Home"}}, laid(open, pic, card, pic).Chapters("Film"),
		"else at text cards")
	assert.Equal(t, []Chapter{{0, "The start"}}, laid(chosen, pic).Chapters("Film"),
		"the first slide's is the film's")
	assert.Equal(t, []Chapter{{0, "Film"}}, laid(open, pic).Chapters("Film"))
	assert.Equal(t, []Chapter{{}, {At: 260}, {At: 420}}, laid(open, pic, pic, pic, pic, pic, pic).Every(2))
	assert.Equal(t, []Chapter{{}, {At: 180}}, laid(open, pic, pic).Every(1))
	assert.Equal(t, []Chapter{{}}, laid(open).Every(3))
}

// However they are chosen, chapters begin at 0, come in order, and lie in the
// film.
func TestChaptersAreInOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var slides []doc.Slide
		for range rapid.IntRange(1, 30).Draw(t, "slides") {
			s := doc.Slide{
				Kind: rapid.SampledFrom([]doc.Kind{doc.Pictures, doc.Clip, doc.Card, doc.Opening}).
					Draw(t, "kind"),
				Chapter: rapid.SampledFrom([]string{"", "", "x"}).Draw(t, "chapter"),
			}
			if s.Kind == doc.Card {
				s.Card = &doc.Words{Main: rapid.SampledFrom([]string{"", "y"}).Draw(t, "main")}
			}
			slides = append(slides, s)
		}
		p := laid(slides...)
		for _, list := range [][]Chapter{p.Chapters("f"), p.Every(rapid.IntRange(0, 9).Draw(t, "every"))} {
			assert.Zero(t, list[0].At)
			for i := 1; i < len(list); i++ {
				assert.Greater(t, list[i].At, list[i-1].At)
				assert.Less(t, list[i].At, p.Slides[len(p.Slides)-1].End())
			}
		}
	})
}

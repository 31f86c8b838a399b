package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/themes/themestest"
)

// patternWith is a pattern, and what edits of it may look at.
func patternWith(t *testing.T, media ...doc.MediaID) (doc.Slideshow, edit.Context) {
	th := themestest.Get(t, "tideline")
	with := edit.Context{Theme: th, Library: doc.Library{}}
	for _, id := range []doc.MediaID{"a", "b", "c", "d", "e", "f"} {
		with.Library[id] = doc.Media{
			ID:   id,
			Kind: doc.PhotoMedia,
			Name: string(id) + ".jpg",
			W:    1500,
			H:    1000,
		}
	}
	d, err := edit.Do(doc.New(th.ID, 1), edit.NewPattern{Details: []string{"names"}}, with)
	require.NoError(t, err)
	d, err = edit.Do(d, edit.Pour{Media: media}, with)
	require.NoError(t, err)
	return d, with
}

// A pattern begins with its cards and fits to the music; what is common comes
// before what stands for the rows' own, and moves no slide that is there.
func TestAPatternIsFilled(t *testing.T) {
	p, with := patternWith(t, "a")
	assert.Equal(t, []doc.Kind{doc.Opening, doc.Pictures, doc.Closing}, kinds(p))
	assert.Equal(t, doc.ToMusic, p.Fit.Mode)
	row := doc.New(with.Theme.ID, 1)
	row.Follows = &doc.Follows{}
	row, err := edit.Do(row, edit.Follow{Pattern: p}, with)
	require.NoError(t, err)
	row.Details["names"] = "The Gannets"
	row, err = edit.Do(row, edit.Pour{Media: []doc.MediaID{"c", "d"}}, with)
	require.NoError(t, err)
	p, err = edit.Do(p, edit.SeeAs{Row: row, Called: "The Gannets", Details: []string{"names"}}, with)
	require.NoError(t, err)
	assert.Equal(t, "The Gannets", p.Details["names"])
	before := p.Slides
	p, err = edit.Do(p, edit.Pour{Media: []doc.MediaID{"b"}}, with)
	require.NoError(t, err)
	i := p.Index(before[2].ID)
	require.True(t, before[2].Row)
	assert.Equal(t, doc.MediaID("b"), p.Slides[i-1].Media[0])
	assert.False(t, p.Slides[i-1].Row)
	assert.Len(t, p.Slides, len(before)+1)
	// Another row in its place; the common ones stay.
	p, err = edit.Do(p, edit.SeeAs{
		Row:     doc.Slideshow{Details: map[string]string{}},
		Called:  "nobody",
		Details: []string{"names"},
	}, with)
	require.NoError(t, err)
	assert.Empty(t, p.Details["names"])
	assert.Equal(t, map[doc.MediaID]bool{"a": true, "b": true}, p.Uses())
}

func kinds(d doc.Slideshow) (out []doc.Kind) {
	for _, s := range d.Slides {
		out = append(out, s.Kind)
	}
	return out
}

// What is meant for patterns and rows is refused elsewhere, and a film cannot
// be both.
func TestEditsOfARunAreRefusedElsewhere(t *testing.T) {
	p, with := patternWith(t, "a")
	plain := doc.New(with.Theme.ID, 1)
	for _, op := range []edit.Op{edit.AsPattern{
		Pattern: p,
		Parts:   []string{"fit"},
	}, edit.SeeAs{Row: plain}, edit.Leave{}} {
		_, err := edit.Do(plain, op, with)
		assert.ErrorIs(t, err, edit.ErrInvalid, op.Title())
	}
	_, err := edit.Do(p, edit.Follow{Pattern: p}, with)
	assert.ErrorIs(t, err, edit.ErrInvalid, "a pattern follows none")
	p, err = edit.Do(p, edit.Leave{Details: []string{"place", "date"}}, with)
	require.NoError(t, err)
	assert.Equal(t, []string{"date", "place"}, p.Pattern.ByRow)
	assert.Equal(t, "Left 2 details to the rows", edit.Leave{Details: []string{"a", "b"}}.Title())
}

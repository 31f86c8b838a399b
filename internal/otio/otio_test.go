package otio

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

type node struct {
	Schema   string `json:"OTIO_SCHEMA"`
	Name     string `json:"name"`
	Kind     string `json:"kind"`
	Children []node `json:"children"`
	Source   struct {
		Duration struct {
			Value float64 `json:"value"`
		} `json:"duration"`
	} `json:"source_range"`
	References map[string]struct {
		Target string `json:"target_url"`
	} `json:"media_references"`
}

// Every picture is in the cut, for as long as its slide has the film for itself: the first
// on the track of pictures, the second of a pair at the same time on the track above.
func TestBothPicturesOfAPair(t *testing.T) {
	lib := doc.Library{}
	for _, id := range []doc.MediaID{"a", "b", "c", "d"} {
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: string(id) + ".jpg", W: 3, H: 2}
	}
	slide := func(start, length, overlap timecode.Frames, ids ...doc.MediaID) plan.Slide {
		return plan.Slide{
			Slide:   doc.Slide{ID: doc.SlideID(ids[0]), Kind: doc.Pictures, Media: ids, Linger: 1},
			Start:   start,
			Length:  length,
			Overlap: overlap,
		}
	}
	p := plan.Plan{
		Rate:   timecode.R25,
		Frames: 280,
		Slides: []plan.Slide{slide(0, 100, 10, "a"), slide(90, 100, 10, "b", "c"), slide(180, 100, 0, "d")},
	}
	var b bytes.Buffer
	require.NoError(t, Write(&b, Cut{
		Name:    "Harbour race",
		Plan:    p,
		Library: lib,
		File:    func(id doc.MediaID) string { return "media/" + lib[id].Name },
	}))
	var got struct {
		Tracks node `json:"tracks"`
	}
	require.NoError(t, json.Unmarshal(b.Bytes(), &got))
	require.Len(t, got.Tracks.Children, 2)
	first, second := got.Tracks.Children[0], got.Tracks.Children[1]
	lengths := func(track node) (all float64, names []string) {
		for _, c := range track.Children {
			all += c.Source.Duration.Value
			if c.Schema == schemaClip {
				names = append(names, c.References[mainReference].Target)
			}
		}
		return all, names
	}
	all, names := lengths(first)
	assert.Equal(t, 280.0, all, "the whole film")
	assert.Equal(t, []string{"media/a.jpg", "media/b.jpg", "media/d.jpg"}, names)
	_, names = lengths(second)
	assert.Equal(t, []string{"media/c.jpg"}, names)
	require.Len(t, second.Children, 2)
	assert.Equal(t, "Video", second.Kind)
	assert.Equal(t, 95.0, second.Children[0].Source.Duration.Value,
		"a gap until its slide: from the middle of the join")
	assert.Equal(t, 90.0, second.Children[1].Source.Duration.Value)
}

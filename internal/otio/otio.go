// Package otio writes a film's cut as OpenTimelineIO JSON, for programs that
// edit films. Source: the Academy Software Foundation's "OTIO Serialized
// Schema"; the names and versions of its objects are those of that document.
package otio

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
)

type rationalTime struct {
	Schema string  `json:"OTIO_SCHEMA"`
	Rate   float64 `json:"rate"`
	Value  float64 `json:"value"`
}

type timeRange struct {
	Schema   string       `json:"OTIO_SCHEMA"`
	Duration rationalTime `json:"duration"`
	Start    rationalTime `json:"start_time"`
}

type reference struct {
	Schema    string         `json:"OTIO_SCHEMA"`
	Name      string         `json:"name"`
	Available *timeRange     `json:"available_range"`
	Bounds    *struct{}      `json:"available_image_bounds"`
	Metadata  map[string]any `json:"metadata"`
	Target    string         `json:"target_url,omitempty"`
}

// item is a clip, a gap, a transition, a track, a stack or a marker.
type item struct {
	Schema     string               `json:"OTIO_SCHEMA"`
	Name       string               `json:"name"`
	Metadata   map[string]any       `json:"metadata"`
	Source     *timeRange           `json:"source_range,omitempty"`
	Effects    []any                `json:"effects,omitempty"`
	Markers    []item               `json:"markers,omitempty"`
	Enabled    *bool                `json:"enabled,omitempty"`
	References map[string]reference `json:"media_references,omitempty"`
	Active     string               `json:"active_media_reference_key,omitempty"`
	Kind       string               `json:"kind,omitempty"`
	Children   []item               `json:"children,omitempty"`
	Transition string               `json:"transition_type,omitempty"`
	In         *rationalTime        `json:"in_offset,omitempty"`
	Out        *rationalTime        `json:"out_offset,omitempty"`
	Marked     *timeRange           `json:"marked_range,omitempty"`
	Colour     string               `json:"color,omitempty"`
}

type timeline struct {
	Schema   string         `json:"OTIO_SCHEMA"`
	Name     string         `json:"name"`
	Start    *rationalTime  `json:"global_start_time"`
	Metadata map[string]any `json:"metadata"`
	Tracks   item           `json:"tracks"`
}

const (
	schemaClip       = "Clip.2"
	schemaGap        = "Gap.1"
	schemaTransition = "Transition.1"
	schemaTrack      = "Track.1"
	schemaStack      = "Stack.1"
	schemaTimeline   = "Timeline.1"
	schemaMarker     = "Marker.2"
	schemaExternal   = "ExternalReference.1"
	schemaMissing    = "MissingReference.1"
	schemaTime       = "RationalTime.1"
	schemaRange      = "TimeRange.1"
	mainReference    = "DEFAULT_MEDIA"
	dissolve         = "SMPTE_Dissolve"
	custom           = "Custom_Transition"
)

// Cut is what is written.
type Cut struct {
	Name    string
	Doc     doc.Slideshow
	Plan    plan.Plan
	Library doc.Library
	File    func(doc.MediaID) string // where a medium's file lies, relative to the written one
}

type writer struct {
	Cut
	rate float64
}

func (w writer) at(n timecode.Frames) rationalTime {
	return rationalTime{schemaTime, w.rate, float64(n)}
}

func (w writer) span(from, length timecode.Frames) *timeRange {
	return &timeRange{schemaRange, w.at(length), w.at(from)}
}

// Write writes the cut: a track of pictures, in which each slide is a clip of
// the part that is its own and joins are transitions over the middle of which
// it is cut, and a track for each song. The further pictures of a slide that shows
// several at once are on tracks above, at the same time.
func Write(out io.Writer, c Cut) error {
	w := writer{c, float64(c.Plan.Rate.Num) / float64(c.Plan.Rate.Den)}
	t := timeline{
		Schema:   schemaTimeline,
		Name:     c.Name,
		Metadata: map[string]any{},
		Tracks: item{
			Schema:   schemaStack,
			Name:     "tracks",
			Metadata: map[string]any{},
			Children: slices.Concat([]item{w.pictures()}, w.beside(), w.songs()),
		},
	}
	enc := json.NewEncoder(out)
	enc.SetIndent("", "  ")
	return enc.Encode(t)
}

// own is the part of the film that is a slide's own: from the middle of the join before it
// to the middle of the one after.
func (w writer) own(i int) (from, to timecode.Frames) {
	s := w.Plan.Slides[i]
	from, to = s.Start, s.End()-s.Overlap/2
	if i > 0 {
		from += w.Plan.Slides[i-1].Overlap - w.Plan.Slides[i-1].Overlap/2
	}
	return from, to
}

// beside are tracks of the second, third … pictures of slides that show several at once.
func (w writer) beside() (tracks []item) {
	most := 0
	for _, s := range w.Plan.Slides {
		most = max(most, len(s.Media))
	}
	for k := 1; k < most; k++ {
		track, reached := item{
			Schema:   schemaTrack,
			Name:     fmt.Sprintf("pictures %d", k+1),
			Kind:     "Video",
			Metadata: map[string]any{},
		}, timecode.Frames(0)
		for i, s := range w.Plan.Slides {
			if len(s.Media) <= k {
				continue
			}
			from, to := w.own(i)
			if from > reached {
				track.Children = append(track.Children, item{
					Schema:   schemaGap,
					Source:   w.span(0, from-reached),
					Metadata: map[string]any{},
				})
			}
			track.Children, reached = append(track.Children, w.slide(i, k, from, to)), to
		}
		tracks = append(tracks, track)
	}
	return tracks
}

func (w writer) pictures() item {
	track := item{Schema: schemaTrack, Name: "pictures", Kind: "Video", Metadata: map[string]any{}}
	for i, s := range w.Plan.Slides {
		from, to := w.own(i)
		track.Children = append(track.Children, w.slide(i, 0, from, to))
		if s.Overlap > 0 {
			kind := custom
			if s.Into.Kind == "dissolve" {
				kind = dissolve
			}
			// The cut is in the middle: in is what lies before it, out after.
			in, out := w.at(s.Overlap-s.Overlap/2), w.at(s.Overlap/2)
			track.Children = append(track.Children, item{
				Schema:     schemaTransition,
				Name:       string(s.Into.Kind),
				Transition: kind,
				In:         &in,
				Out:        &out,
				Metadata:   map[string]any{},
			})
		}
	}
	return track
}

// slide is one of the pictures of a slide in its own part of the film, from and to as frames
// of it; a slide without pictures has a first all the same.
func (w writer) slide(i, k int, from, to timecode.Frames) item {
	s := w.Plan.Slides[i]
	words := map[string]any{"slide": i + 1, "kind": string(s.Kind)}
	if s.Caption != "" {
		words["caption"] = s.Caption
	}
	if s.Card != nil {
		words["card"] = []string{s.Card.Main, s.Card.Smaller, s.Card.Text}
	}
	names := make([]string, len(s.Media))
	for j, id := range s.Media {
		names[j] = w.Library[id].Name
	}
	if len(names) > 0 {
		words["pictures"] = names
	}
	name := fmt.Sprintf("%d %s", i+1, s.Kind)
	if len(names) > 0 {
		name = names[k]
	}
	start := from - s.Start
	ref := reference{Schema: schemaMissing, Metadata: map[string]any{}}
	if len(s.Media) > 0 {
		m := w.Library[s.Media[k]]
		ref = w.file(m)
		if m.Kind == doc.ClipMedia {
			begin, _ := w.Doc.Cut(s.Slide, m)
			start += w.Plan.Rate.FramesIn(begin)
		}
	}
	on := true
	it := item{
		Schema:     schemaClip,
		Name:       name,
		Source:     w.span(start, to-from),
		Enabled:    &on,
		References: map[string]reference{mainReference: ref},
		Active:     mainReference,
		Metadata:   map[string]any{"nelko": words},
	}
	if s.Chapter != "" && k == 0 {
		it.Markers = []item{{
			Schema:   schemaMarker,
			Name:     s.Chapter,
			Colour:   "WHITE",
			Marked:   w.span(start, 0),
			Metadata: map[string]any{},
		}}
	}
	return it
}

func (w writer) file(m doc.Media) reference {
	r := reference{
		Schema:   schemaExternal,
		Name:     m.Name,
		Metadata: map[string]any{},
		Target:   (&url.URL{Path: w.File(m.ID)}).String(),
	}
	if m.Length > 0 {
		r.Available = w.span(0, w.Plan.Rate.FramesIn(m.Length))
	}
	return r
}

// songs are the soundtrack's items, a track each, since they may overlap; a song made of
// stretches is as many clips.
func (w writer) songs() (tracks []item) {
	for i, p := range w.Plan.Sound.Placed(w.Library) {
		m, rate := w.Library[p.Media], w.Plan.Rate
		start := rate.FramesIn(p.Start)
		if start >= w.Plan.Frames {
			continue
		}
		track := item{
			Schema:   schemaTrack,
			Name:     fmt.Sprintf("sound %d", i+1),
			Kind:     "Audio",
			Metadata: map[string]any{},
		}
		if start > 0 {
			track.Children = append(track.Children, item{
				Schema:   schemaGap,
				Name:     "",
				Source:   w.span(0, start),
				Metadata: map[string]any{},
			})
		}
		for _, piece := range p.Pieces {
			from := rate.FramesIn(piece.Start)
			length := min(rate.FramesIn(piece.Start+piece.Length), w.Plan.Frames) - from
			if length <= 0 {
				continue
			}
			on := true
			track.Children = append(track.Children, item{
				Schema:     schemaClip,
				Name:       m.Name,
				Source:     w.span(rate.FramesIn(piece.Begin), length),
				Enabled:    &on,
				References: map[string]reference{mainReference: w.file(m)},
				Active:     mainReference,
				Metadata:   map[string]any{},
			})
		}
		tracks = append(tracks, track)
	}
	return tracks
}

package otio_test

import (
	"bytes"
	"encoding/json"
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/otio"
)

// A film of one picture, for a program that edits films.
func ExampleWrite() {
	var b bytes.Buffer
	err := otio.Write(&b, otio.Cut{
		Name: "Harbour race",
		Plan: plan.Plan{Rate: timecode.R25, Frames: 100, Slides: []plan.Slide{{
			Slide:  doc.Slide{ID: "a", Kind: doc.Pictures, Media: []doc.MediaID{"a"}, Linger: 1},
			Length: 100,
		}}},
		Library: doc.Library{"a": {ID: "a", Kind: doc.PhotoMedia, Name: "gannet.jpg", W: 3, H: 2}},
		File:    func(doc.MediaID) string { return "media/gannet.jpg" },
	})
	if err != nil {
		panic(err)
	}
	var got struct {
		Schema string `json:"OTIO_SCHEMA"`
		Tracks struct {
			Children []struct{ Kind string }
		}
	}
	if err := json.Unmarshal(b.Bytes(), &got); err != nil {
		panic(err)
	}
	fmt.Println(got.Schema, got.Tracks.Children, bytes.Contains(b.Bytes(), []byte(`"media/gannet.jpg"`)))
	// Output:
	// Timeline.1 [{Video}] true
}

package plan_test

import (
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/themes"
)

// A film as long as its song: what its slides' lengths, less their joins, come to.
func ExampleBuild() {
	shelf, err := themes.Shipped()
	if err != nil {
		panic(err)
	}
	t, err := shelf.Get("tideline")
	if err != nil {
		panic(err)
	}
	lib := doc.Library{"song": {ID: "song", Kind: doc.SongMedia, Length: 60 * timecode.SampleRate}}
	d := doc.New("tideline", 1)
	d.Fit.Mode = doc.ToMusic
	d.Soundtrack.AddSong("song")
	for _, id := range []doc.MediaID{"a", "b", "c", "d", "e", "f", "g", "h"} {
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, W: 3000, H: 2000}
		d.Slides = append(d.Slides, doc.Slide{
			ID:     doc.SlideID(id),
			Kind:   doc.Pictures,
			Layout: "full",
			Media:  []doc.MediaID{id},
			Linger: 1,
		})
	}
	p := plan.Build(d, t, lib)
	fmt.Println(p.Frames, p.Left(), p.Rate.Timecode(p.Slides[4].Start))
	fmt.Println(p.Arithmetic())
	// Output:
	// 1800 0 0:00:29:18
	// 8 picture slides, together 60.00 s = 1:00.0 — music 1:00.0 — ends with the music, to the frame
}

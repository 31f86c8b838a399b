package orderpage

import (
	"encoding/json"
	"net/http"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/web/page"
)

// heldPicture is a picture of a slide as the page's handles need it: all
// lengths are per cent, of the frame or of the picture as turned.
type heldPicture struct {
	Media                             doc.MediaID
	Degrees                           float64
	Place, Window, Begins, Ends, Crop [4]float64
	Focal                             [2]float64
}

func percents(r framing.Rect) [4]float64 {
	return [4]float64{100 * r.X, 100 * r.Y, 100 * r.W, 100 * r.H}
}

// held answers with what can be taken hold of on the film at a frame: the
// pictures of a slide, and the box around its words.
func (e *editing) held(w http.ResponseWriter, r *http.Request) {
	width := max(64, min(page.QueryInt(r, "w", 640), 1920))
	h, err := e.Looking.Held(r.Context(), seen(r), int(page.QueryInt(r, "r", -1)),
		doc.SlideID(r.URL.Query().Get("slide")), timecode.Frames(page.QueryInt(r, "n", 0)), int(width))
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	answer := struct {
		Pictures []heldPicture
		Words    *[4]float64
	}{Pictures: []heldPicture{}}
	for _, p := range h.Pictures {
		answer.Pictures = append(answer.Pictures, heldOf(p))
	}
	if h.Words != (framing.Rect{}) {
		box := percents(h.Words)
		answer.Words = &box
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_ = json.NewEncoder(w).Encode(answer) // the browser may have gone
}

func heldOf(p scene.Shown) heldPicture {
	return heldPicture{
		Media:   p.Media,
		Degrees: p.Degrees,
		Place:   percents(p.Place),
		Window:  percents(p.Window),
		Begins:  percents(p.Begins),
		Ends:    percents(p.Ends),
		Crop:    percents(p.Crop),
		Focal:   [2]float64{100 * p.Focal.X, 100 * p.Focal.Y},
	}
}

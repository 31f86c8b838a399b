package web

import (
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/orders"
)

// filmView is what can be set for the whole film.
type filmView struct {
	Frames []choice
	Frame  string
}

// frameChoices are the usual frames.
var frameChoices = []choice{
	{"1920x1080", "16:9 wide, 1920×1080"}, {"1440x1080", "4:3 classic, 1440×1080"},
	{"1080x1080", "1:1 square, 1080×1080"}, {"1080x1350", "4:5 tall, 1080×1350"},
	{"1080x1920", "9:16 upright, 1080×1920"},
	{"1280x720", "16:9 wide, 1280×720"}, {"3840x2160", "16:9 wide, 3840×2160"},
}

func film(wk *orders.Dossier) filmView {
	v := filmView{Frame: wk.Doc.Frame.String(), Frames: slices.Clone(frameChoices)}
	if w, h := widest(wk.Library); w > 0 {
		v.Frames = append(v.Frames, choice{fmt.Sprintf("%dx%d", w, h),
			fmt.Sprintf("as the widest picture, %d×%d", w, h)})
	}
	if !slices.ContainsFunc(v.Frames, func(c choice) bool { return c.ID == v.Frame }) {
		v.Frames = append(v.Frames, choice{v.Frame, v.Frame})
	}
	return v
}

// The frame taken from a picture has so many lines, and is at most so wide.
const (
	frameLines = 1080
	widestSide = 3840
)

// widest is the frame that the widest of the pictures fills, in pixels; 0 where
// there is none, or where it is one of the usual shapes.
func widest(lib doc.Library) (w, h int) {
	aspect := 0.0
	for _, m := range lib {
		if m.Kind == doc.PhotoMedia {
			aspect = max(aspect, m.Aspect())
		}
	}
	if aspect == 0 {
		return 0, 0
	}
	for _, usual := range []float64{16.0 / 9, 4.0 / 3, 1, 9.0 / 16} {
		if math.Abs(aspect/usual-1) < 0.01 {
			return 0, 0
		}
	}
	w, h = int(math.Round(frameLines*aspect/2))*2, frameLines
	if w > widestSide {
		w, h = widestSide, int(math.Round(widestSide/aspect/2))*2
	}
	return w, h
}

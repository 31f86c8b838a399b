package orderpage

import (
	"fmt"
	"math"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/orders"
	"nelko/internal/web/parts"
)

// filmView is what can be set for the whole film.
type filmView struct {
	Frames []parts.Choice
	Frame  string
}

// frameChoices are the usual frames.
var frameChoices = []parts.Choice{
	{ID: "1920x1080", Name: "16:9 wide, 1920×1080"}, {ID: "1440x1080", Name: "4:3 classic, 1440×1080"},
	{ID: "1080x1080", Name: "1:1 square, 1080×1080"}, {ID: "1080x1350", Name: "4:5 tall, 1080×1350"},
	{ID: "1080x1920", Name: "9:16 upright, 1080×1920"},
	{ID: "1280x720", Name: "16:9 wide, 1280×720"}, {ID: "3840x2160", Name: "16:9 wide, 3840×2160"},
}

func film(wk *orders.Dossier) filmView {
	v := filmView{Frame: wk.Doc.Frame.String(), Frames: slices.Clone(frameChoices)}
	if w, h := widest(wk.Library); w > 0 {
		v.Frames = append(v.Frames, parts.Choice{ID: fmt.Sprintf("%dx%d", w, h),
			Name: fmt.Sprintf("as the widest picture, %d×%d", w, h)})
	}
	if !slices.ContainsFunc(v.Frames, func(c parts.Choice) bool { return c.ID == v.Frame }) {
		v.Frames = append(v.Frames, parts.Choice{ID: v.Frame, Name: v.Frame})
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

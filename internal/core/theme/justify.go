package theme

import (
	"math"

	"nelko/internal/core/framing"
)

// Justified lays pictures of the given aspects (width over height) in rows, in
// their order, inside an area of a frame of the given aspect, none of them
// cropped: all of a row are equally high, all rows as wide as there is room,
// and the rows are split so that the pictures cover as much as they can. gap is
// a share of the frame's shorter side, the area in fractions of the frame.
func Justified(aspects []float64, frame float64, area framing.Rect, gap float64) []framing.Rect {
	// In units in which the frame's shorter side is 1.
	w, h := math.Max(1, frame), math.Max(1, 1/frame)
	x0, y0, aw, ah := area.X*w, area.Y*h, area.W*w, area.H*h
	n := len(aspects)
	var best []framing.Rect
	most := -1.0
	// Every way to split the pictures into rows: a bit for each gap between two.
	for split := range 1 << max(0, n-1) {
		var rows [][]float64
		row := []float64{}
		for i, a := range aspects {
			if row = append(row, a); i == n-1 || split>>i&1 == 1 {
				rows, row = append(rows, row), nil
			}
		}
		heights := make([]float64, len(rows))
		total := gap * float64(len(rows)-1)
		for i, r := range rows {
			sum := 0.0
			for _, a := range r {
				sum += a
			}
			if heights[i] = (aw - gap*float64(len(r)-1)) / sum; heights[i] <= 0 {
				total = math.Inf(1)
			}
			total += heights[i]
		}
		// What is too high is made smaller, gaps and all.
		k := math.Min(1, ah/total)
		if math.IsInf(total, 1) {
			continue
		}
		var places []framing.Rect
		covered := 0.0
		y := y0 + (ah-k*total)/2
		for i, r := range rows {
			width := gap * float64(len(r)-1)
			for _, a := range r {
				width += a * heights[i]
			}
			x := x0 + (aw-k*width)/2
			for _, a := range r {
				p := framing.Rect{X: x / w, Y: y / h, W: k * a * heights[i] / w, H: k * heights[i] / h}
				places, covered = append(places, p), covered+p.W*p.H
				x += k * (a*heights[i] + gap)
			}
			y += k * (heights[i] + gap)
		}
		if covered > most {
			best, most = places, covered
		}
	}
	return best
}

// A layout suits pictures of which it cuts away at most so much of each, and
// that cover at least so much of the title-safe area where they are shown whole
// (common practice, no source).
const (
	mostCut      = 0.26 // a pan or a zoom takes some more
	leastCovered = 0.55
)

// Cuts reports whether a place of an aspect cuts into what must be seen of a
// picture of another.
func Cuts(place, picture float64, need framing.Point) bool {
	if place < picture {
		return need.X > place/picture
	}
	return need.Y > picture/place
}

// Suited is where pictures of the given aspects go in a layout: where the layout
// puts them if it suits them, else in rows in which nothing is cut away and as
// much as possible is covered, at the layout's own angles. needs is how much of
// each picture's width and height must be seen (nil: unknown); whole says that the
// layout shows pictures whole.
func (l Layout) Suited(places []Place, aspects []float64, needs []framing.Point, frame float64,
	whole bool) []Place {
	// A mat is a share of the frame's shorter side, on all sides of a picture.
	mx, my := l.Mat/math.Max(1, frame), l.Mat/math.Max(1, 1/frame)
	inside := func(r framing.Rect, k float64) framing.Rect {
		return framing.Rect{X: r.X + k*mx, Y: r.Y + k*my, W: r.W - 2*k*mx, H: r.H - 2*k*my}
	}
	if len(places) < 2 || len(places) != len(aspects) {
		return places
	}
	cut, covered := 0.0, 0.0
	for i, p := range places {
		p.Rect = inside(p.Rect, 1)
		have := p.Rect.W * frame / p.Rect.H
		share := math.Min(have, aspects[i]) / math.Max(have, aspects[i]) // of the place, or of the picture
		if whole {
			covered += p.Rect.W * p.Rect.H * share
		} else {
			cut = math.Max(cut, 1-share)
			if needs != nil && Cuts(have, aspects[i], needs[i]) {
				cut = 1
			}
		}
	}
	if !whole && cut <= mostCut || whole &&
		(len(places) > 2 || covered >= leastCovered*framing.TitleSafe.W*framing.TitleSafe.H) {
		return places
	}
	out := make([]Place, len(places))
	for i, r := range Justified(aspects, frame, inside(framing.ActionSafe, 1), math.Max(min(l.Gap, 0.03),
		0.015)+2*l.Mat) {
		out[i] = Place{Rect: inside(r, -1), Tilt: places[i].Tilt}
	}
	return out
}

package scene

import (
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/timecode"
)

// Shown is a picture or clip as a slide shows it at one of its frames: what a
// hand on the film can take hold of.
type Shown struct {
	Media   doc.MediaID
	Place   framing.Rect  // without its mat, in fractions of the frame
	Degrees float64       // its tilt, clockwise
	Window  framing.Rect  // what is seen of it, in fractions of the picture as turned, before its crop
	Begins  framing.Rect  // the window at the slide's first frame
	Ends    framing.Rect  // and at its last
	Crop    framing.Rect  // the whole picture if it is not cropped
	Focal   framing.Point // where the eye goes, in fractions of the picture as turned
}

// Shown is the pictures and clips of a slide at frame n of the film, bottom
// first; n outside the slide is moved into it. An unknown slide shows none.
func (s *Scene) Shown(d doc.Slideshow, lib doc.Library, id doc.SlideID, n timecode.Frames) (out []Shown) {
	for i := range s.Slides {
		if s.Slides[i].ID != id {
			continue
		}
		sl := &s.Slides[i]
		n = max(0, min(n-sl.Start, sl.Length-1))
		for j := range sl.Layers {
			if p, ok := sl.Layers[j].shown(n, sl.Length); ok {
				p.Place = framing.Rect{
					X: p.Place.X / float64(s.W),
					Y: p.Place.Y / float64(s.H),
					W: p.Place.W / float64(s.W),
					H: p.Place.H / float64(s.H),
				}
				p.Crop, p.Focal = unit, FocalPoint(d, lib[p.Media])
				if c := d.Shot(p.Media).Crop; c != (framing.Rect{}) {
					p.Crop = c
				}
				out = append(out, p)
			}
		}
	}
	return out
}

// shown is the picture a layer shows at frame n of its slide, its place in
// pixels of the frame.
func (l *Layer) shown(n, length timecode.Frames) (p Shown, ok bool) {
	a := &l.Asset
	place, degrees, _ := l.Where(n, length)
	p = Shown{Media: a.Media, Place: place, Degrees: degrees}
	switch {
	case a.Media == "":
		return p, false
	case a.Kind == Photo || a.Kind == Footage:
		p.Window, p.Begins, p.Ends = l.Window.At(n, length), l.Window.At(0, length),
			l.Window.At(length-1, length)
	case a.Kind == Print:
		// The sprite is wider than the picture by its mat, turn and shadow.
		w, _ := a.PrintSize()
		k := place.W / float64(w)
		p.Place = centred(place, float64(a.W-2*a.Mat)*k, float64(a.H-2*a.Mat)*k)
		p.Degrees, p.Window, p.Begins, p.Ends = a.Degrees, a.Crop, a.Crop, a.Crop
	default:
		return p, false
	}
	return p, true
}

// FocalPoint is where the eye goes in a picture, in fractions of it as turned,
// before its crop: set by hand, the middle of the faces, or what stands out.
func FocalPoint(d doc.Slideshow, m doc.Media) framing.Point {
	b := newBuilder(stage{doc: d})
	at, _ := b.pics.focus(m)
	if c := d.Shot(m.ID).Crop; c != (framing.Rect{}) {
		at = framing.Point{X: c.X + at.X*c.W, Y: c.Y + at.Y*c.H}
	}
	return at
}

// Package scene turns a laid-out slideshow and its theme into placed layers:
// what is drawn, where, at each frame. It is evaluated at frame numbers,
// never at floating times, and knows nothing of pixels' contents.
package scene

import (
	"math"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/look"
	"nelko/internal/core/raster"
	"nelko/internal/core/texture"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
)

// Scene is a whole film as layers.
type Scene struct {
	W, H     int
	Rate     timecode.Rate
	Matrix   raster.Matrix
	Frames   timecode.Frames
	Slides   []Slide
	Overlays []Overlay
	FadeIn   timecode.Frames // from FadeRGB
	FadeOut  timecode.Frames // to FadeRGB
	FadeRGB  raster.RGB
	Shutter  float64 // motion blur: the angle of a shutter, 0 to 360 degrees
	Findings []Finding
}

// Slide is one slide's layers, bottom first, and its place in time. In its
// last Overlap frames it gives way to the next slide by Into.
type Slide struct {
	ID                     doc.SlideID
	Start, Length, Overlap timecode.Frames
	Into                   transition.Transition
	Layers                 []Layer
	// around its card's words or its caption, without a plate, in fractions of the frame; empty without words
	Words framing.Rect
}

// End is the frame after the slide's last.
func (s *Slide) End() timecode.Frames { return s.Start + s.Length }

// Overlay is a layer over a range of the film, above slides and transitions.
// Its layer counts frames from Start.
type Overlay struct {
	Start, Length timecode.Frames
	Layer         Layer
}

// Finding is something the scene shows that a careful colleague would point
// out.
type Finding struct {
	Slide doc.SlideID
	Kind  FindingKind
	Media doc.MediaID // of FaceCut and Enlarged
	Words string      // of TooLong
	By    float64     // Enlarged: factor; Cropped: share that is not seen
}

// FindingKind is what was found.
type FindingKind string

// FaceCut: no framing of the place keeps the faces whole. Enlarged: a picture
// is shown larger than its own pixels. TooLong: words do not fit their box
// even at the smallest size. OutsideSafe: words were put where some screens
// cut them off. Cropped: a layout shows less than two thirds of a picture.
const (
	FaceCut     FindingKind = "face"
	Enlarged    FindingKind = "enlarged"
	TooLong     FindingKind = "long"
	OutsideSafe FindingKind = "outside"
	Cropped     FindingKind = "cropped"
)

// Kind is what a layer draws.
type Kind int

// The kinds of layer.
const (
	None     Kind = iota
	Fill          // one colour
	Photo         // a picture
	Soft          // a blurred, toned copy of a picture or of a clip's poster frame
	Footage       // a clip
	Text          // words
	Shadow        // a rectangle of a colour with soft edges
	Print         // a picture dressed and turned: mat, corners, shadow and all
	Gradient      // from one colour to another
	Texture       // a cloth or paper
	Image         // a file of the theme
	Mask          // a shape, for other layers to show through
	Speck         // one particle
	Drift         // many particles
	Patina        // dark corners and grain, over a clip
)

// Asset says what a layer needs to be drawn. It is comparable and depends on
// nothing but the inputs, so that it can serve as a cache key.
type Asset struct {
	Kind  Kind
	Media doc.MediaID
	File  string // Image: content of a file of the theme
	Cover bool   // Image: fills W×H instead of fitting in
	// pixels of the whole prepared picture; Shadow and Print: of the rectangle; Soft: of the window
	W, H  int
	Turn  int              // quarter turns clockwise before anything else
	Crop  framing.Rect     // Print, Soft: the window of the picture, in fractions
	Look  look.Look        // Photo, Soft, Print, Footage, Patina
	Begin timecode.Samples // Footage: where the clip begins

	Colour, Second raster.RGB
	Degrees        float64 // Gradient: direction; Print: turned by
	Tone           float64 // Soft, Image
	Contrast       float64 // Texture
	Texture        texture.Kind
	Blur           int     // Shadow and Print: radius in pixels; Soft: of an eighth of them
	Mat            int     // Print: pixels
	Radius         int     // Mask, Print: of corners, pixels
	Shadow         float64 // Print: strength
	Mask           string  // Mask, Print: oval, arch, blot
	Seed           uint64

	Particles design.Particles // Speck
	Variant   int

	Text Type
}

// Type is words and how they are set, in pixels.
type Type struct {
	Words      string
	Fonts      string  // content of the theme's fonts; empty: the system's
	Face       string  // Pango description without the size
	Size       float64 // height of the type
	Track      float64 // letter spacing in ems
	Leading    float64 // distance of lines as a factor, 0 is the font's own
	Align      string  // left, centre, right
	Width      int     // lines are broken here
	Colour     raster.RGB
	Outline    float64 // width in pixels
	OutlineRGB raster.RGB
	Shadow     float64 // strength
}

// Pad is the room a text's sprite has around the words on each side, for
// overhangs, outline and shadow.
func (t Type) Pad() int { return int(math.Ceil(t.Size*0.35+t.Outline+t.Size*0.12*t.Shadow))/2*2 + 2 }

// Setting is how words come out when set.
type Setting struct {
	W, H    float64 // of the words, without padding
	Lines   int
	Words   []framing.Rect // each word's place, without padding, in reading order
	Letters []framing.Rect // each letter's
}

// Typesetter measures words. Implementations must give the same answer for
// the same words.
type Typesetter interface {
	Set(t Type) (Setting, error)
}

// Layer is one thing drawn. Place is in pixels of the frame, Window in
// fractions of the asset.
type Layer struct {
	Asset  Asset
	Mask   Asset // stretched over the place; Kind None for none
	Place  Move
	Window Move
	Alpha  float64         // opacity once entered
	Enter  timecode.Frames // fades in over this many frames…
	Delay  timecode.Frames // …after this many
	Leave  timecode.Frames // fades out over the last frames
	Until  timecode.Frames // the frame of the slide before which it is gone; 0: it stays to the end
	Hard   bool            // appears at once instead of fading in
	Turn   float64         // degrees about the place's centre
	Path   *design.Decor   // a path instead of Place: sizes are factors of it
	Drift  *design.Decor   // of kind Drift
	Seed   uint64          // of a drift
}

// Move is a rectangle that goes from one to another over a span of the
// slide's frames.
type Move struct {
	From, To    framing.Rect
	Ease        framing.Ease
	Start, Span timecode.Frames // Span 0: the slide's whole length
}

// Still is a Move that stays.
func Still(r framing.Rect) Move { return Move{From: r, To: r, Ease: framing.Linear} }

// At is the rectangle at frame n of a slide of the given length.
func (m Move) At(n, length timecode.Frames) framing.Rect {
	if m.From == m.To {
		return m.From
	}
	span := m.Span
	if span == 0 {
		span = length - 1
	}
	t := 1.0
	if span > 0 {
		t = float64(n-m.Start) / float64(span)
	}
	return m.From.Lerp(m.To, m.Ease.At(t))
}

// Opacity is the layer's opacity at frame n of its slide of the given length.
func (l *Layer) Opacity(n, length timecode.Frames) float64 {
	a := l.Alpha
	if l.Until > 0 {
		if length = min(length, l.Until); n >= length {
			return 0
		}
	}
	switch {
	case l.Hard && n < l.Delay:
		return 0
	case l.Enter > 0:
		a *= framing.InOut.At(float64(n-l.Delay) / float64(l.Enter))
	}
	if left := length - 1 - n; l.Leave > 0 && left < l.Leave {
		a *= framing.InOut.At(float64(left) / float64(l.Leave))
	}
	return a
}

// Where is the layer's place, turn and opacity at frame n of its slide.
func (l *Layer) Where(n, length timecode.Frames) (place framing.Rect, degrees, opacity float64) {
	place, degrees, opacity = l.Place.At(n, length), l.Turn, l.Opacity(n, length)
	if l.Path != nil {
		t := 0.0
		if length > 1 {
			t = float64(n) / float64(length-1)
		}
		w := l.Path.Along(t)
		// Place is the size at factor 1 and the frame's size beyond its corner.
		pw, ph := place.W*w.Size, place.H*w.Size
		place = framing.Rect{X: place.X*w.X - pw/2, Y: place.Y*w.Y - ph/2, W: pw, H: ph}
		degrees += w.Degrees
	}
	return place, degrees, opacity
}

// Same reports whether the layer looks the same at two frames of its slide.
func (l *Layer) Same(a, b, length timecode.Frames) bool {
	if l.Drift != nil || l.Asset.Kind == Footage {
		return false
	}
	pa, da, oa := l.Where(a, length)
	pb, db, ob := l.Where(b, length)
	return pa == pb && da == db && oa == ob && l.Window.At(a, length) == l.Window.At(b, length)
}

var unit = framing.Rect{W: 1, H: 1}

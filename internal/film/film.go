// Package film lays a slideshow out once. A Film is made from a document, a
// theme version, a library of media named by content, and a profile; it never
// changes afterwards, and everything that shows, plays, checks or renders the
// slideshow asks it: for its plan in time, its scene, its segments with their
// keys, its soundtrack, its findings.
//
// Laying out is pure: it reads no media. A film is cheap to keep and safe for
// use by several goroutines.
package film

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"sync"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/plan"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/theme"
	"nelko/internal/core/timecode"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
)

// Tools are the versions of what draws and of what encodes. Films made with
// the same inputs and the same tools are equal, byte for byte.
type Tools struct {
	Draw   string // media.DrawnBy
	Encode string // ffmpeg's version
}

// String names both for a person.
func (t Tools) String() string { return t.Draw + ", ffmpeg " + t.Encode }

// ToolsHere finds out the versions of this process's tools.
func ToolsHere(ctx context.Context) (Tools, error) {
	draw, err := media.DrawnBy(ctx)
	if err != nil {
		return Tools{}, err
	}
	encode := media.Versions(ctx)["ffmpeg"]
	if encode == "" {
		return Tools{}, fmt.Errorf("ffmpeg cannot be run")
	}
	return Tools{draw, encode}, nil
}

// Source is what a film is laid out from.
type Source struct {
	Doc     doc.Slideshow // with its details; its rate is the profile's
	Theme   *theme.Theme
	Library doc.Library
	Profile profile.Profile
	Marks   scene.Options
	Endless bool // it goes round, without the theme's fades from and to black

	// Only names the slides that will be looked at, if not all of them.
	Only []doc.SlideID
}

// Film is a slideshow laid out.
type Film struct {
	Doc     doc.Slideshow // at the profile's frame and rate
	Theme   *theme.Theme
	Library doc.Library
	Profile profile.Profile
	Plan    plan.Plan
	Scene   *scene.Scene
	Kept    Kept
	From    timecode.Frames // where in the whole film it begins; above 0 for teasers only

	details  map[string]string // as they were given
	tools    Tools
	segments func() ([]Segment, error)
	soundKey func() (string, error)
}

// Kept is how frames are kept in a film's file: so many pixels, to be shown in
// a shape, scaled from the size or the colours they are drawn in or not.
type Kept struct {
	W, H   int
	Scaled bool
	Shown  profile.Shape // zero: pixels are square
	Matrix raster.Matrix // of its colours
}

// House lays films out: it knows the tools and the shelf of this process.
type House struct {
	Tools Tools
	Shelf media.Shelf
}

// Lay lays a film out. A plan that cannot be fitted is no error: the plan says
// so, and its slides come as near as they can.
func (h House) Lay(s Source) (*Film, error) {
	if err := media.InstallFonts(h.Shelf, s.Theme.FontsContent); err != nil {
		return nil, err
	}
	f := &Film{
		Doc:     s.Doc.Clone(),
		Theme:   s.Theme.Tinted(s.Doc.Details),
		Library: s.Library,
		Profile: s.Profile,
		tools:   h.Tools,
	}
	f.Doc.Details, f.details = s.Theme.Written(s.Doc.Details), s.Doc.Details
	own := s.Doc.Frame
	f.Doc.Frame.W, f.Doc.Frame.H = s.Profile.Frame(own.W, own.H)
	f.Kept.W, f.Kept.H, f.Kept.Scaled = s.Profile.Kept(own.W, own.H)
	if f.Kept.Matrix = raster.MatrixFor(f.Kept.W, f.Kept.H); s.Profile.Video.BT709 {
		f.Kept.Matrix = raster.BT709
	}
	if s.Profile.Stored != nil {
		f.Kept.Shown = s.Profile.Stored.Shown
	}
	f.Doc.Rate = s.Profile.Rate
	f.Plan = plan.Build(f.Doc, f.Theme, f.Library)
	f.Kept.Scaled = f.Kept.Scaled || f.Kept.Matrix != raster.MatrixFor(f.Doc.Frame.W, f.Doc.Frame.H)
	drawn := f.Plan
	if s.Profile.Captions != profile.Burnt {
		drawn.Slides = slices.Clone(drawn.Slides)
		for i := range drawn.Slides {
			drawn.Slides[i].Caption = ""
		}
	}
	marks := s.Marks
	marks.Only, marks.Of = s.Only, own
	f.Scene = scene.Build(f.Doc, f.Theme, drawn, f.Library, pango.Words, marks)
	if t := s.Profile.Teaser; t != nil {
		shorten(f, *t)
	}
	if s.Endless {
		f.Scene.FadeIn, f.Scene.FadeOut = 0, 0
	}
	f.segments = sync.OnceValues(func() ([]Segment, error) { return cut(f) })
	f.soundKey = sync.OnceValues(f.nameSound)
	return f, nil
}

// Segments is the film cut into stretches that are encoded by themselves,
// each named by all its frames and their encoding depend on.
func (f *Film) Segments() ([]Segment, error) { return f.segments() }

// Name names the whole film by its segments.
func (f *Film) Name() (string, error) {
	segs, err := f.Segments()
	if err != nil {
		return "", err
	}
	h := sha256.New()
	for _, s := range segs {
		h.Write([]byte(s.Key))
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// Frames is the film's length.
func (f *Film) Frames() timecode.Frames { return f.Scene.Frames }

// Samples is the length of the film's sound.
func (f *Film) Samples() timecode.Samples { return f.Doc.Rate.SampleAt(f.Scene.Frames) }

// Title is what the film is called.
func (f *Film) Title() string { return f.Theme.FilmTitle(f.Doc.Details) }

// Poster is the frame that stands for the film: the middle of the opening,
// when its words have come in.
func (f *Film) Poster() timecode.Frames {
	first := f.Scene.Slides[0]
	return max(0, min(f.Scene.Frames-1, first.Start+(first.Length-first.Overlap)*2/3))
}

// Still draws one frame as a JPEG. Frames outside the film are moved to its
// nearest end.
func (f *Film) Still(a compose.Assets, n timecode.Frames, quality int) ([]byte, error) {
	return f.Stills(a, quality, n)
}

// Stills draws frames of the film, one below the other, as one JPEG.
func (f *Film) Stills(a compose.Assets, quality int, at ...timecode.Frames) ([]byte, error) {
	c := compose.New(f.Scene, a)
	fr := raster.NewFrame(f.Scene.W, f.Scene.H)
	all := raster.Pixels{W: f.Scene.W, H: f.Scene.H * len(at), Channels: 3}
	for _, n := range at {
		if err := c.Frame(fr, max(0, min(n, f.Scene.Frames-1))); err != nil {
			return nil, err
		}
		all.Pix = append(all.Pix, fr.RGB(f.Scene.Matrix).Pix...)
	}
	return vips.JPEG(all, quality)
}

// Shown is the pictures and clips of a slide at a frame of the film, bottom
// first.
func (f *Film) Shown(id doc.SlideID, n timecode.Frames) []scene.Shown {
	return f.Scene.Shown(f.Doc, f.Library, id, n)
}

// Words is the box around a slide's words, in fractions of the frame; empty
// for a slide without words.
func (f *Film) Words(id doc.SlideID) framing.Rect {
	for _, s := range f.Scene.Slides {
		if s.ID == id {
			return s.Words
		}
	}
	return framing.Rect{}
}

// Findings are what the film's frames show that someone should look at: faces
// cut, pictures enlarged, words too long or outside the safe area.
func (f *Film) Findings() []plan.Check {
	out := make([]plan.Check, 0, len(f.Scene.Findings))
	for _, x := range f.Scene.Findings {
		out = append(out, plan.Finding(f.Doc, f.Library, x.Slide, string(x.Kind), x.Media, x.Words, x.By))
	}
	return append(out, opensTwice(f)...)
}

// opensTwice is told where the opening's picture is the next slide's too.
func opensTwice(f *Film) []plan.Check {
	if len(f.Doc.Slides) < 2 || f.Doc.Slides[0].Kind != doc.Opening || f.Doc.Slides[0].Picture != "" {
		return nil // chosen by hand it is meant
	}
	next := f.Doc.Slides[1]
	for _, l := range f.Scene.Slides[0].Layers {
		if id := l.Asset.Media; id != "" && slices.Contains(next.Media, id) {
			return []plan.Check{{
				Weight: plan.Doubt,
				Kind:   "opens",
				Key:    "opens:" + string(id),
				Media:  id,
				Field:  "slide:" + string(next.ID),
				Text:   fmt.Sprintf("%s is the opening’s picture and slide 2’s at once", f.Library[id].Name),
			}}
		}
	}
	return nil
}

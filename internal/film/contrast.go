package film

import (
	"math"
	"slices"

	"nelko/internal/core/compose"
	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
)

// The least contrast of words against what is behind them, and from which
// share of the frame's shorter side type counts as large (WCAG 2.2, success
// criterion 1.4.3; large type there is 24 pixels, which is about a thirtieth of
// the height of a page).
const (
	contrastSmall = 4.5
	contrastLarge = 3
	largeType     = 1.0 / 30
)

// Hard is words that are hard to read; empty: none.
type Hard struct {
	Words    string
	Contrast float64 // with what is behind them
}

// Hard looks at the words of a slide against what is really behind them when
// they have come in, and gives those that are hard to read. What is behind them is what is
// seen around their strokes: picture and backdrop with the words' own plate, outline
// and shadow.
func (f *Film) Hard(a compose.Assets, id doc.SlideID) (Hard, error) {
	i := slices.IndexFunc(f.Scene.Slides, func(s scene.Slide) bool { return s.ID == id })
	if i < 0 {
		return Hard{}, nil
	}
	s := f.Scene.Slides[i]
	isWords := func(l scene.Layer) bool { return l.Asset.Kind == scene.Text }
	if !slices.ContainsFunc(s.Layers, isWords) {
		return Hard{}, nil
	}
	var words []scene.Layer
	for _, l := range s.Layers {
		if isWords(l) {
			words = append(words, l)
		}
	}
	// The slide alone, so that no transition stands in the way.
	s.Start, s.Overlap, s.Into = 0, 0, scene.Slide{}.Into
	alone := *f.Scene
	alone.Slides, alone.Overlays, alone.Frames, alone.FadeIn, alone.FadeOut = []scene.Slide{s}, nil, s.Length,
		0, 0
	return hardOf(a, alone, words, settledAt(words, s.Length), s.Length)
}

// HardOver is Hard of the words that lie over the whole film, such as a draft's,
// at a frame.
func (f *Film) HardOver(a compose.Assets, n timecode.Frames) (Hard, error) {
	var words []scene.Layer
	for _, o := range f.Scene.Overlays {
		if o.Layer.Asset.Kind == scene.Text && n >= o.Start && n < o.Start+o.Length {
			words = append(words, o.Layer)
		}
	}
	if len(words) == 0 {
		return Hard{}, nil
	}
	return hardOf(a, *f.Scene, words, n, f.Scene.Frames)
}

// hardOf is the first of words in a scene at a frame that are hard to read. Drawn white
// and black, they tell by the difference where their strokes are.
func hardOf(a compose.Assets, sc scene.Scene, words []scene.Layer, n, length timecode.Frames) (Hard, error) {
	ground := raster.NewFrame(sc.W, sc.H)
	if err := compose.New(&sc, a).Frame(ground, n); err != nil {
		return Hard{}, err
	}
	all, err := strokes(a, sc, n, words, length)
	if err != nil {
		return Hard{}, err
	}
	px := ground.RGB(sc.Matrix)
	short := float64(min(sc.W, sc.H))
	for _, l := range words {
		t := l.Asset.Text
		place, _, opacity := l.Where(n, length)
		if opacity < min(0.9, 0.9*l.Alpha) {
			continue
		}
		least := float64(contrastSmall)
		if t.Size >= largeType*short {
			least = contrastLarge
		}
		own, err := strokes(a, sc, n, []scene.Layer{l}, length)
		if err != nil {
			return Hard{}, err
		}
		if c := around(px, own, all, place, t.Size); c < least {
			return Hard{t.Words, c}, nil
		}
	}
	return Hard{}, nil
}

// strokes are how much of each pixel belongs to words, as a share of the range of luma, by
// what drawing them alone in white and in black makes different.
func strokes(a compose.Assets, sc scene.Scene, n timecode.Frames, words []scene.Layer,
	length timecode.Frames) ([]float64, error) {
	sc.Overlays, sc.FadeIn, sc.FadeOut, sc.Frames = nil, 0, 0, length
	draw := func(ink raster.RGB) (*raster.Frame, error) {
		inked := slices.Clone(words)
		for i := range inked {
			inked[i].Asset.Text.Colour = ink
		}
		sc.Slides = []scene.Slide{{Length: length, Layers: inked}}
		f := raster.NewFrame(sc.W, sc.H)
		return f, compose.New(&sc, a).Frame(f, n)
	}
	white, err := draw(raster.RGB{R: 255, G: 255, B: 255})
	if err != nil {
		return nil, err
	}
	black, err := draw(raster.RGB{})
	if err != nil {
		return nil, err
	}
	out := make([]float64, len(white.Y))
	for i := range out {
		out[i] = float64(int(white.Y[i])-int(black.Y[i])) / lumaRange
	}
	return out, nil
}

// lumaRange is from black to white (ITU-R BT.709-6, item 5.6, at 8 bits).
const lumaRange = 235 - 16

// settledAt is a frame in which as many words as possible have come in.
func settledAt(words []scene.Layer, length timecode.Frames) timecode.Frames {
	best, most := length/2, -1
	for k := range timecode.Frames(8) {
		n, seen := length*(k+1)/10, 0
		for _, l := range words {
			if l.Opacity(n, length) > 0.9 {
				seen++
			}
		}
		if seen >= most {
			best, most = n, seen
		}
	}
	return best
}

// hardest is the share of the ground that may be worse than what is told:
// single pixels of a texture do not make words hard to read.
const hardest = 0.1

// How much of a pixel belongs to a stroke, as a share of the range of luma, for it to count
// as one, and at most for it to count as ground; and how far around a stroke ground is looked
// at, as a share of the type's size.
const (
	inStroke = 0.9 // wholly
	isStroke = 0.5
	isGround = 0.04
	near     = 0.06
)

// around is the contrast of words, whose strokes are own, with what is seen around them in
// a rectangle beside all strokes, where it is low: a tenth of it has less.
func around(px raster.Pixels, own, all []float64, in framing.Rect, size float64) float64 {
	x0, y0 := max(0, int(in.X)), max(0, int(in.Y))
	x1, y1 := min(px.W, int(in.X+in.W)+1), min(px.H, int(in.Y+in.H)+1)
	r := max(1, int(math.Round(near*size)))
	light := func(i int) float64 {
		i *= px.Channels
		return raster.RGB{R: px.Pix[i], G: px.Pix[i+1], B: px.Pix[i+2]}.Luminance()
	}
	full := 0.0 // what is seen through reaches no more
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			full = math.Max(full, own[y*px.W+x])
		}
	}
	ground := map[int]bool{}
	var inks, contrasts []float64
	for y := y0; y < y1 && full > 0; y++ {
		for x := x0; x < x1; x++ {
			share := own[y*px.W+x]
			if share > inStroke*full {
				inks = append(inks, light(y*px.W+x))
			}
			if share < isStroke*full {
				continue
			}
			for v := max(0, y-r); v <= min(px.H-1, y+r); v++ {
				for u := max(0, x-r); u <= min(px.W-1, x+r); u++ {
					if all[v*px.W+u] < isGround {
						ground[v*px.W+u] = true
					}
				}
			}
		}
	}
	if len(inks) == 0 || len(ground) == 0 {
		return 21
	}
	slices.Sort(inks)
	ink := inks[len(inks)/2]
	for i := range ground {
		contrasts = append(contrasts, raster.Contrast(ink, light(i)))
	}
	slices.Sort(contrasts)
	return contrasts[int(hardest*float64(len(contrasts)))]
}

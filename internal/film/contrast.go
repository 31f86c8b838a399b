package film

import (
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
// they have come in, and gives those that are hard to read. Words with an
// outline or a strong shadow bring their own ground.
func (f *Film) Hard(a compose.Assets, id doc.SlideID) (Hard, error) {
	i := slices.IndexFunc(f.Scene.Slides, func(s scene.Slide) bool { return s.ID == id })
	if i < 0 || !slices.ContainsFunc(f.Scene.Slides[i].Layers, bare) {
		return Hard{}, nil
	}
	s := f.Scene.Slides[i]
	var words []scene.Layer
	bare := scene.Slide{ID: s.ID, Length: s.Length}
	for _, l := range s.Layers {
		if l.Asset.Kind == scene.Text {
			words = append(words, l)
		} else {
			bare.Layers = append(bare.Layers, l)
		}
	}
	// The slide alone, so that no transition stands in the way.
	alone := *f.Scene
	alone.Slides, alone.Overlays, alone.Frames, alone.FadeIn, alone.FadeOut = []scene.Slide{bare}, nil, s.Length, 0, 0
	n := settledAt(words, s.Length)
	fr := raster.NewFrame(alone.W, alone.H)
	if err := compose.New(&alone, a).Frame(fr, n); err != nil {
		return Hard{}, err
	}
	px := fr.RGB(alone.Matrix)
	short := float64(min(alone.W, alone.H))
	for _, l := range words {
		t := l.Asset.Text
		place, _, opacity := l.Where(n, s.Length)
		if opacity < 0.9 || !readsAlone(t) {
			continue
		}
		least := float64(contrastSmall)
		if t.Size >= largeType*short {
			least = contrastLarge
		}
		pad := float64(t.Pad())
		if c := against(px, place.Inset(pad), t.Colour.Luminance()); c < least {
			return Hard{t.Words, c}, nil
		}
	}
	return Hard{}, nil
}

func bare(l scene.Layer) bool { return l.Asset.Kind == scene.Text && readsAlone(l.Asset.Text) }

// readsAlone reports whether words depend on what is behind them.
func readsAlone(t scene.Type) bool { return t.Outline == 0 && t.Shadow < 0.5 }

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

// against is the contrast of words of a luminance with what is in a rectangle,
// where it is low: a tenth of the rectangle has less.
func against(px raster.Pixels, in framing.Rect, ink float64) float64 {
	x0, y0 := max(0, int(in.X)), max(0, int(in.Y))
	x1, y1 := min(px.W, int(in.X+in.W)), min(px.H, int(in.Y+in.H))
	var all []float64
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			i := (y*px.W + x) * px.Channels
			all = append(all, raster.Contrast(ink, raster.RGB{R: px.Pix[i], G: px.Pix[i+1], B: px.Pix[i+2]}.Luminance()))
		}
	}
	if len(all) == 0 {
		return 21
	}
	slices.Sort(all)
	return all[int(hardest*float64(len(all)))]
}

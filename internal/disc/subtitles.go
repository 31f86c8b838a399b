package disc

import (
	"context"
	"fmt"
	"image"
	"image/color"
	"math"
	"path/filepath"

	"nelko/internal/core/plan"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/media/pango"
)

// subtitleSize is the height of subtitles' type, and subtitleFoot the distance
// of the last line from the lower edge: shares of the frame's height (title-safe
// area, SMPTE ST 2046-1: 5 % at each edge).
const (
	subtitleSize = 0.062
	subtitleFoot = 0.07
	subtitleFace = "Noto Sans Medium"
)

// Words draws a caption as a subtitle of w×h pixels that are shown in a shape of
// shown width to height: an image of four colours, as subpictures have them
// (nothing, outline, words, and between), and its place in the frame.
func Words(text string, c raster.RGB, w, h int, shown float64) (*image.Paletted, image.Point, error) {
	// Words are set with square pixels and then pressed to the frame's.
	square := float64(h) * shown
	size := math.Round(float64(h)*subtitleSize*4) / 4
	t := scene.Type{
		Words:      text,
		Face:       subtitleFace,
		Size:       size,
		Align:      "centre",
		Width:      int(square * 0.86),
		Colour:     c,
		Outline:    math.Round(size*0.12*4) / 4,
		OutlineRGB: raster.RGB{},
	}
	s, err := pango.Words.Set(t)
	if err != nil {
		return nil, image.Point{}, err
	}
	pad := t.Pad()
	px, err := pango.Draw(t, int(math.Ceil(s.W))+2*pad, int(math.Ceil(s.H))+2*pad)
	if err != nil {
		return nil, image.Point{}, err
	}
	k := float64(w) / square
	iw, ih := int(float64(px.W)*k)/2*2, px.H/2*2
	between := color.RGBA{c.R / 2, c.G / 2, c.B / 2, 255}
	img := image.NewPaletted(image.Rect(0, 0, iw, ih), color.Palette{color.RGBA{},
		color.RGBA{16, 16, 16, 255}, color.RGBA{c.R, c.G, c.B, 255}, between})
	for y := range ih {
		for x := range iw {
			from, to := float64(x)/k, float64(x+1)/k
			var sum, ink, alpha float64
			for sx := int(from); sx < min(px.W, int(math.Ceil(to))); sx++ {
				share := math.Min(to, float64(sx+1)) - math.Max(from, float64(sx))
				p := px.Pix[(y*px.W+sx)*px.Channels:]
				a := float64(p[3]) / 255
				sum += share
				alpha += share * a
				ink += share * a * likeness(p, c)
			}
			if alpha /= sum; alpha < 0.4 {
				continue
			}
			switch ink /= sum * alpha; {
			case ink > 0.66:
				img.SetColorIndex(x, y, 2)
			case ink > 0.33:
				img.SetColorIndex(x, y, 3)
			default:
				img.SetColorIndex(x, y, 1)
			}
		}
	}
	at := image.Pt((w-iw)/4*2, (h-ih-int(float64(h)*subtitleFoot))/2*2)
	return img, at, nil
}

// likeness is how much of a pixel is the words' colour, against black.
func likeness(p []byte, c raster.RGB) float64 {
	most := max(c.R, c.G, c.B, 1)
	v := p[0]
	if c.G == most {
		v = p[1]
	} else if c.B == most {
		v = p[2]
	}
	return math.Min(1, float64(v)/float64(most))
}

func clock(rate timecode.Rate, n timecode.Frames) string {
	cs := int64(math.Round(rate.Seconds(n) * 100))
	return fmt.Sprintf("%02d:%02d:%02d.%02d", cs/360000, cs/6000%60, cs/100%60, cs%100)
}

// apart leaves two frames between subtitles that follow each other at once,
// since decoders need time to set the next.
const apart = 2

// subtitled lays a film's captions over it as subtitles, into another file.
func (s *Spec) subtitled(ctx context.Context, t Title, dir, name string) (string, error) {
	w, h := s.Profile.Stored.W, s.Profile.Stored.H
	shown := float64(s.Profile.Stored.Shown.W) / float64(s.Profile.Stored.Shown.H)
	var script subpictures
	for i, l := range t.Lines {
		img, at, err := Words(l.Text, s.Subtitles.Colour, w, h, shown)
		if err != nil {
			return "", fmt.Errorf("the subtitle %q: %w", l.Text, err)
		}
		path := filepath.Join(dir, fmt.Sprintf("%s-%04d.png", name, i))
		if err := writePNG(path, img); err != nil {
			return "", err
		}
		script.SPU = append(script.SPU, spu{
			Start: clock(t.Rate, l.From),
			End:   clock(t.Rate, ends(t.Lines, i)),
			Image: path,
			X:     &at.X,
			Y:     &at.Y,
		})
	}
	out := filepath.Join(dir, name+".mpg")
	return out, s.spumux(ctx, script, dir, name, t.File, out)
}

// ends is when a subtitle goes, before the next comes.
func ends(all []plan.Cue, i int) timecode.Frames {
	to := all[i].To
	if i+1 < len(all) && all[i+1].From < to+apart {
		to = max(all[i].From+1, all[i+1].From-apart)
	}
	return to
}

package paper

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/raster"
)

// printed is a page of a PDF as poppler's pdftoppm (Debian's poppler-utils)
// draws it, at 72 dots an inch, and a look at a point in millimetres.
func printed(t *testing.T, write func(io.Writer) error) func(x, y float64) color.NRGBA {
	var b bytes.Buffer
	require.NoError(t, write(&b))
	path := filepath.Join(t.TempDir(), "p.pdf")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	out, err := exec.Command("pdftoppm", "-r", "72", "-jpeg", "-singlefile", path, path).CombinedOutput()
	require.NoError(t, err, string(out))
	f, err := os.Open(path + ".jpg")
	require.NoError(t, err)
	defer f.Close()
	img, err := jpeg.Decode(f)
	require.NoError(t, err)
	return func(x, y float64) color.NRGBA {
		return color.NRGBAModel.Convert(img.At(int(x/inch*72), int(y/inch*72))).(color.NRGBA)
	}
}

func near(t *testing.T, want, got color.NRGBA, where string) {
	t.Helper()
	for _, d := range [][2]uint8{{want.R, got.R}, {want.G, got.G}, {want.B, got.B}} {
		assert.InDelta(t, d[0], d[1], 24, "%s: %v, not %v", where, got, want)
	}
}

var (
	white = color.NRGBA{255, 255, 255, 255}
	paper = color.NRGBA{30, 60, 90, 255}
)

func sample(t *testing.T) Disc {
	img := image.NewRGBA(image.Rect(0, 0, 160, 90))
	for i := range 160 * 90 {
		img.Set(i%160, i/160, color.RGBA{200, 40, 40, 255})
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	return Disc{
		Look: Look{
			Paper: raster.RGB{R: 30, G: 60, B: 90},
			Ink:   raster.RGB{R: 255, G: 255, B: 255},
			Face:  "Noto Sans",
		},
		Title:  "The Gannets",
		Line:   "Regatta",
		Poster: b.Bytes(),
		Films:  []Film{{"The Gannets", "1:02.0"}, {"海の旅", "2:00.0"}},
		Kind:   "DVD-Video",
		Studio: Studio{Name: "Osprey Quay"},
	}
}

// A face has the poster above its hole and the theme's paper below it, and
// nothing where a printer must not print: the hub's ring and outside the disc.
func TestDiscFaces(t *testing.T) {
	d := sample(t)
	assert.Error(t, Faces(io.Discard, nil))
	at := printed(t, func(w io.Writer) error { return Faces(w, []Disc{d, d, d}) })
	red := color.NRGBA{200, 40, 40, 255}
	for i, cy := range []float64{pageH / 4, 3 * pageH / 4} {
		cx := pageW / 2
		near(t, white, at(cx+4, cy+5), "hole")
		near(t, white, at(cx+printInner/2-1, cy+1), "ring of the hub")
		near(t, red, at(cx, cy-35), "poster")
		near(t, paper, at(cx-50, cy+12), "paper")
		near(t, white, at(cx-58, cy-40), "corner outside the disc")
		_ = i
	}
}

// A poster has words: it is printed whole, to all four corners, whatever its shape.
func TestPostersAreWhole(t *testing.T) {
	for _, size := range [][2]int{{160, 90}, {90, 160}, {120, 120}, {160, 67}} {
		w, h := size[0], size[1]
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		for i := range w * h {
			x, y := i%w, i/w
			c := color.RGBA{200, 40, 40, 255}
			if (x < w/8 || x >= w-w/8) && (y < h/8 || y >= h-h/8) {
				c = color.RGBA{40, 180, 40, 255}
			}
			img.Set(x, y, c)
		}
		var b bytes.Buffer
		require.NoError(t, jpeg.Encode(&b, img, &jpeg.Options{Quality: 95}))
		d := sample(t)
		d.Poster = b.Bytes()
		corners := func(at func(x, y float64) color.NRGBA, left, top, right, bottom float64) (n int) {
			seen := map[[2]bool]bool{}
			for y := top; y < bottom; y += 0.4 {
				for x := left; x < right; x += 0.4 {
					if c := at(x, y); c.G > 140 && c.R < 90 && c.B < 90 {
						seen[[2]bool{x < (left+right)/2, y < top+(bottom-top)/2}] = true
					}
				}
			}
			return len(seen)
		}
		at := printed(t, func(w io.Writer) error { return Faces(w, []Disc{d}) })
		cx, cy := pageW/2, pageH/4
		pw, ph := aboveHole(float64(w) / float64(h))
		foot := cy - printInner/2 - 3
		assert.Equal(t, 4, corners(at, cx-pw/2, foot-ph, cx+pw/2, foot), "face, %v", size)
		at = printed(t, func(w io.Writer) error { return Sleeve(w, d) })
		half := (sleeveW - spine) / 2
		front, top := (pageH-sleeveW)/2+half+spine, (pageW-sleeveH)/2
		assert.Equal(t, 4, corners(at, front, top, front+half, top+min(half*float64(h)/float64(w),
			sleeveH*0.56)), "sleeve, %v", size)
	}
}

func TestSleeve(t *testing.T) {
	d := sample(t)
	for range 40 {
		d.Films = append(d.Films, Film{"One more", "0:10.0"})
	}
	at := printed(t, func(w io.Writer) error { return Sleeve(w, d) })
	left, top := (pageH-sleeveW)/2, (pageW-sleeveH)/2
	near(t, color.NRGBA{200, 40, 40, 255}, at(left+sleeveW-20, top+20), "poster on the front")
	near(t, paper, at(left+3, top+3), "back")
	near(t, white, at(left-8, top-1), "margin")
	inked := 0
	for y := top + 10; y < top+sleeveH-10; y += 0.35 {
		if at(left+(sleeveW-spine)/2+spine/2, y).R > 150 {
			inked++
		}
	}
	assert.Greater(t, inked, 5, "the title stands on the spine")
	d.Poster = []byte("x")
	assert.Error(t, Sleeve(io.Discard, d))
}

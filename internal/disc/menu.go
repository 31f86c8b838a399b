package disc

import (
	"context"
	"encoding/xml"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"

	"nelko/internal/core/doc"
	"nelko/internal/core/framing"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/media/pango"
	"nelko/internal/media/vips"
	"nelko/internal/render"
)

const perPage = scene.MenuItems

// page is a page of the menu: its buttons in the order of the navigation, in
// pixels of the frame as it is stored, and what each does.
type page struct {
	file    string
	seconds float64
	buttons []button
}

type button struct {
	image.Rectangle
	does string // commands of dvdauthor
}

// words of the ways between pages.
const (
	earlierWords = "‹ Back"
	allWords     = "Play all"
	laterWords   = "More ›"
)

// library is the posters as media of a scene.
func (s *Spec) library() (doc.Library, media.FilesIn, error) {
	lib, files := doc.Library{}, media.FilesIn{}
	for _, t := range s.Titles {
		id, err := media.ContentOf(t.Poster)
		if err != nil {
			return nil, nil, fmt.Errorf("the poster of %s: %w", t.Name, err)
		}
		h, err := vips.ReadHeader(t.Poster)
		if err != nil {
			return nil, nil, fmt.Errorf("the poster of %s: %w", t.Name, err)
		}
		lib[id] = doc.Media{ID: id, Kind: doc.PhotoMedia, Name: t.Name, W: h.Width, H: h.Height}
		files[id] = t.Poster
	}
	return lib, files, nil
}

// menuScenes lays out the pages of the menu.
func (s *Spec) menuScenes(lib doc.Library) (scenes []*scene.Scene, buttons [][]framing.Rect, err error) {
	if err := media.InstallFonts(s.Shelf, s.Theme.FontsContent); err != nil {
		return nil, nil, err
	}
	d := s.menuDoc()
	n := d.Rate.Frames(menuSeconds)
	if !s.Menu.Moves && s.Menu.Music == "" {
		n = d.Rate.Frames(1)
	}
	all := s.pages()
	for i, films := range all {
		p := scene.MenuPage{Title: s.Name, Moves: s.Menu.Moves}
		for _, f := range films {
			id, err := media.ContentOf(s.Titles[f].Poster)
			if err != nil {
				return nil, nil, err
			}
			p.Items = append(p.Items, scene.MenuItem{Poster: id, Title: s.Titles[f].Name})
		}
		if i > 0 {
			p.Earlier = earlierWords
		}
		if i == 0 && len(s.Titles) > 1 {
			p.All = allWords
		}
		if i+1 < len(all) {
			p.Later = laterWords
		}
		sc, bs := scene.Menu(p, d, s.Theme, lib, pango.Words, n)
		scenes, buttons = append(scenes, sc), append(buttons, bs)
	}
	return scenes, buttons, nil
}

// menus renders the pages of the menu, with their buttons.
func (s *Spec) menus(ctx context.Context, dir string) ([]page, error) {
	lib, files, err := s.library()
	if err != nil {
		return nil, err
	}
	scenes, rects, err := s.menuScenes(lib)
	if err != nil {
		return nil, err
	}
	pool := media.NewSprites(files, s.Shelf, nil, media.DefaultBudget)
	all := s.pages()
	var out []page
	for i, sc := range scenes {
		p := page{
			file:    filepath.Join(dir, fmt.Sprintf("menu%d.mpg", i+1)),
			seconds: sc.Rate.Seconds(sc.Frames),
		}
		for k, r := range rects[i] {
			p.buttons = append(p.buttons, button{s.stored(r, sc), s.does(all, i, k)})
		}
		plain := filepath.Join(dir, fmt.Sprintf("plain%d.mpg", i+1))
		lane := func(ctx context.Context) render.Lane { return pool.Lane(ctx, lib, false) }
		if err := s.page(ctx, sc, lane, dir, plain); err != nil {
			return nil, err
		}
		if err := s.highlight(ctx, p, dir, plain); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

// does are the commands of button k of page i. Register g0 says that all films
// are played one after another.
func (s *Spec) does(all [][]int, i, k int) string {
	if k < len(all[i]) {
		return fmt.Sprintf("g0=0; jump title %d;", all[i][k]+1)
	}
	var ways []string
	if i > 0 {
		ways = append(ways, fmt.Sprintf("jump menu %d;", i))
	}
	if i == 0 && len(s.Titles) > 1 {
		ways = append(ways, "g0=1; jump title 1;")
	}
	if i+1 < len(all) {
		ways = append(ways, fmt.Sprintf("jump menu %d;", i+2))
	}
	return ways[k-len(all[i])]
}

// stored brings a rectangle of a drawn frame into the pixels it is kept in, at
// even lines, as the format wants them.
func (s *Spec) stored(r framing.Rect, sc *scene.Scene) image.Rectangle {
	w, h, _ := s.Profile.Kept(sc.W, sc.H)
	kx, ky := float64(w)/float64(sc.W), float64(h)/float64(sc.H)
	even := func(v float64, most int) int { return max(0, min(int(math.Round(v/2))*2, most)) }
	return image.Rect(even(r.X*kx, w-2), even(r.Y*ky, h-2), even((r.X+r.W)*kx, w-2), even((r.Y+r.H)*ky, h-2))
}

// page encodes a page's picture and its music, which fades out before it goes
// round.
func (s *Spec) page(ctx context.Context, sc *scene.Scene, lane func(context.Context) render.Lane, dir,
	out string) error {
	p := s.Profile
	p.Video.Passes, p.Video.Kbps = 1, menuKbps
	w, h, _ := p.Kept(sc.W, sc.H)
	f := &film.Film{
		Scene:   sc,
		Profile: p,
		Kept:    film.Kept{W: w, H: h, Scaled: true, Shown: p.Stored.Shown, Matrix: raster.MatrixFor(w, h)},
	}
	picture := filepath.Join(dir, "menu.nut")
	j := render.Job{Film: f, Lanes: lane}
	if err := j.Picture(ctx, picture, "-f", "nut"); err != nil {
		return fmt.Errorf("the menu: %w", err)
	}
	seconds := sc.Rate.Seconds(sc.Frames)
	args := []string{"-v", "error", "-nostdin", "-y", "-i", picture}
	if s.Menu.Music != "" {
		args = append(args, "-i", s.Menu.Music, "-af",
			fmt.Sprintf("apad,atrim=0:%.3f,afade=in:d=0.5,afade=out:st=%.3f:d=2", seconds, max(0, seconds-2)))
	} else {
		args = append(args, "-f", "lavfi", "-i", "anullsrc=r=48000:cl=stereo")
	}
	args = append(args, "-map", "0:v", "-map", "1:a", "-c:v", "copy", "-c:a", "ac3", "-b:a", "192k", "-ar",
		"48000", "-ac", "2", "-t", fmt.Sprintf("%.3f", seconds), "-f", "dvd", out)
	return run(ctx, "", nil, nil, "ffmpeg", args...)
}

// thick is the width of the line around a button, in pixels.
const thick = 6

// outlines draws the lines around all buttons in one colour. The picture has
// two colours, nothing and the line's; spumux takes no more than four.
func outlines(w, h int, buttons []button, c raster.RGB) *image.Paletted {
	img := image.NewPaletted(image.Rect(0, 0, w, h), color.Palette{color.RGBA{},
		color.RGBA{c.R, c.G, c.B, 255}})
	for _, b := range buttons {
		for y := b.Min.Y; y < b.Max.Y; y++ {
			for x := b.Min.X; x < b.Max.X; x++ {
				if x-b.Min.X < thick || b.Max.X-1-x < thick || y-b.Min.Y < thick || b.Max.Y-1-y < thick {
					img.SetColorIndex(x, y, 1)
				}
			}
		}
	}
	return img
}

func writePNG(path string, img image.Image) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := png.Encode(f, img); err != nil {
		f.Close()
		return err
	}
	return f.Close()
}

// lineColour is the colour of the theme's titles, which stands out from its
// backdrop.
func (s *Spec) lineColour() raster.RGB {
	if y, ok := s.Theme.TitleType("main"); ok {
		return y.Colour
	}
	return raster.RGB{R: 255, G: 255, B: 255}
}

// The spumux script, as far as it is used here.
type subpictures struct {
	XMLName xml.Name `xml:"subpictures"`
	Format  string   `xml:"format,attr,omitempty"`
	SPU     []spu    `xml:"stream>spu"`
}

type spu struct {
	Start     string      `xml:"start,attr"`
	End       string      `xml:"end,attr,omitempty"`
	Force     string      `xml:"force,attr,omitempty"`
	Image     string      `xml:"image,attr,omitempty"`
	Highlight string      `xml:"highlight,attr,omitempty"`
	Select    string      `xml:"select,attr,omitempty"`
	X         *int        `xml:"xoffset,attr"`
	Y         *int        `xml:"yoffset,attr"`
	Buttons   []spuButton `xml:"button"`
}

type spuButton struct {
	Name  string `xml:"name,attr"`
	X0    int    `xml:"x0,attr"`
	Y0    int    `xml:"y0,attr"`
	X1    int    `xml:"x1,attr"`
	Y1    int    `xml:"y1,attr"`
	Up    string `xml:"up,attr"`
	Down  string `xml:"down,attr"`
	Left  string `xml:"left,attr"`
	Right string `xml:"right,attr"`
}

// spumux lays subpictures over a program stream.
func (s *Spec) spumux(ctx context.Context, script subpictures, dir, name, in, out string) error {
	script.Format = s.standard()
	b, err := xml.MarshalIndent(script, "", " ")
	if err != nil {
		return err
	}
	path := filepath.Join(dir, name+".xml")
	if err := os.WriteFile(path, b, 0o600); err != nil {
		return err
	}
	r, err := os.Open(in)
	if err != nil {
		return err
	}
	defer r.Close()
	w, err := os.Create(out)
	if err != nil {
		return err
	}
	if err := run(ctx, dir, r, w, "spumux", "-m", "dvd", "-s", "0", path); err != nil {
		w.Close()
		return err
	}
	return w.Close()
}

// standard is the television standard as the tools name it.
func (s *Spec) standard() string {
	if s.Profile.Rate == timecode.R25 {
		return "PAL"
	}
	return "NTSC"
}

// highlight lays a page's buttons over it.
func (s *Spec) highlight(ctx context.Context, p page, dir, in string) error {
	w, h := s.Profile.Stored.W, s.Profile.Stored.H
	c := s.lineColour()
	chosen, pressed := filepath.Join(dir, "chosen.png"), filepath.Join(dir, "pressed.png")
	if err := writePNG(chosen, outlines(w, h, p.buttons, c)); err != nil {
		return err
	}
	if err := writePNG(pressed, outlines(w, h, p.buttons, raster.RGB{
		R: 255 - c.R,
		G: 255 - c.G,
		B: 255 - c.B,
	})); err != nil {
		return err
	}
	one := spu{Start: "00:00:00.00", Force: "yes", Highlight: chosen, Select: pressed}
	for i, b := range p.buttons {
		ways := neighbours(p.buttons, i)
		one.Buttons = append(one.Buttons, spuButton{
			Name:  name(i),
			X0:    b.Min.X,
			Y0:    b.Min.Y,
			X1:    b.Max.X,
			Y1:    b.Max.Y,
			Up:    name(ways[0]),
			Down:  name(ways[1]),
			Left:  name(ways[2]),
			Right: name(ways[3]),
		})
	}
	return s.spumux(ctx, subpictures{SPU: []spu{one}}, dir, "buttons", in, p.file)
}

func name(i int) string { return fmt.Sprintf("b%d", i+1) }

// neighbours are the buttons reached from one by the keys up, down, left and
// right: the nearest in that direction, or itself.
func neighbours(all []button, i int) [4]int {
	out := [4]int{i, i, i, i}
	best := [4]float64{math.Inf(1), math.Inf(1), math.Inf(1), math.Inf(1)}
	cx := func(b button) float64 { return float64(b.Min.X+b.Max.X) / 2 }
	cy := func(b button) float64 { return float64(b.Min.Y+b.Max.Y) / 2 }
	for k, b := range all {
		dx, dy := cx(b)-cx(all[i]), cy(b)-cy(all[i])
		for way, along := range [4]float64{-dy, dy, -dx, dx} {
			across := math.Abs(dx)
			if way >= 2 {
				across = math.Abs(dy)
			}
			if along < 8 || k == i {
				continue
			}
			if cost := along + 2*across; cost < best[way] {
				best[way], out[way] = cost, k
			}
		}
	}
	return out
}

package paper

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"

	"github.com/go-pdf/fpdf"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/wording"
)

// Look is how paper around a disc looks: as the theme of its first film.
type Look struct {
	Paper, Ink raster.RGB
	Face       string // a family known to Pango…
	Fonts      string // …or among the fonts of a theme, by their content
}

// Film is a film listed on a disc's paper.
type Film struct {
	Title, Length string
}

// Disc is what is printed of a disc.
type Disc struct {
	Look
	Title  string // the disc's name
	Line   string // event and date
	Poster []byte // JPEG
	Films  []Film
	Kind   string // what player it is for
	Studio Studio
}

// Measures of a disc (ECMA-267: 120 mm across with a hole of 15 mm); printers
// print from 22 mm to 118 mm (common practice, no source).
const (
	discAcross  = 120.0
	printOuter  = 118.0
	printInner  = 22.0
	holeAcross  = 15.0
	facesOnPage = 2
)

// Faces writes discs' faces, two on a page of A4, with their holes and marks.
func Faces(w io.Writer, discs []Disc) error {
	if len(discs) == 0 {
		return errors.New("there is no disc to print on")
	}
	p := newPage("Disc faces")
	for i, d := range discs {
		if i%facesOnPage == 0 {
			p.AddPage()
		}
		cx, cy := pageW/2, pageH/4+float64(i%facesOnPage)*pageH/2
		if err := p.face(cx, cy, d); err != nil {
			return fmt.Errorf("the face of %q: %w", d.Title, err)
		}
	}
	return p.Output(w)
}

// face prints a disc's face around a point.
func (p *page) face(cx, cy float64, d Disc) error {
	const r = printOuter / 2
	p.SetFillColor(int(d.Paper.R), int(d.Paper.G), int(d.Paper.B))
	p.ClipCircle(cx, cy, r, false)
	p.Rect(cx-r, cy-r, 2*r, 2*r, "F")
	p.ClipEnd()
	// The poster stands above the hole, as large as it is whole: it has words.
	ratio, err := shapeOf(d.Poster)
	if err != nil {
		return err
	}
	w, h := aboveHole(ratio)
	if err := p.whole(d.Poster, cx-w/2, cy-printInner/2-3-h, w, h); err != nil {
		return err
	}
	// Words stand where the circle is wide enough for them.
	y := cy + printInner/2 + 3
	for _, l := range []struct {
		text         string
		points, most float64
	}{{d.Title, 17, 12}, {d.Line, 10, 7}, {filmsInWords(d.Films), 8, 10}} {
		half := math.Sqrt(max(0, r*r-(y+l.most-cy)*(y+l.most-cy))) - 4
		h, err := p.set(l.text, d.Look, l.points, cx-half, y, 2*half, l.most, "centre")
		if err != nil {
			return err
		}
		y += h + 2
	}
	if _, err := p.set(joined(d.Studio.Name, d.Kind), d.Look, 6.5, cx-24, cy+r-8, 48, 5,
		"centre"); err != nil {
		return err
	}
	// What is not printed on: the ring of the hub, and the hole in it.
	p.SetFillColor(255, 255, 255)
	p.Circle(cx, cy, printInner/2, "F")
	p.SetDrawColor(150, 150, 150)
	p.SetLineWidth(0.1)
	p.Circle(cx, cy, holeAcross/2, "D")
	p.Circle(cx, cy, discAcross/2, "D")
	// Marks at the middle of each edge, and a cross in the middle of the hole.
	p.SetDrawColor(0, 0, 0)
	for _, m := range [][4]float64{{-1, 0, 1, 0}, {1, 0, 1, 0}, {0, -1, 0, 1}, {0, 1, 0, 1}} {
		x, y := cx+m[0]*(discAcross/2+2), cy+m[1]*(discAcross/2+2)
		p.Line(x, y, x+m[0]*4, y+m[1]*4)
	}
	p.Line(cx-2, cy, cx+2, cy)
	p.Line(cx, cy-2, cx, cy+2)
	return nil
}

// aboveHole is the largest picture of a shape, as width by height, that has room between the
// hub and the edge of a face.
func aboveHole(ratio float64) (w, h float64) {
	const r, foot = printOuter/2 - 2, printInner/2 + 3
	// (ratio·h/2)² + (foot+h)² = r²
	a, b, c := ratio*ratio/4+1, 2*foot, foot*foot-r*r
	h = (math.Sqrt(b*b-4*a*c) - b) / (2 * a)
	return ratio * h, h
}

// filmsInWords lists a few films on a line, or says how many there are.
func filmsInWords(films []Film) string {
	if len(films) == 1 {
		return films[0].Length
	}
	if len(films) > 4 {
		return fmt.Sprintf("%d films", len(films))
	}
	titles := make([]string, len(films))
	for i, f := range films {
		titles[i] = f.Title
	}
	return wording.Beside(titles...)
}

// Measures of the paper in a case of a DVD's height: 273 mm by 183 mm with a
// spine of 14 mm (common practice, no source).
const (
	sleeveW, sleeveH = 273.0, 183.0
	spine            = 14.0
)

// mostListed is how many films a sleeve lists.
const mostListed = 24

// Sleeve writes the paper of a disc's case on a page of A4 on its side: back,
// spine and front, with marks where it is cut and folded.
func Sleeve(w io.Writer, d Disc) error {
	p := newPage("Sleeve")
	p.AddPageFormat("L", fpdf.SizeType{Wd: pageW, Ht: pageH})
	const left, top = (pageH - sleeveW) / 2, (pageW - sleeveH) / 2
	const half = (sleeveW - spine) / 2
	front := left + half + spine
	p.SetFillColor(int(d.Paper.R), int(d.Paper.G), int(d.Paper.B))
	p.Rect(left, top, sleeveW, sleeveH, "F")
	ratio, err := shapeOf(d.Poster)
	if err != nil {
		return err
	}
	poster := min(half/ratio, sleeveH*0.56)
	if err := p.whole(d.Poster, front, top, half, poster); err != nil {
		return err
	}
	y := top + poster + 10
	for _, l := range []struct {
		text         string
		points, most float64
	}{{d.Title, 26, 26}, {d.Line, 13, 14}} {
		h, err := p.set(l.text, d.Look, l.points, front+9, y, half-18, l.most, "centre")
		if err != nil {
			return err
		}
		y += h + 4
	}
	if _, err := p.set(d.Kind, d.Look, 8, front+9, top+sleeveH-9, half-18, 5, "centre"); err != nil {
		return err
	}
	if err := p.back(left, top, half, d); err != nil {
		return err
	}
	// The spine reads from above, as it stands on a shelf.
	p.TransformBegin()
	p.TransformRotate(-90, left+half+spine/2, top+10)
	_, err = p.set(d.Title, d.Look, 13, left+half+spine/2, top+10-3, sleeveH-20, 7, "left")
	p.TransformEnd()
	if err != nil {
		return err
	}
	p.marks(left, top, []float64{0, half, half + spine, sleeveW}, []float64{0, sleeveH})
	return p.Output(w)
}

// back prints the list of films and the studio.
func (p *page) back(left, top, width float64, d Disc) error {
	y := top + 16
	h, err := p.set(d.Title, d.Look, 15, left+12, y, width-24, 12, "left")
	if err != nil {
		return err
	}
	y += h + 6
	films := d.Films
	if len(films) > mostListed {
		films = films[:mostListed]
	}
	step := min(8, (sleeveH-70)/float64(max(1, len(films))))
	for _, f := range films {
		if _, err := p.set(f.Title, d.Look, min(11, step*1.4), left+12, y, width-46, step-1,
			"left"); err != nil {
			return err
		}
		if _, err := p.set(f.Length, d.Look, min(11, step*1.4), left+width-32, y, 20, step-1,
			"right"); err != nil {
			return err
		}
		y += step
	}
	if more := len(d.Films) - len(films); more > 0 {
		if _, err := p.set(fmt.Sprintf("and %d more", more), d.Look, 9, left+12, y, width-24, 5,
			"left"); err != nil {
			return err
		}
	}
	if d.Studio.Mark != nil {
		p.mark(d.Studio.Mark, left+12, top+sleeveH-32, 40, 14)
	}
	_, err = p.set(d.Studio.Name, d.Look, 9, left+12, top+sleeveH-14, width-24, 5, "left")
	return err
}

// marks are short lines outside a sheet, where it is cut or folded.
func (p *page) marks(left, top float64, xs, ys []float64) {
	const from, to = 2.0, 7.0
	p.SetDrawColor(0, 0, 0)
	p.SetLineWidth(0.1)
	w, h := xs[len(xs)-1], ys[len(ys)-1]
	for _, x := range xs {
		p.Line(left+x, top-to, left+x, top-from)
		p.Line(left+x, top+h+from, left+x, top+h+to)
	}
	for _, y := range ys {
		p.Line(left-to, top+y, left-from, top+y)
		p.Line(left+w+from, top+y, left+w+to, top+y)
	}
}

// shapeOf is a JPEG's width by its height.
func shapeOf(jpg []byte) (float64, error) {
	conf, _, err := image.DecodeConfig(bytes.NewReader(jpg))
	if err != nil {
		return 0, fmt.Errorf("the poster: %w", err)
	}
	return float64(conf.Width) / float64(conf.Height), nil
}

// set is words in a look's type and ink, over whatever is there.
func (p *page) set(text string, look Look, points, x, y, width, most float64, align string) (float64, error) {
	return p.typed(scene.Type{
		Words:  text,
		Face:   look.Face,
		Fonts:  look.Fonts,
		Align:  align,
		Colour: look.Ink,
	}, points, x, y, width, most, inked)
}

// inked keeps words in their colour, with what is around them clear.
func inked(px raster.Pixels) ([]byte, error) {
	img := image.NewNRGBA(image.Rect(0, 0, px.W, px.H))
	for i := range px.W * px.H {
		s := px.Pix[4*i : 4*i+4]
		a := uint32(s[3])
		if a == 0 {
			continue
		}
		img.SetNRGBA(i%px.W, i/px.W, color.NRGBA{uint8(min(255, uint32(s[0])*255/a)),
			uint8(min(255, uint32(s[1])*255/a)), uint8(min(255, uint32(s[2])*255/a)), s[3]})
	}
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}

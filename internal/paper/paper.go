// Package paper makes PDFs to print: cards with links to hand out, and sheets
// of pictures to proofread. Names are set by Pango, as in the films, so that
// any script comes out right, and stand in the PDF as pictures of 300 dots an
// inch; measures are in millimetres.
package paper

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"

	"github.com/go-pdf/fpdf"
	"github.com/skip2/go-qrcode"

	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/wording"
	"nelko/internal/media/pango"
)

// A4, in millimetres (ISO 216).
const (
	pageW = 210.0
	pageH = 297.0
)

// dots an inch of words and codes.
const dots = 300

const inch = 25.4

// codePixels is the side of a code at 300 dots an inch.
const codePixels = 354

// Card is a card to hand out.
type Card struct {
	Title, Line string // names, and what the film is
	Address     string // of the film; the code's content
	Foot        string // such as how long the link is open
}

// Studio is what a card carries of the studio.
type Studio struct {
	Name string
	Mark []byte // JPEG or PNG; nil: none
}

// Cards of 85 mm by 55 mm (ISO 7810 ID-1 is 85.60 mm by 53.98 mm; business
// cards are commonly 85 by 55), two by five on a page of A4.
const (
	cardW, cardH = 85.0, 55.0
	cardsAcross  = 2
	cardsDown    = 5
)

// CardsOnPage is how many cards a page holds.
const CardsOnPage = cardsAcross * cardsDown

// Cards writes cards with cut marks.
func Cards(w io.Writer, studio Studio, cards []Card) error {
	if len(cards) == 0 {
		return errors.New("there are no cards to print")
	}
	p := newPage("Cards")
	left, top := (pageW-cardsAcross*cardW)/2, (pageH-cardsDown*cardH)/2
	for i, c := range cards {
		at := i % CardsOnPage
		if at == 0 {
			p.AddPage()
			p.cutMarks(left, top)
		}
		if err := p.card(left+float64(at%cardsAcross)*cardW, top+float64(at/cardsAcross)*cardH, studio,
			c); err != nil {
			return fmt.Errorf("the card of %q: %w", c.Title, err)
		}
	}
	return p.Output(w)
}

// page is a PDF with pictures in it.
type page struct {
	*fpdf.Fpdf
	pictures int
	reads    bool // the unseen face is there
}

func newPage(title string) *page {
	p := &page{Fpdf: fpdf.New("P", "mm", "A4", "")}
	p.SetTitle(title, true)
	p.SetCreator("Nelko", true)
	p.SetMargins(0, 0, 0)
	p.SetAutoPageBreak(false, 0)
	return p
}

// cutMarks are short lines outside the cards, at each of their edges.
func (p *page) cutMarks(left, top float64) {
	var xs, ys []float64
	for i := range cardsAcross + 1 {
		xs = append(xs, float64(i)*cardW)
	}
	for i := range cardsDown + 1 {
		ys = append(ys, float64(i)*cardH)
	}
	p.marks(left, top, xs, ys)
}

// The code is wide enough to be read from a hand's distance: 28 mm, with the
// four modules of white around it that ISO/IEC 18004 asks for.
const codeSide = 30.0

func (p *page) card(x, y float64, studio Studio, c Card) error {
	const pad = 6.0
	code, err := qrcode.New(c.Address, qrcode.Medium)
	if err != nil {
		return fmt.Errorf("its address as a code: %w", err)
	}
	b, err := code.PNG(codePixels)
	if err != nil {
		return err
	}
	p.put(b, "PNG", x+cardW-codeSide-3, y+(cardH-codeSide)/2, codeSide, codeSide)
	width := cardW - codeSide - pad - 5
	at := y + pad
	for _, l := range []struct {
		text string
		size float64
		most float64 // height in millimetres
	}{{c.Title, 13, 16}, {c.Line, 8.5, 10}} {
		h, err := p.words(l.text, l.size, x+pad, at, width, l.most)
		if err != nil {
			return err
		}
		at += h + 1.5
	}
	if studio.Mark != nil {
		p.mark(studio.Mark, x+pad, y+cardH-pad-12, width*0.6, 7)
	}
	_, err = p.words(joined(studio.Name, c.Foot), 6.5, x+pad, y+cardH-pad-4, width, 6)
	return err
}

func joined(a, b string) string { return wording.Beside(a, b) }

func (p *page) put(b []byte, kind string, x, y, w, h float64) {
	p.pictures++
	name := fmt.Sprint("picture", p.pictures)
	p.RegisterImageOptionsReader(name, fpdf.ImageOptions{ImageType: kind}, bytes.NewReader(b))
	p.ImageOptions(name, x, y, w, h, false, fpdf.ImageOptions{ImageType: kind}, 0, "")
}

// mark puts a picture of unknown size into a box, as large as it fits. One that
// cannot be read is left out: the cards are good without.
func (p *page) mark(b []byte, x, y, w, h float64) {
	conf, kind, err := image.DecodeConfig(bytes.NewReader(b))
	if err != nil || conf.Width < 1 || conf.Height < 1 {
		return
	}
	scale := min(w/float64(conf.Width), h/float64(conf.Height))
	p.put(b, map[string]string{
		"jpeg": "JPEG",
		"png":  "PNG",
	}[kind], x, y, float64(conf.Width)*scale, float64(conf.Height)*scale)
}

// words sets a text of a size in points into a width, in smaller type where it
// would be higher than most, and gives the height it took.
func (p *page) words(text string, points, x, y, width, most float64) (float64, error) {
	return p.typed(scene.Type{
		Words: text,
		Face:  "Noto Sans",
		Align: "left",
	}, points, x, y, width, most, onWhite)
}

// typed is words in any type, made a picture by paint, with the words themselves unseen
// over it.
func (p *page) typed(t scene.Type, points, x, y, width, most float64, paint func(raster.Pixels) ([]byte,
	error)) (float64, error) {
	if t.Words == "" {
		return 0, nil
	}
	pixels := func(mm float64) float64 { return mm / inch * dots }
	t.Size, t.Width = points/72*dots, int(pixels(width))
	for {
		set, err := pango.Words.Set(t)
		if err != nil {
			return 0, err
		}
		if (set.H > pixels(most) || set.W > pixels(width)) && t.Size > 12 {
			t.Size *= 0.92
			continue
		}
		pad := t.Pad()
		w, h := int(math.Ceil(set.W))+2*pad, int(math.Ceil(set.H))+2*pad
		px, err := pango.Draw(t, w, h)
		if err != nil {
			return 0, err
		}
		b, err := paint(px)
		if err != nil {
			return 0, err
		}
		off := float64(pad) / dots * inch
		switch free := width - set.W/dots*inch; t.Align {
		case "centre":
			x += free / 2
		case "right":
			x += free
		}
		p.put(b, "PNG", x-off, y-off, float64(w)/dots*inch, float64(h)/dots*inch)
		p.readable(t.Words, t.Size/dots*72, x, y, set.W/dots*inch, set.H/dots*inch)
		return set.H / dots * inch, nil
	}
}

// onWhite writes dark words on white as a grey picture.
func onWhite(px raster.Pixels) ([]byte, error) {
	img := image.NewGray(image.Rect(0, 0, px.W, px.H))
	for i := range img.Pix {
		img.Pix[i] = 255 - px.Pix[4*i+3]
	}
	var b bytes.Buffer
	err := png.Encode(&b, img)
	return b.Bytes(), err
}

// Proof is a moment of a film to proofread.
type Proof struct {
	Key, Name string
	JPEG      []byte
	Note      string // what is missing in it
}

// Proofs writes a sheet of moments, as many beside one another as asked.
func Proofs(w io.Writer, title string, across int, proofs []Proof) error {
	if len(proofs) == 0 {
		return errors.New("there is nothing to proofread")
	}
	p := newPage(title)
	const margin, gap, foot = 12.0, 5.0, 8.0
	wide := (pageW - 2*margin - float64(across-1)*gap) / float64(across)
	var y, row float64
	for i, x := range proofs {
		conf, _, err := image.DecodeConfig(bytes.NewReader(x.JPEG))
		if err != nil {
			return fmt.Errorf("the picture of %s: %w", x.Name, err)
		}
		h := wide * float64(conf.Height) / float64(conf.Width)
		if i%across == 0 {
			y += row
			row = 0
		}
		if p.PageNo() == 0 || (i%across == 0 && y+h+foot > pageH-margin) {
			p.AddPage()
			y = margin
			head, err := p.words(title, 11, margin, y, pageW-2*margin, 8)
			if err != nil {
				return err
			}
			y += head + 4
		}
		row = max(row, h+foot+gap)
		left := margin + float64(i%across)*(wide+gap)
		p.put(x.JPEG, "JPEG", left, y, wide, h)
		text := x.Key + "  " + x.Name
		if x.Note != "" {
			text += " — " + x.Note
		}
		if _, err := p.words(text, 8, left, y+h+1.5, wide, foot-2); err != nil {
			return err
		}
	}
	return p.Output(w)
}

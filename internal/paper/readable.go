package paper

import (
	"os"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/bidi"
)

// unseen is the face of the words that lie unseen over the pictures of words (Debian's
// fonts-noto-core).
const unseen = "/usr/share/fonts/truetype/noto/NotoSans-Regular.ttf"

// unseenFont reads it once; nil where it is not installed.
var unseenFont = sync.OnceValue(func() []byte {
	b, err := os.ReadFile(unseen)
	if err != nil {
		return nil // pages look the same
	}
	return b
})

// readable puts a text, unseen, over the picture of it in a box, so that it can be
// found, copied and read aloud: pictures of words are set by Pango, which knows how scripts
// are joined and PDF does not.
func (p *page) readable(text string, points, x, y, w, h float64) {
	font := unseenFont()
	if font == nil || w <= 0 || h <= 0 {
		return
	}
	if !p.reads {
		p.AddUTF8FontFromBytes("unseen", "", font)
		p.reads = true
	}
	p.SetFont("unseen", "", points)
	lines := p.broken(plain(text), w)
	if len(lines) == 0 {
		return
	}
	p.SetTextRenderingMode(3) // neither filled nor stroked (ISO 32000-1, 9.3.6)
	each := h / float64(len(lines))
	for i, l := range lines {
		if wide := p.GetStringWidth(l); wide > w {
			p.SetFontSize(points * w / wide)
		}
		p.Text(x, y+(float64(i)+0.8)*each, visual(l))
		p.SetFontSize(points)
	}
}

// plain is a text without what is not seen, and without what a font of a PDF cannot name:
// characters beyond the first plane.
func plain(text string) string {
	return strings.Map(func(r rune) rune {
		if r > 0xFFFF || unicode.Is(unicode.Cf, r) {
			return -1
		}
		return r
	}, text)
}

// broken is a text in lines of at most a width.
func (p *page) broken(text string, width float64) (lines []string) {
	for _, given := range strings.Split(text, "\n") {
		line := ""
		for _, word := range strings.Fields(given) {
			longer := strings.TrimSpace(line + " " + word)
			if line != "" && p.GetStringWidth(longer) > width {
				lines = append(lines, line)
				longer = word
			}
			line = longer
		}
		if line != "" {
			lines = append(lines, line)
		}
	}
	return lines
}

// visual is a line with its runs from the right turned round (Unicode Standard Annex 9), as
// readers of PDFs expect them. Runs keep their order.
func visual(line string) string {
	var para bidi.Paragraph
	if _, err := para.SetString(line); err != nil {
		return line
	}
	o, err := para.Order()
	if err != nil {
		return line
	}
	var b strings.Builder
	for i := range o.NumRuns() {
		r := o.Run(i)
		if r.Direction() == bidi.RightToLeft {
			b.WriteString(bidi.ReverseString(r.String()))
		} else {
			b.WriteString(r.String())
		}
	}
	return b.String()
}

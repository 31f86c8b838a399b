package listfile

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"nelko/internal/core/list"
)

// The names of OpenDocument 1.3, part 3 (OASIS, 2021): tables in 9, paragraphs
// in 5, white space in 6.1.
const (
	odsTable  = "urn:oasis:names:tc:opendocument:xmlns:table:1.0"
	odsText   = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"
	odsOffice = "urn:oasis:names:tc:opendocument:xmlns:office:1.0"
)

func content(b []byte) (io.ReadCloser, error) {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return nil, err
	}
	return z.Open("content.xml")
}

func isODS(b []byte) bool {
	c, err := content(b)
	if err != nil {
		return false
	}
	c.Close()
	return true
}

func readODS(b []byte) (list.Table, error) {
	c, err := content(b)
	if err != nil {
		return list.Table{}, &Broken{Why: "it is damaged: " + err.Error()}
	}
	defer c.Close()
	r := &odsReader{d: xml.NewDecoder(io.LimitReader(c, maxUnpacked))}
	t := list.Table{Format: "ODS"}
	for {
		tok, err := r.d.Token()
		if errors.Is(err, io.EOF) {
			return t, &Broken{Why: "it has no sheet with cells"}
		}
		if err != nil {
			return t, &Broken{Why: "it is damaged: " + err.Error()}
		}
		e, ok := tok.(xml.StartElement)
		if !ok || e.Name.Space != odsTable || e.Name.Local != "table" {
			continue
		}
		if err := r.table(&t); err != nil {
			return t, err
		}
		if len(t.Rows) > 0 {
			t.Sheet = attr(e, odsTable, "name")
			return t, nil
		}
	}
}

type odsReader struct{ d *xml.Decoder }

func attr(e xml.StartElement, space, name string) string {
	for _, a := range e.Attr {
		if a.Name.Space == space && a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func repeated(e xml.StartElement, name string) int {
	n, err := strconv.Atoi(attr(e, odsTable, name))
	if err != nil || n < 1 {
		return 1
	}
	return n
}

// table reads a sheet to its end. Rows and cells that are repeated to fill the
// sheet are left out when they are empty.
func (r *odsReader) table(t *list.Table) error {
	line, depth := 0, 1
	for depth > 0 {
		tok, err := r.d.Token()
		if err != nil {
			return &Broken{Line: line + 1, Column: 1, Why: "it is damaged: " + err.Error()}
		}
		switch e := tok.(type) {
		case xml.EndElement:
			depth--
		case xml.StartElement:
			if e.Name.Space != odsTable || e.Name.Local != "table-row" {
				depth++
				continue
			}
			row, err := r.row(line + 1)
			if err != nil {
				return err
			}
			n := repeated(e, "number-rows-repeated")
			if len(row) == 0 {
				line += n
				continue
			}
			for range min(n, list.MaxRows+1-len(t.Rows)) {
				line++
				t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, line)
			}
		}
	}
	return nil
}

func (r *odsReader) row(line int) (cells []string, err error) {
	empty := 0
	for {
		tok, err := r.d.Token()
		if err != nil {
			return nil, &Broken{
				Line:   line,
				Column: len(cells) + empty + 1,
				Why:    "it is damaged: " + err.Error(),
			}
		}
		switch e := tok.(type) {
		case xml.EndElement:
			return cells, nil
		case xml.StartElement:
			if e.Name.Space != odsTable || (e.Name.Local != "table-cell" &&
				e.Name.Local != "covered-table-cell") {
				if err := r.d.Skip(); err != nil {
					return nil, &Broken{Line: line, Column: len(cells) + 1, Why: err.Error()}
				}
				continue
			}
			text, err := r.cell()
			if err != nil {
				return nil, &Broken{
					Line:   line,
					Column: len(cells) + empty + 1,
					Why:    "it is damaged: " + err.Error(),
				}
			}
			n := repeated(e, "number-columns-repeated")
			if text == "" {
				empty += n
				continue
			}
			if len(cells)+empty+n > list.MaxColumns {
				return nil, &Broken{
					Line:   line,
					Column: list.MaxColumns + 1,
					Why:    fmt.Sprintf("more than %d columns", list.MaxColumns),
				}
			}
			for range empty {
				cells = append(cells, "")
			}
			empty = 0
			for range n {
				cells = append(cells, text)
			}
		}
	}
}

// cell is a cell's text as it is shown: paragraphs are lines. Notes on the
// cell are left out.
func (r *odsReader) cell() (string, error) {
	var b strings.Builder
	paragraphs, depth := 0, 1
	for depth > 0 {
		tok, err := r.d.Token()
		if err != nil {
			return "", err
		}
		switch e := tok.(type) {
		case xml.EndElement:
			depth--
		case xml.CharData:
			if depth > 1 {
				b.Write(e)
			}
		case xml.StartElement:
			depth++
			switch {
			case e.Name.Space == odsOffice && e.Name.Local == "annotation":
				depth--
				if err := r.d.Skip(); err != nil {
					return "", err
				}
			case e.Name.Space != odsText:
			case e.Name.Local == "p":
				if paragraphs++; paragraphs > 1 {
					b.WriteByte('\n')
				}
			case e.Name.Local == "s":
				n, err := strconv.Atoi(attr(e, odsText, "c"))
				if err != nil || n < 1 || n > list.MaxCell {
					n = 1
				}
				b.WriteString(strings.Repeat(" ", n))
			case e.Name.Local == "tab":
				b.WriteByte('\t')
			case e.Name.Local == "line-break":
				b.WriteByte('\n')
			}
		}
	}
	return b.String(), nil
}

// Package listfile reads lists from files: CSV and TSV in the encodings that
// spreadsheets write, XLSX, ODS, and cells that were pasted. What is in a cell
// comes through letter by letter, numbers and dates as they were shown.
package listfile

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"nelko/internal/core/list"
)

// MaxBytes is the largest file that is read.
const MaxBytes = 32 << 20

// maxUnpacked is how large a workbook may become once unpacked.
const maxUnpacked = 256 << 20

// Broken says where a file cannot be read.
type Broken struct {
	Name         string
	Line, Column int // from 1; 0: the whole file
	Why          string
}

func (b *Broken) Error() string {
	name := b.Name
	if name == "" {
		name = "The list"
	}
	if b.Line == 0 {
		return fmt.Sprintf("%s cannot be read: %s.", name, b.Why)
	}
	return fmt.Sprintf("%s cannot be read: row %d, column %d: %s.", name, b.Line, b.Column, b.Why)
}

// Known reports whether a file's name is that of a list. A plain text may be
// anything, and is a list only where someone says so.
func Known(name string) bool {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".csv", ".tsv", ".tab", ".xlsx", ".ods":
		return true
	}
	return false
}

// Trusted is Read in this process, of a list of our own making.
func Trusted(name string, b []byte) (list.Table, error) {
	if len(b) > MaxBytes {
		return list.Table{}, tooLong(name)
	}
	var t list.Table
	var err error
	switch {
	case bytes.HasPrefix(b, []byte("PK\x03\x04")) && isODS(b):
		t, err = readODS(b)
	case bytes.HasPrefix(b, []byte("PK\x03\x04")):
		t, err = readXLSX(b)
	case bytes.HasPrefix(b, []byte("\xd0\xcf\x11\xe0")):
		err = &Broken{Why: "it is a workbook of the old binary kind; save it as XLSX, ODS or CSV"}
	default:
		t, err = readText(b)
	}
	if err == nil {
		err = limit(t)
	}
	t.Name = name
	var broken *Broken
	if errors.As(err, &broken) {
		broken.Name = name
	}
	return t, err
}

func pasted(text string) (list.Table, error) {
	t, err := readText([]byte(text))
	t.Format, t.Encoding = "pasted", ""
	if err == nil {
		err = limit(t)
	}
	return t, err
}

func limit(t list.Table) error {
	filled := 0
	for i, r := range t.Rows {
		if len(r) > list.MaxColumns {
			return &Broken{
				Line:   t.Lines[i],
				Column: list.MaxColumns + 1,
				Why:    fmt.Sprintf("more than %d columns", list.MaxColumns),
			}
		}
		for _, c := range r {
			if strings.TrimSpace(c) != "" {
				filled++
				break
			}
		}
	}
	if filled == 0 {
		return &Broken{Why: "it is empty"}
	}
	if len(t.Rows) > list.MaxRows {
		return &Broken{
			Line:   t.Lines[list.MaxRows],
			Column: 1,
			Why:    fmt.Sprintf("more than %d rows", list.MaxRows),
		}
	}
	return nil
}

// Decode gives a text as UTF-8 and tells what it was encoded in: by its mark,
// or UTF-8 if it is valid as that, or UTF-16 if every other byte of most of it
// is zero, else Windows-1252.
func Decode(b []byte) (text, encoding string, err error) {
	utf16 := func(e unicode.Endianness, name string) (string, string, error) {
		out, err := unicode.UTF16(e, unicode.UseBOM).NewDecoder().Bytes(b)
		if err != nil {
			return "", "", &Broken{Why: "it is not " + name + ", as it seems to be"}
		}
		return string(out), name, nil
	}
	switch {
	case bytes.HasPrefix(b, []byte("\xef\xbb\xbf")):
		if b = b[3:]; !utf8.Valid(b) {
			return "", "", &Broken{Why: "it has the mark of UTF-8 and is not UTF-8"}
		}
		return string(b), "UTF-8 with mark", nil
	case bytes.HasPrefix(b, []byte("\xff\xfe")):
		return utf16(unicode.LittleEndian, "UTF-16")
	case bytes.HasPrefix(b, []byte("\xfe\xff")):
		return utf16(unicode.BigEndian, "UTF-16")
	}
	even, odd := 0, 0
	for i, c := range b[:min(len(b), 4096)] {
		if c == 0 {
			if i%2 == 0 {
				even++
			} else {
				odd++
			}
		}
	}
	switch half := min(len(b), 4096) / 2; {
	case odd > half/2 && even < odd/8:
		return decodeBare(b, unicode.LittleEndian)
	case even > half/2 && odd < even/8:
		return decodeBare(b, unicode.BigEndian)
	case even+odd > 0:
		return "", "", &Broken{Why: "it is no text"}
	case utf8.Valid(b):
		return string(b), "UTF-8", nil
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(b)
	return string(out), "Windows-1252", err
}

func decodeBare(b []byte, e unicode.Endianness) (string, string, error) {
	out, err := unicode.UTF16(e, unicode.IgnoreBOM).NewDecoder().Bytes(b)
	return string(out), "UTF-16", err
}

// separators in their words. Where two part a text equally well the first
// wins.
var separators = []struct {
	rune
	word string
}{{'\t', "tab"}, {';', "semicolon"}, {',', "comma"}, {'|', "bar"}}

func readText(b []byte) (list.Table, error) {
	text, encoding, err := Decode(b)
	if err != nil {
		return list.Table{}, err
	}
	t := list.Table{Format: "CSV", Encoding: encoding}
	sep := separator(text)
	for _, s := range separators {
		if s.rune == sep {
			t.Separator = s.word
		}
	}
	if sep == '\t' {
		t.Format = "TSV"
	}
	// Quotes within cells that do not begin with one are taken as they are, as
	// programs write them that quote nothing.
	var parse *csv.ParseError
	for _, lazy := range []bool{false, true} {
		t.Rows, t.Lines, err = readCSV(text, sep, lazy)
		if !errors.As(err, &parse) || !errors.Is(parse.Err, csv.ErrBareQuote) {
			break
		}
	}
	if errors.As(err, &parse) {
		why := "a quotation mark that was opened is not closed, or text follows one that was"
		return t, &Broken{Line: parse.StartLine, Column: parse.Column, Why: why}
	}
	return t, err
}

func readCSV(text string, sep rune, lazy bool) (rows [][]string, lines []int, err error) {
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = sep, -1, lazy
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, lines, nil
		}
		if err != nil {
			return nil, nil, err
		}
		line, _ := r.FieldPos(0)
		rows, lines = append(rows, row), append(lines, line)
	}
}

// separator is the one that parts the lines most evenly: that with which most
// of the first rows have the same number of cells, more than one.
func separator(text string) rune {
	if len(text) > 1<<16 {
		text = text[:1<<16]
		text = text[:strings.LastIndexByte(text, '\n')+1]
	}
	best, score := ',', 0.0
	for _, s := range separators {
		rows, _, err := readCSV(text, s.rune, false)
		if err != nil {
			if rows, _, err = readCSV(text, s.rune, true); err != nil {
				continue
			}
		}
		count := map[int]int{}
		most := 0
		for _, r := range rows {
			if len(r) > 1 {
				count[len(r)]++
				most = max(most, count[len(r)])
			}
		}
		if v := float64(most) / float64(max(1, len(rows))); v > score+1e-9 {
			best, score = s.rune, v
		}
	}
	return best
}

func readXLSX(b []byte) (list.Table, error) {
	f, err := excelize.OpenReader(bytes.NewReader(b), excelize.Options{
		UnzipSizeLimit:    maxUnpacked,
		UnzipXMLSizeLimit: maxUnpacked,
	})
	if err != nil {
		return list.Table{}, &Broken{Why: "it is no workbook, or a damaged or locked one (" + err.Error() +
			")"}
	}
	defer f.Close()
	for _, sheet := range f.GetSheetList() {
		rows, err := f.GetRows(sheet)
		if err != nil {
			return list.Table{}, &Broken{Why: fmt.Sprintf("its sheet %q is damaged (%v)", sheet, err)}
		}
		if len(rows) == 0 {
			continue
		}
		t := list.Table{Format: "XLSX", Sheet: sheet, Rows: rows}
		for i := range rows {
			t.Lines = append(t.Lines, i+1)
		}
		return t, nil
	}
	return list.Table{Format: "XLSX"}, &Broken{Why: "it has no sheet with cells"}
}

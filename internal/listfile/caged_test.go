package listfile_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"nelko/internal/listfile"
)

// workbook is an XLSX file (ECMA-376, part 1) of one sheet, with the XML of its rows and of its
// shared strings, each written by a function.
func workbook(t *testing.T, sheet, strung func(io.Writer)) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name string, write func(io.Writer)) {
		w, err := z.Create(name)
		require.NoError(t, err)
		write(w)
	}
	text := func(s string) func(io.Writer) { return func(w io.Writer) { _, _ = io.WriteString(w, s) } }
	const types = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	put("[Content_Types].xml",
		text(`<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/><Override PartName="/xl/sharedStrings.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"/></Types>`))
	put("_rels/.rels", text(
		`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="`+types+`/officeDocument" Target="xl/workbook.xml"/></Relationships>`))
	put("xl/workbook.xml", text(
		`<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="`+types+
			`"><sheets><sheet name="Crews" sheetId="1" r:id="rId1"/></sheets></workbook>`))
	put("xl/_rels/workbook.xml.rels",
		text(`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="`+types+`/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="`+types+`/sharedStrings" Target="sharedStrings.xml"/></Relationships>`))
	put("xl/worksheets/sheet1.xml", func(w io.Writer) {
		text(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>`)(w)
		sheet(w)
		text(`</sheetData></worksheet>`)(w)
	})
	put("xl/sharedStrings.xml", func(w io.Writer) {
		text(`<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">`)(w)
		strung(w)
		text(`</sst>`)(w)
	})
	require.NoError(t, z.Close())
	return b.Bytes()
}

// rowsOf writes so many rows with one cell in a column.
func rowsOf(n int, column string) func(io.Writer) {
	return func(w io.Writer) {
		for i := range n {
			fmt.Fprintf(w, `<row r="%[1]d"><c r="%[2]s%[1]d" t="s"><v>0</v></c></row>`, i+1, column)
		}
	}
}

func strung(n int, text string) func(io.Writer) {
	return func(w io.Writer) {
		for range n {
			fmt.Fprintf(w, "<si><t>%s</t></si>", text)
		}
	}
}

// A small file that unpacks to more than any list holds is refused in words, and takes the memory
// of a process of its own, not of the one that asks.
func TestListsThatUnpackToAnything(t *testing.T) {
	got, err := listfile.Read(t.Context(), "crews.xlsx", workbook(t, rowsOf(2, "A"),
		strung(1, "The Gannets")))
	require.NoError(t, err, "the same with little in it is a list")
	assert.Equal(t, [][]string{{"The Gannets"}, {"The Gannets"}}, got.Rows)
	for name, b := range map[string][]byte{
		"far.xlsx":   workbook(t, rowsOf(8000, "XFD"), strung(1, "x")),
		"many.xlsx":  workbook(t, rowsOf(2, "A"), strung(1_500_000, strings.Repeat("a", 16))),
		"long.xlsx":  workbook(t, rowsOf(19_000, "A"), strung(1, strings.Repeat("a", 30_000))),
		"repeat.ods": ods(t, `<table:table><table:table-row table:number-rows-repeated="20000"><table:table-cell table:number-columns-repeated="200"><text:p>`+strings.Repeat("a", 8000)+`</text:p></table:table-cell></table:table-row></table:table>`),
		"repeat2.ods": ods(t, `<table:table>`+
			strings.Repeat(`<table:table-row><table:table-cell table:number-columns-repeated="16384"><text:p>x</text:p></table:table-cell></table:table-row>`, 4_000)+`</table:table>`),
	} {
		assert.Less(t, len(b), 2<<20, name)
		before := ownMemory(t)
		_, err := listfile.Read(t.Context(), name, b)
		var broken *listfile.Broken
		require.ErrorAs(t, err, &broken, name)
		assert.Contains(t, err.Error(), name+" cannot be read: ", name)
		assert.Less(t, ownMemory(t)-before, int64(300<<20), "%s: the memory this process ever took", name)
	}
}

// ownMemory is the most memory that this process has had, in bytes.
func ownMemory(t *testing.T) int64 {
	var u unix.Rusage
	require.NoError(t, unix.Getrusage(unix.RUSAGE_SELF, &u))
	return u.Maxrss << 10
}

// Whoever asks and goes away leaves no process that reads on.
func TestReadingEndsWithWhoAsks(t *testing.T) {
	b := workbook(t, rowsOf(8000, "XFD"), strung(1, "x"))
	ctx, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err := listfile.Read(ctx, "far.xlsx", b)
	assert.ErrorIs(t, err, context.DeadlineExceeded)
}

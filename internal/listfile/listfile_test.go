package listfile_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"nelko/internal/core/list"
	"nelko/internal/listfile"
)

// The rules of RFC 4180, section 2, each with the section's own example.
func TestRFC4180(t *testing.T) {
	for rule, c := range map[string]struct {
		text string
		want [][]string
	}{
		"1: records on lines of their own": {"aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n",
			[][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"2: the last without a line break": {"aaa,bbb,ccc\r\nzzz,yyy,xxx",
			[][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"3: a header": {"field_name,field_name,field_name\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n",
			[][]string{{"field_name", "field_name", "field_name"}, {"aaa", "bbb", "ccc"},
				{"zzz", "yyy", "xxx"}}},
		"4: spaces are part of a field": {"aaa, bbb ,ccc\r\nd,e,f", [][]string{{"aaa", " bbb ", "ccc"},
			{"d", "e", "f"}}},
		"5: fields in double quotes": {"\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx",
			[][]string{{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}}},
		"6: line breaks and commas in quotes": {"\"aaa\",\"b \r\nbb\",\"c,cc\"\r\nzzz,yyy,xxx",
			[][]string{{"aaa", "b \nbb", "c,cc"}, {"zzz", "yyy", "xxx"}}},
		"7: a double quote is written doubled": {"\"aaa\",\"b\"\"bb\",\"ccc\"",
			[][]string{{"aaa", "b\"bb", "ccc"}}},
	} {
		got, err := listfile.Read(t.Context(), "crews.csv", []byte(c.text))
		require.NoError(t, err, rule)
		assert.Equal(t, c.want, got.Rows, rule)
		assert.Equal(t, "comma", got.Separator, rule)
	}
}

// names in many scripts, with apostrophes, hyphens, quotes and line breaks.
var names = []string{"The Gannets", "O’Neill-Ångström", "D'Arcy", "Zoë Müller", "Łukasz Żółć", "Αλέξανδρος",
	"Дмитрий Иванов", "محمد علي", "שרה כהן", "山田 太郎", "김민수", "สมชาย ใจดี", "अनुष्का शर्मा",
	"Nguyễn Thị Hương", "“The Eight”", "Two\nLines", "A; B, C | D", "👩‍👩‍👧 Family", "007", "12/9", "1e5",
	"=1+1", "Ma\u0308rz"}

func rows() [][]string {
	out := [][]string{{"Key", "Names", "Date"}}
	for i, n := range names {
		out = append(out, []string{fmt.Sprintf("%03d", i+1), n, "12/9"})
	}
	return out
}

func quoted(sep string) string {
	var b strings.Builder
	for _, r := range rows() {
		for i, c := range r {
			if i > 0 {
				b.WriteString(sep)
			}
			b.WriteString(`"` + strings.ReplaceAll(c, `"`, `""`) + `"`)
		}
		b.WriteString("\r\n")
	}
	return b.String()
}

// Whatever a list was written in, every name comes through letter by letter.
func TestEncodingsAndSeparators(t *testing.T) {
	utf16 := func(e unicode.Endianness, p unicode.BOMPolicy) func(string) []byte {
		return func(s string) []byte {
			b, err := unicode.UTF16(e, p).NewEncoder().Bytes([]byte(s))
			require.NoError(t, err)
			return b
		}
	}
	for encoding, write := range map[string]func(string) []byte{
		"UTF-8":           func(s string) []byte { return []byte(s) },
		"UTF-8 with mark": func(s string) []byte { return append([]byte("\xef\xbb\xbf"), s...) },
		"UTF-16/le":       utf16(unicode.LittleEndian, unicode.UseBOM),
		"UTF-16/be":       utf16(unicode.BigEndian, unicode.UseBOM),
	} {
		for word, sep := range map[string]string{"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|"} {
			got, err := listfile.Read(t.Context(), "crews", write(quoted(sep)))
			require.NoError(t, err, encoding+" "+word)
			assert.Equal(t, rows(), got.Rows, encoding+" "+word)
			assert.Equal(t, word, got.Separator)
			assert.Equal(t, strings.Split(encoding, "/")[0], got.Encoding)
		}
	}
	plain := "Key;Names\r\n1;Zoë Müller\r\n2;Café “Möwe”\r\n"
	old, err := charmap.Windows1252.NewEncoder().String(plain)
	require.NoError(t, err)
	got, err := listfile.Read(t.Context(), "crews.csv", []byte(old))
	require.NoError(t, err)
	assert.Equal(t, "Windows-1252", got.Encoding)
	assert.Equal(t, "Café “Möwe”", got.Rows[2][1])
	// UTF-16 without a mark, as some programs write it.
	bare, err := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().
		Bytes([]byte("Key\tNames\n1\tGannets\n"))
	require.NoError(t, err)
	got, err = listfile.Read(t.Context(), "crews.txt", bare)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"Key", "Names"}, {"1", "Gannets"}}, got.Rows)
}

func TestWhatIsTakenForAList(t *testing.T) {
	for name, want := range map[string]bool{
		"crews.csv":  true,
		"CREWS.XLSX": true,
		"a.ods":      true,
		"a.tsv":      true,
		"notes.txt":  false,
		"a.jpg":      false,
		"csv":        false,
	} {
		assert.Equal(t, want, listfile.Known(name), name)
	}
}

func TestPastedCells(t *testing.T) {
	got, err := listfile.Pasted(t.Context(), "01\tThe \"Old\" Gannets\t12/9\n02\t\"Two\nLines\"\t13/9\n")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"01", `The "Old" Gannets`, "12/9"}, {"02", "Two\nLines", "13/9"}}, got.Rows)
	assert.Equal(t, "pasted", got.Format)
	got, err = listfile.Pasted(t.Context(), "The Gannets\nHarbour Lights\n")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"The Gannets"}, {"Harbour Lights"}}, got.Rows)
}

// Workbooks of another library's making: text, numbers shown with leading
// zeros, dates as they are shown.
func TestXLSX(t *testing.T) {
	f := excelize.NewFile()
	for i, r := range rows() {
		for j, c := range r {
			cell, err := excelize.CoordinatesToCellName(j+1, i+1)
			require.NoError(t, err)
			require.NoError(t, f.SetCellStr("Sheet1", cell, c))
		}
	}
	zeros, err := f.NewStyle(&excelize.Style{CustomNumFmt: new("000")})
	require.NoError(t, err)
	require.NoError(t, f.SetCellInt("Sheet1", "D1", 7))
	require.NoError(t, f.SetCellStyle("Sheet1", "D1", "D1", zeros))
	day, err := f.NewStyle(&excelize.Style{CustomNumFmt: new("d/m")})
	require.NoError(t, err)
	require.NoError(t, f.SetCellInt("Sheet1", "E1", 45547)) // 12 September 2024
	require.NoError(t, f.SetCellStyle("Sheet1", "E1", "E1", day))
	b, err := f.WriteToBuffer()
	require.NoError(t, err)
	got, err := listfile.Read(t.Context(), "crews.xlsx", b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, "XLSX", got.Format)
	assert.Equal(t, []string{"Key", "Names", "Date", "007", "12/9"}, got.Rows[0])
	assert.Equal(t, rows()[1:], got.Rows[1:])
}

func ods(t *testing.T, table string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create("content.xml")
	require.NoError(t, err)
	_, err = w.Write([]byte(
		`<?xml version="1.0"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>` +
			table + `</office:spreadsheet></office:body></office:document-content>`))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}

// OpenDocument 1.3, part 3: repeated cells and rows, white space, paragraphs,
// spans, notes.
func TestODS(t *testing.T) {
	got, err := listfile.Read(t.Context(), "crews.ods",
		ods(t, `<table:table table:name="Crews"><table:table-column/>
		<table:table-header-rows><table:table-row><table:table-cell><text:p>Key</text:p></table:table-cell><table:table-cell><text:p>Names</text:p></table:table-cell></table:table-row></table:table-header-rows>
		<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
		<table:table-row><table:table-cell><office:annotation><text:p>a note</text:p></office:annotation><text:p>007</text:p></table:table-cell><table:table-cell><text:p>The<text:s text:c="2"/>Old <text:span>Gannets</text:span></text:p><text:p>of Saltmere</text:p></table:table-cell><table:table-cell table:number-columns-repeated="16382"/></table:table-row>
		<table:table-row><table:table-cell table:number-columns-repeated="2"><text:p>x</text:p></table:table-cell></table:table-row>
		<table:table-row table:number-rows-repeated="1048570"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table>`))
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"Key", "Names"}, {"007", "The  Old Gannets\nof Saltmere"}, {"x", "x"}},
		got.Rows)
	assert.Equal(t, []int{1, 4, 5}, got.Lines)
	assert.Equal(t, "Crews", got.Sheet)
}

// What cannot be read is refused with its place and why.
func TestBrokenFiles(t *testing.T) {
	for name, c := range map[string]struct {
		b    []byte
		want string
	}{
		"open.csv": {[]byte("Key,Names\n1,Gannets\n2,\"Never closed\n3,x\n"),
			"open.csv cannot be read: row 3, column"},
		"tail.csv":  {[]byte("Key,Names\n1,\"Gannets\" and more\n"), "row 2"},
		"empty.csv": {[]byte(" \n,,,\n"), "it is empty"},
		"none.csv":  {nil, "it is empty"},
		"photo.csv": {[]byte("\xff\xd8\xff\xe0\x00\x10JFIF\x00\x01\x02\x00"), "no text"},
		"old.xls":   {[]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), "save it as XLSX"},
		"bad.xlsx":  {[]byte("PK\x03\x04 and nothing"), "no workbook"},
		"bad.ods": {ods(t, `<table:table><table:table-row><table:table-cell><text:p>x</text:p>`),
			"row 1, column 1"},
		"wide.csv": {[]byte("a" + strings.Repeat(",", list.MaxColumns)), "more than 200 columns"},
		"mark.csv": {[]byte("\xef\xbb\xbfa,\xff"), "not UTF-8"},
	} {
		_, err := listfile.Read(t.Context(), name, c.b)
		var broken *listfile.Broken
		require.ErrorAs(t, err, &broken, name)
		assert.Contains(t, err.Error(), c.want, name)
	}
}

// Workbooks that other programs wrote: LibreOffice 7.4 (ODS and XLSX) and the
// npm package exceljs 4.4.
func TestWorkbooksOfOthers(t *testing.T) {
	for _, name := range []string{"office.xlsx", "office.ods"} {
		b, err := os.ReadFile(filepath.Join("testdata", name))
		require.NoError(t, err)
		got, err := listfile.Read(t.Context(), name, b)
		require.NoError(t, err, name)
		roles := got.Recognise([]list.Detail{{Key: "names", Label: "Names"}, {Key: "date", Label: "Date"}})
		assert.Equal(t, []list.Role{list.Key, "detail:names", "detail:date"}, roles, name)
		read, problems := got.Read(roles)
		assert.Empty(t, problems)
		var all []string
		for i, r := range read {
			all = append(all, r.Values["detail:names"])
			assert.Equal(t, fmt.Sprintf("%03d", i+1), r.Key, name)
			assert.Equal(t, "12/9", r.Values["detail:date"], name)
		}
		assert.Equal(t, []string{"The Gannets", "O’Neill-Ångström", "D'Arcy", "Zoë Müller", "Łukasz Żółć",
			"Αλέξανδρος", "Дмитрий Иванов", "محمد علي", "שרה כהן", "山田 太郎", "김민수", "สมชาย ใจดี",
			"अनुष्का शर्मा",
			"Nguyễn Thị Hương", "“The Eight”", "Two\nLines", "A; B, C | D", "007", "12/9"}, all, name)
	}
	b, err := os.ReadFile(filepath.Join("testdata", "exceljs.xlsx"))
	require.NoError(t, err)
	got, err := listfile.Read(t.Context(), "exceljs.xlsx", b)
	require.NoError(t, err)
	assert.Equal(t, "Crews", got.Sheet)
	assert.Equal(t, []string{"001", "The Gannets", "12/9/2026", "part bold"}, got.Rows[1])
	assert.Equal(t, "Two\nLines", got.Rows[5][1])
}

func TestFiveThousandRows(t *testing.T) {
	var b strings.Builder
	b.WriteString("Osprey Quay Pictures\n\nKey;Crew;E-mail\n")
	for i := range 5000 {
		fmt.Fprintf(&b, "%04d;Crew %d of Saltmere;crew%d@saltmere.example\n", i, i, i)
	}
	got, err := listfile.Read(t.Context(), "many.csv", []byte(b.String()))
	require.NoError(t, err)
	roles := got.Recognise([]list.Detail{{Key: "names", Label: "Names", Required: true}})
	read, problems := got.Read(roles)
	assert.Empty(t, problems)
	assert.Len(t, read, 5000)
	assert.Equal(t, "crew4999@saltmere.example", read[4999].Values[list.Email])
	assert.Equal(t, "0007", read[7].Key)
	assert.Equal(t, 5003, read[4999].Line)
}

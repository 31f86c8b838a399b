package listfile

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"unicode/utf8"

	"nelko/internal/core/list"
)

// Whatever is sent as a list, it is a table within the limits or a *Broken
// that says why; cells are valid text, and each row knows its line.
func FuzzRead(f *testing.F) {
	files, err := filepath.Glob("testdata/*")
	if err != nil {
		f.Fatal(err)
	}
	for _, name := range files {
		if b, err := os.ReadFile(name); err == nil && len(b) < 1<<16 {
			f.Add(b)
		}
	}
	for _, s := range []string{"a;b\n1;2", "\xff\xfea\x00,\x00b\x00", "\xfe\xff\x00a",
		"\xef\xbb\xbf\"a\"\",\"b", "PK\x03\x04mimetypeapplication/vnd.oasis.opendocument.spreadsheet",
		"\xd0\xcf\x11\xe0", "a\tb\n\"x\ny\"\t"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		table, err := Trusted("list", b)
		var broken *Broken
		if err != nil {
			if !errors.As(err, &broken) || broken.Why == "" {
				t.Fatalf("not said why: %v", err)
			}
			return
		}
		if len(table.Rows) == 0 || len(table.Rows) > list.MaxRows || len(table.Lines) != len(table.Rows) {
			t.Fatalf("%d rows, %d lines", len(table.Rows), len(table.Lines))
		}
		for _, r := range table.Rows {
			for _, c := range r {
				if !utf8.ValidString(c) {
					t.Fatalf("%q is no text", c)
				}
			}
		}
	})
}

package naming

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

// A safe name is one on every file system, and safe is safe for good.
func FuzzSafe(f *testing.F) {
	for _, s := range []string{"", "CON", "a/b\\c", "..", " .x. ", "é\u0301", "\u202egpj.exe",
		strings.Repeat("ä", 300), "\xff", "nul.txt"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		name := Safe(s)
		if name == "" || len(name) > MaxBytes+1 || !utf8.ValidString(name) ||
			strings.ContainsAny(name, `<>:"/\|?*`) || strings.ContainsFunc(name, unicode.IsControl) ||
			strings.Trim(name, " .") != name {
			t.Fatalf("%q became %q", s, name)
		}
		if again := Safe(name); again != name {
			t.Fatalf("%q became %q and then %q", s, name, again)
		}
	})
}

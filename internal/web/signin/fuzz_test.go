package signin

import (
	"net/url"
	"testing"

	"nelko/internal/web/page"
)

// Wherever somebody wants to be led after signing in, it is here, as browsers
// read addresses: tabs and line breaks do not count, and backslashes are
// slashes (WHATWG URL, 4.4).
func FuzzLocalPath(f *testing.F) {
	for _, s := range []string{"/orders/1", "//host", "/%09/host", "/\\host", "https://host", "/\t/host",
		"/%5chost", "javascript:x", "/a?b=//c", "/..//host", ""} {
		f.Add(s)
	}
	here, err := url.Parse("https://studio.example/signin")
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, s string) {
		p := page.LocalPath(s)
		seen := asBrowsersRead(p)
		to, err := here.Parse(seen)
		if err != nil || to.Host != here.Host || to.Scheme != here.Scheme || to.User != nil {
			t.Fatalf("%q leads to %v (%v)", s, to, err)
		}
	})
}

func asBrowsersRead(p string) string {
	var out []rune
	for _, r := range p {
		switch r {
		case '\t', '\n', '\r':
		case '\\':
			out = append(out, '/')
		default:
			out = append(out, r)
		}
	}
	return string(out)
}

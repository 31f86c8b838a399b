package media

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"
)

// What a picture says of itself is one short line of text, whatever it is.
func FuzzDescription(f *testing.F) {
	f.Add([]byte(`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:description><rdf:Alt><rdf:li xml:lang="x-default">A pier</rdf:li></rdf:Alt></dc:description></rdf:Description></rdf:RDF></x:xmpmeta>`))
	f.Add([]byte("\x1c\x02\x78\x00\x06A pier"))
	f.Add([]byte("\x1c\x02\x78\xff\xff\x1c\x02\x78\x00\x02\xe9\xe8"))
	f.Add([]byte("<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>"))
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, words := range []string{xmpDescription(b), iptcCaption(b)} {
			if len(words) > longestDescription || !utf8.ValidString(words) ||
				strings.ContainsAny(words, "\n\r\t") {
				t.Fatalf("%q", words)
			}
		}
	})
}

// A client's file name is a name, not a place, and no line of it is turned.
func FuzzBase(f *testing.F) {
	for _, s := range []string{"", "..", "a/../..", `C:\x\y.jpg`, "\u202egpj.exe", "a\x00b", "\xff\xfe", "x/",
		"\\"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		name := Base(s)
		bad := func(r rune) bool {
			return r == '/' || r == '\\' || unicode.IsControl(r) && r < 0x80 ||
				unicode.Is(unicode.Bidi_Control, r)
		}
		if name == "" || name == "." || name == ".." || !utf8.ValidString(name) ||
			strings.ContainsFunc(name, bad) {
			t.Fatalf("%q became %q", s, name)
		}
	})
}

package media

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"

	"nelko/internal/media/vips"
)

// longestDescription is the most that is kept of a picture's description, in
// bytes: a caption, not an essay.
const longestDescription = 300

// described is what a picture says of itself in words: its description as XMP
// has it (dc:description), else as IPTC has it (caption, 2:120). What cannot
// be read counts as none.
func described(path string) string {
	if b, err := vips.Metadata(path, "xmp-data"); err == nil {
		if d := xmpDescription(b); d != "" {
			return d
		}
	}
	b, err := vips.Metadata(path, "iptc-data")
	if err != nil {
		return ""
	}
	return iptcCaption(b)
}

// tidy makes one line of a description.
func tidy(words string) string {
	words = strings.Join(strings.Fields(strings.ToValidUTF8(words, "")), " ")
	for len(words) > longestDescription {
		_, n := utf8.DecodeLastRuneInString(words)
		words = words[:len(words)-n]
	}
	return words
}

// dublinCore is the namespace of dc:description (ISO 16684-1, XMP part 1).
const dublinCore = "http://purl.org/dc/elements/1.1/"

// xmpDescription is the first alternative of dc:description in an XMP packet.
func xmpDescription(packet []byte) string {
	dec := xml.NewDecoder(bytes.NewReader(packet))
	dec.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, io.ErrUnexpectedEOF }
	inside := false
	for {
		tok, err := dec.Token()
		if err != nil {
			return ""
		}
		switch t := tok.(type) {
		case xml.StartElement:
			inside = inside || t.Name.Space == dublinCore && t.Name.Local == "description"
		case xml.EndElement:
			inside = inside && (t.Name.Space != dublinCore || t.Name.Local != "description")
		case xml.CharData:
			if words := tidy(string(t)); inside && words != "" {
				return words
			}
		}
	}
}

// iptcCaption is the caption (record 2, dataset 120) among the datasets of
// IPTC's Information Interchange Model, wherever in the block they begin. Text
// is UTF-8 where it is valid as such, else Latin 1.
func iptcCaption(block []byte) string {
	const marker, record, caption, header = 0x1c, 2, 120, 5
	for at := 0; at+header <= len(block); {
		if block[at] != marker || block[at+1] != record {
			at++
			continue
		}
		length := int(binary.BigEndian.Uint16(block[at+3:]))
		end := at + header + length
		if length > 0x7fff || end > len(block) { // an extended dataset, or no dataset
			at++
			continue
		}
		if block[at+2] == caption {
			words := block[at+header : end]
			if !utf8.Valid(words) {
				words, _ = charmap.ISO8859_1.NewDecoder().Bytes(words) // every byte is a letter there
			}
			return tidy(string(words))
		}
		at = end
	}
	return ""
}

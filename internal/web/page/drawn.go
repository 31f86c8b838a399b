package page

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"

	"nelko/internal/invalid"
)

// Drawn is a part of a page, drawn, with a sum by which it is known again.
type Drawn struct {
	Name, HTML, Sum string
}

// DrawPart draws a template as a part of a page, by the name of its place.
func (s *Shell) DrawPart(template, place string, data any) (Drawn, error) {
	var b bytes.Buffer
	if err := s.Execute(&b, template, data); err != nil {
		return Drawn{}, fmt.Errorf("drawing %s: %w", place, err)
	}
	return Drawn{place, b.String(), Sum(b.Bytes())}, nil
}

// Sum is a short sum of what was drawn.
func Sum(drawn ...[]byte) string {
	h := sha256.New()
	for _, b := range drawn {
		_, _ = h.Write(b) // never fails
	}
	return hex.EncodeToString(h.Sum(nil)[:5])
}

// Sums are the sums of parts, by which a page tells what it has drawn.
func Sums(parts []Drawn) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = p.Sum
	}
	return strings.Join(out, ".")
}

// SendParts answers with parts of a page, drawn, and the sums of all its parts as they are now.
func SendParts(w http.ResponseWriter, status int, seen string, html []byte) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Seen", seen)
	w.WriteHeader(status)
	_, _ = w.Write(html) // the browser may have gone
}

// Download heads a file to be kept under a name.
func Download(w http.ResponseWriter, kind, name string) {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment",
		map[string]string{"filename": name}))
}

// SendPDF answers with a print under a name; what cannot be printed is said, with the way back.
func (s *Shell) SendPDF(w http.ResponseWriter, r *http.Request, name, back string,
	write func(io.Writer) error) {
	var b bytes.Buffer
	err := write(&b)
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not printed", wrong.Problem, back, "Back")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	Download(w, "application/pdf", name)
	_, _ = w.Write(b.Bytes()) // the browser may have gone
}

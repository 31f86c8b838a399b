package paper

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// textOf is the text of a PDF as poppler's pdftotext (Debian's poppler-utils) reads it.
func textOf(t *testing.T, pdf []byte) string {
	path := filepath.Join(t.TempDir(), "page.pdf")
	require.NoError(t, os.WriteFile(path, pdf, 0o600))
	out, err := exec.Command("pdftotext", "-layout", path, "-").Output()
	require.NoError(t, err)
	return strings.Join(strings.Fields(string(out)), " ")
}

// What is printed can be found and copied, in any script, whole.
func TestPrintedWordsAreText(t *testing.T) {
	long := "A caption so long that it does not fit in one line of the running order, and goes on in a " +
		"second one below it"
	rows := []Row{
		{
			Number: 1,
			At:     "0:00.0",
			Lasts:  "5.00 s",
			JPEGs:  [][]byte{picture(t), picture(t)},
			Names:  []string{"Łukasz & Zoë <1>.jpg", "b_2.jpg"},
			Words:  []string{long},
		},
		{Number: 2, At: "0:05.0", Lasts: "4.00 s", Words: []string{"Ελλάδα, Москва", "שלום עולם"}},
	}
	var b bytes.Buffer
	require.NoError(t, RunningOrder(&b, "The Gannets, Harbour race: running order", rows,
		"2 slides = 0:09.0"))
	text := textOf(t, b.Bytes())
	for _, want := range []string{"The Gannets, Harbour race: running order", "0:05.0",
		"Łukasz & Zoë <1>.jpg, b_2.jpg", "Ελλάδα, Москва", "2 slides = 0:09.0"} {
		assert.Contains(t, text, want)
	}
	for _, w := range append(strings.Fields(long), "שלום", "עולם") {
		assert.Contains(t, text, w)
	}
	var cards bytes.Buffer
	require.NoError(t, Cards(&cards, Studio{Name: "Light & Line"}, []Card{{
		Title:   "The Cormorants 🛶",
		Line:    "Harbour race",
		Address: "https://films.example/w/abcdef",
		Foot:    "open until 2 January 2027",
	}}))
	assert.Contains(t, textOf(t, cards.Bytes()), "The Cormorants")
	assert.Contains(t, textOf(t, cards.Bytes()), "open until 2 January 2027")
}

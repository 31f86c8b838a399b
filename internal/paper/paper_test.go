package paper

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func pages(pdf []byte) int {
	n, err := strconv.Atoi(string(regexp.MustCompile(`/Count (\d+)`).FindSubmatch(pdf)[1]))
	if err != nil {
		return -1
	}
	return n
}

func picture(t *testing.T) []byte {
	img := image.NewRGBA(image.Rect(0, 0, 160, 90))
	for i := range img.Pix {
		img.Pix[i] = byte(i)
	}
	img.Set(0, 0, color.White)
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	return b.Bytes()
}

// Ten cards to a page, each with a code that leads to its film. The codes are
// read by another program, zbar (Debian's zbar-tools), from the printed page.
func TestCards(t *testing.T) {
	var cards []Card
	for i := range CardsOnPage + 1 {
		cards = append(cards, Card{
			Title: []string{"The Gannets", "محمد علي",
				"A very long name of a crew that rows on Saturdays & Sundays"}[i%3],
			Line:    "Lantern Regatta",
			Address: "https://films.studio.example/watch/AbCdEfGhIjKlMnOpQrStUvWxYz01234" + strconv.Itoa(i),
			Foot:    "open until 24 February 2027",
		})
	}
	var b bytes.Buffer
	require.NoError(t, Cards(&b, Studio{Name: "Osprey Quay Pictures", Mark: picture(t)}, cards))
	assert.Equal(t, 2, pages(b.Bytes()))
	assert.Error(t, Cards(&b, Studio{}, nil))

	dir := t.TempDir()
	file := filepath.Join(dir, "cards.pdf")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	out, err := exec.Command("pdftoppm", "-r", "200", "-gray", "-png", file, filepath.Join(dir, "page")).
		CombinedOutput()
	require.NoError(t, err, string(out))
	read, err := exec.Command("zbarimg", "--quiet", "--raw", filepath.Join(dir, "page-1.png"),
		filepath.Join(dir, "page-2.png")).Output()
	require.NoError(t, err)
	for _, c := range cards {
		assert.Contains(t, string(read), c.Address+"\n")
	}
}

func TestProofs(t *testing.T) {
	var all []Proof
	for i := range 40 {
		all = append(all, Proof{
			Key:  strconv.Itoa(i),
			Name: "Łukasz Żółć",
			JPEG: picture(t),
			Note: "names missing",
		})
	}
	var b bytes.Buffer
	require.NoError(t, Proofs(&b, "Lantern Regatta: openings", 3, all))
	assert.Equal(t, 3, pages(b.Bytes()), "18 to a page")
	assert.Error(t, Proofs(&b, "x", 3, nil))
	assert.Error(t, Proofs(&b, "x", 3, []Proof{{JPEG: []byte("no picture")}}))
}

package media

import (
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/media/vips"
)

// Pictures in the formats clients send are read whatever their file is called;
// formats that other programs read with scripts or as text do not even reach
// their readers.
func TestFormatsOfPictures(t *testing.T) {
	require.NoError(t, Startup())
	im := image.NewPaletted(image.Rect(0, 0, 40, 30), color.Palette{color.Black, color.White})
	write := func(f func(io.Writer) error) string {
		path := filepath.Join(t.TempDir(), "picture.dat")
		out, err := os.Create(path)
		require.NoError(t, err)
		require.NoError(t, f(out))
		require.NoError(t, out.Close())
		return path
	}
	for loader, f := range map[string]func(io.Writer) error{
		"jpegload": func(w io.Writer) error { return jpeg.Encode(w, im, nil) },
		"pngload":  func(w io.Writer) error { return png.Encode(w, im) },
		"gifload":  func(w io.Writer) error { return gif.Encode(w, im, nil) },
	} {
		path := write(f)
		h, err := vips.ReadHeader(path)
		require.NoError(t, err, loader)
		assert.Equal(t, loader, h.Loader)
		assert.Equal(t, [2]int{40, 30}, [2]int{h.Width, h.Height}, loader)
		_, err = vips.Load(path, 40, 30)
		assert.NoError(t, err, loader)
	}
	for name, text := range map[string]string{
		"a script of pictures": "push graphic-context\nviewbox 0 0 40 30\nimage over 0,0 0,0 " +
			"'/etc/hostname'\npop graphic-context\n",
		"portable pixels": "P3 1 1 255 0 0 0\n",
		"a page":          "%PDF-1.4\n%%EOF\n",
		"a table":         "1,2,3\n4,5,6\n",
	} {
		_, err := vips.ReadHeader(write(func(w io.Writer) error {
			_, err := io.WriteString(w, text)
			return err
		}))
		assert.ErrorIs(t, err, vips.ErrFormat, name)
	}
}

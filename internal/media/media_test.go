package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/media/vips"
)

func TestMain(m *testing.M) {
	if err := Startup(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(m.Run())
}

// tool runs a reference tool and fails the test if it fails.
func tool(t testing.TB, name string, args ...string) {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
}

// quarters is a picture whose corners are red, green, blue and white: which
// way up it is can be told from its pixels.
func quarters(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{255, 0, 0, 255}
			switch {
			case x >= w/2 && y < h/2:
				c = color.RGBA{0, 255, 0, 255}
			case x < w/2 && y >= h/2:
				c = color.RGBA{0, 0, 255, 255}
			case x >= w/2:
				c = color.RGBA{255, 255, 255, 255}
			}
			img.Set(x, y, c)
		}
	}
	return img
}

func writePNG(t testing.TB, img image.Image) string {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	path := filepath.Join(t.TempDir(), "in.png")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o644))
	return path
}

// corner names the main colour near one corner.
func corner(p raster.Pixels, x, y float64) string {
	i := (int(y*float64(p.H))*p.W + int(x*float64(p.W))) * p.Channels
	// Inks cannot print a pure blue, so the strongest channel decides.
	most := max(p.Pix[i], p.Pix[i+1], p.Pix[i+2])
	on := func(c int) bool { return most > 60 && float64(p.Pix[i+c]) > 0.75*float64(most) }
	r, g, b := on(0), on(1), on(2)
	switch {
	case r && g && b:
		return "white"
	case r:
		return "red"
	case g:
		return "green"
	case b:
		return "blue"
	}
	return "black"
}

func upright(t testing.TB, p raster.Pixels) {
	t.Helper()
	assert.Equal(t, []string{"red", "green", "blue", "white"},
		[]string{corner(p, .2, .2), corner(p, .8, .2), corner(p, .2, .8), corner(p, .8, .8)})
}

// All eight EXIF orientations (CIPA DC-008, tag 0x0112), made by ImageMagick:
// the stored pixels are turned the opposite way and tagged.
func TestEveryOrientationComesOutUpright(t *testing.T) {
	src := writePNG(t, quarters(120, 80))
	turn := map[int][]string{
		1: {},
		2: {"-flop"},
		3: {"-rotate", "180"},
		4: {"-flip"},
		5: {"-transpose"},
		6: {"-rotate", "-90"},
		7: {"-transverse"},
		8: {"-rotate", "90"},
	}
	names := map[int]string{
		1: "TopLeft",
		2: "TopRight",
		3: "BottomRight",
		4: "BottomLeft",
		5: "LeftTop",
		6: "RightTop",
		7: "RightBottom",
		8: "LeftBottom",
	}
	for o := 1; o <= 8; o++ {
		path := filepath.Join(t.TempDir(), "o.tif")
		tool(t, "/usr/bin/convert", append(append([]string{src}, turn[o]...), "-orient", names[o], path)...)
		m, _, err := Probe(context.Background(), path, "o.tif")
		require.NoError(t, err)
		assert.Equal(t, [2]int{120, 80}, [2]int{m.W, m.H}, "orientation %d", o)
		p, err := vips.Load(path, 60, 40)
		require.NoError(t, err)
		upright(t, p)
		// Large JPEGs are shrunk while they are decoded, and turned then.
		large := filepath.Join(t.TempDir(), "o.jpg")
		tool(t, "/usr/bin/convert", append(append([]string{src, "-scale", "1200x800"}, turn[o]...), "-strip",
			large)...)
		tagged(t, large, o)
		p, err = vips.Load(large, 60, 40)
		require.NoError(t, err)
		assert.Equal(t, [2]int{60, 40}, [2]int{p.W, p.H})
		upright(t, p)
	}
}

// tagged puts an EXIF segment with an orientation into a JPEG.
func tagged(t *testing.T, path string, orientation int) {
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	tiff := append([]byte("Exif\x00\x00MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00"),
		byte(orientation), 0, 0, 0, 0, 0, 0)
	segment := append([]byte{0xff, 0xe1, 0, byte(len(tiff) + 2)}, tiff...)
	require.NoError(t, os.WriteFile(path, slices.Concat(b[:2], segment, b[2:]), 0o644))
}

// What clients send: every common format, also with odd names.
func TestFormats(t *testing.T) {
	src := writePNG(t, quarters(640, 400))
	dir := t.TempDir()
	for name, args := range map[string][]string{
		"plain.jpg":              {},
		"progressive.jpg":        {"-interlace", "JPEG"},
		"gray.jpg":               {"-colorspace", "Gray"},
		"cmyk.jpg":               {"-colorspace", "CMYK"},
		"größe & 海 'x' %d.JPG":   {},
		"-dash.webp":             {},
		"tiff16.tif":             {"-depth", "16", "-compress", "LZW"},
		"palette.png":            {"-colors", "4", "-type", "Palette"},
		"still.gif":              {},
		"no extension":           {},
		"file:concat:|trick.jpg": {},
	} {
		path := filepath.Join(dir, name)
		out := path
		if filepath.Ext(name) == "" || name[0] == 'f' || name[0] == 'g' {
			out = filepath.Join(dir, "tmp.jpg")
		}
		tool(t, "/usr/bin/convert", append(append([]string{src}, args...), out)...)
		if out != path {
			require.NoError(t, os.Rename(out, path))
		}
		m, _, err := Probe(context.Background(), path, name)
		require.NoError(t, err, name)
		assert.Equal(t, doc.PhotoMedia, m.Kind)
		assert.Equal(t, [2]int{640, 400}, [2]int{m.W, m.H}, name)
		p, err := vips.Load(path, 64, 40)
		require.NoError(t, err, name)
		assert.Equal(t, 3, p.Channels, name)
		if name != "gray.jpg" {
			upright(t, p)
		}
	}
	heic := filepath.Join(dir, "phone.heic")
	tool(t, "heif-enc", "-o", heic, src)
	m, _, err := Probe(context.Background(), heic, "phone.heic")
	require.NoError(t, err)
	assert.Equal(t, [2]int{640, 400}, [2]int{m.W, m.H})
	p, err := vips.Load(heic, 64, 40)
	require.NoError(t, err)
	upright(t, Flatten(p, raster.RGB{}))
}

// Adobe RGB (1998) pictures go through their profile. Reference: lcms as used
// by ImageMagick, with the profiles of Debian's colord-data.
func TestAdobeRGBIsConvertedThroughItsProfile(t *testing.T) {
	const adobe, srgb = "/usr/share/color/icc/colord/AdobeRGB1998.icc", "/usr/share/color/icc/colord/sRGB.icc"
	dir := t.TempDir()
	in, want := filepath.Join(dir, "adobe.tif"), filepath.Join(dir, "want.png")
	tool(t, "/usr/bin/convert", "-size", "64x64", "xc:rgb(90,140,70)", "-profile", adobe, in)
	tool(t, "/usr/bin/convert", in, "-intent", "Relative", "-black-point-compensation", "-profile", srgb,
		"-depth", "8", want)
	got, err := vips.Load(in, 64, 64)
	require.NoError(t, err)
	ref, err := vips.Load(want, 64, 64)
	require.NoError(t, err)
	for c := range 3 {
		assert.InDelta(t, ref.Pix[c], got.Pix[c], 2)
	}
	assert.Greater(t, math.Abs(float64(got.Pix[0])-90), 10.0, "the profile makes a difference")
}

// Display P3, as phones take photos, comes out in sRGB; also where a large
// JPEG is shrunk while it is decoded. Reference: the matrices of CSS Color
// Module Level 4, section 10.7 (sample code), from P3 by XYZ to sRGB, and the
// transfer curve of IEC 61966-2-1, from memory.
func TestDisplayP3IsConvertedThroughItsProfile(t *testing.T) {
	icc := filepath.Join(t.TempDir(), "p3.icc")
	require.NoError(t, os.WriteFile(icc, displayP3(), 0o644))
	linear := func(v float64) float64 {
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	encoded := func(v float64) float64 {
		if v <= 0.0031308 {
			return 12.92 * v
		}
		return 1.055*math.Pow(v, 1/2.4) - 0.055
	}
	for _, colour := range [][3]float64{{90, 140, 70}, {180, 120, 110}, {128, 128, 128}, {60, 80, 150}} {
		r, g, b := linear(colour[0]/255), linear(colour[1]/255), linear(colour[2]/255)
		want := [3]float64{1.2249401*r - 0.2249402*g, -0.0420569*r + 1.0420571*g, -0.0196376*r - 0.0786361*g +
			1.0982735*b}
		for _, file := range []struct{ name, size string }{{"p3.tif", "64x64"}, {"p3.jpg", "1600x1600"}} {
			path := filepath.Join(t.TempDir(), file.name)
			tool(t, "/usr/bin/convert", "-size", file.size, fmt.Sprintf("xc:rgb(%g,%g,%g)", colour[0],
				colour[1], colour[2]), "-quality", "98", "-profile", icc, path)
			got, err := vips.Load(path, 64, 64)
			require.NoError(t, err)
			for c := range 3 {
				assert.InDelta(t, 255*encoded(want[c]), float64(got.Pix[c]), 2, "%s %v", file.name, colour)
			}
		}
	}
}

// displayP3 is a matrix profile (ICC.1:2001, from memory): the primaries of
// SMPTE RP 431-2 adapted to D50, and sRGB's curve as a table.
func displayP3() []byte {
	u32 := func(v uint32) []byte { return binary.BigEndian.AppendUint32(nil, v) }
	xyz := func(x, y, z float64) []byte {
		b := []byte("XYZ \x00\x00\x00\x00")
		for _, v := range []float64{x, y, z} {
			b = append(b, u32(uint32(int32(math.Round(v*65536))))...)
		}
		return b
	}
	curve := append([]byte("curv\x00\x00\x00\x00"), u32(1024)...)
	for i := range 1024 {
		v := float64(i) / 1023
		if v <= 0.04045 {
			v /= 12.92
		} else {
			v = math.Pow((v+0.055)/1.055, 2.4)
		}
		curve = binary.BigEndian.AppendUint16(curve, uint16(math.Round(v*65535)))
	}
	name := append([]byte("desc\x00\x00\x00\x00"), u32(11)...)
	name = append(append(name, "Display P3\x00"...), make([]byte, 79)...)
	text := []byte("text\x00\x00\x00\x00none\x00\x00\x00\x00")
	tags := []struct {
		sig  string
		data []byte
	}{{"desc", name}, {"cprt", text}, {"wtpt", xyz(0.9642, 1, 0.8249)},
		{"rXYZ", xyz(0.51512, 0.2412, -0.00105)}, {"gXYZ", xyz(0.29198, 0.69225, 0.04189)},
		{"bXYZ", xyz(0.1571, 0.06657, 0.78407)},
		{"rTRC", curve}, {"gTRC", curve}, {"bTRC", curve}}
	head := make([]byte, 128)
	copy(head[8:], []byte{2, 0x40, 0, 0})
	copy(head[12:], "mntrRGB XYZ ")
	copy(head[36:], "acsp")
	copy(head[68:], xyz(0.9642, 1, 0.8249)[8:])
	table, data := u32(uint32(len(tags))), []byte{}
	for _, tag := range tags {
		for len(data)%4 != 0 {
			data = append(data, 0)
		}
		table = slices.Concat(table, []byte(tag.sig), u32(uint32(128+4+12*len(tags)+len(data))),
			u32(uint32(len(tag.data))))
		data = append(data, tag.data...)
	}
	out := slices.Concat(head, table, data)
	copy(out, u32(uint32(len(out))))
	return out
}

func TestTransparencyIsKept(t *testing.T) {
	img := quarters(40, 40)
	for i := 3; i < len(img.Pix)/2; i += 4 {
		img.Pix[i-3], img.Pix[i-2], img.Pix[i-1], img.Pix[i] = 0, 0, 0, 0
	}
	p, err := vips.Load(writePNG(t, img), 40, 40)
	require.NoError(t, err)
	require.Equal(t, 4, p.Channels)
	assert.Zero(t, p.Pix[3])
	assert.Equal(t, byte(255), p.Pix[len(p.Pix)-1])
	assert.Equal(t, []byte{10, 20, 30}, Flatten(p, raster.RGB{R: 10, G: 20, B: 30}).Pix[:3])
}

// Drawings (SVG) are sharp at any size and keep their transparency; what they
// refer to outside themselves is not read.
func TestDrawings(t *testing.T) {
	dir := t.TempDir()
	blue := filepath.Join(dir, "blue.png")
	tool(t, "/usr/bin/convert", "-size", "10x10", "xc:blue", blue)
	path := filepath.Join(dir, "sign.svg")
	require.NoError(t, os.WriteFile(path,
		[]byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="40" height="20">
		<rect width="20" height="20" fill="#c00"/>
		<image x="30" width="10" height="10" xlink:href="blue.png"/><image x="30" width="10" height="10" href="file://`+blue+`"/></svg>`), 0o644))
	m, _, err := Probe(context.Background(), path, "sign.svg")
	require.NoError(t, err)
	assert.Equal(t, doc.PhotoMedia, m.Kind)
	assert.Equal(t, [2]int{4096, 2048}, [2]int{m.W, m.H})
	assert.True(t, m.Clear)
	solid, _, err := Probe(context.Background(), writePNG(t, quarters(40, 40)), "solid.png")
	require.NoError(t, err)
	assert.False(t, solid.Clear, "it has an alpha channel, but nothing shows through")
	for _, w := range []int{64, 2000} {
		p, err := vips.Load(path, w, w/2)
		require.NoError(t, err)
		require.Equal(t, [3]int{w, w / 2, 4}, [3]int{p.W, p.H, p.Channels})
		row := p.Pix[4*w*(w/8) : 4*w*(w/8+1)]
		assert.Equal(t, []byte{0xcc, 0, 0, 255}, row[:4])
		between := 0
		for x := range w {
			if a := row[4*x+3]; a > 0 && a < 255 {
				between++
			}
		}
		assert.LessOrEqual(t, between, 2, "the edge is as sharp at %d pixels", w)
		assert.Zero(t, row[4*(w-2)+3], "pictures of other files are not read")
	}
}

// Bad files are refused with a reason; none crashes or hangs.
func TestRefusals(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, b []byte) string {
		p := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(p, b, 0o644))
		return p
	}
	good := filepath.Join(dir, "good.jpg")
	tool(t, "/usr/bin/convert", "-size", "800x600", "plasma:red-blue", good)
	whole, err := os.ReadFile(good)
	require.NoError(t, err)
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"empty.jpg":    {nil, "empty"},
		"text.jpg":     {[]byte("Dear studio, the pictures follow tomorrow."), "not a photo, clip or song"},
		"cut off.jpg":  {whole[:len(whole)/2], "damaged or cut off"},
		"head.jpg":     {whole[:40], ""},
		"playlist.mp4": {[]byte("#EXTM3U\n#EXTINF:10,\nfile:///etc/passwd\n"), "not a photo, clip or song"},
		"concat.mov":   {[]byte("ffconcat version 1.0\nfile '/etc/hostname'\n"), "not a photo, clip or song"},
		"cut.svg": {[]byte(`<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><rect`),
			"damaged"},
		"laughs.svg": {[]byte(`<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "ha">` +
			strings.Join(entities(), "") +
			`]><svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text>&z9;</text></svg>`),
			"damaged"},
		"sizeless.svg": {[]byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`), ""},
		"large.svg": {append([]byte(`<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/><!--`),
			make([]byte, 9<<20)...), "at most 8 MB"},
		"tiny.png": {pngOf(t, 1, 1), "1×1"},
		"subs.srt": {[]byte("1\n00:00:01,000 --> 00:00:02,000\nHello\n"), "not a photo, clip or song"},
	} {
		_, _, err := Probe(context.Background(), write(name, c.data), name)
		var r *Refused
		require.ErrorAs(t, err, &r, name)
		assert.Contains(t, r.Reason, c.want, name)
	}
	_, _, err = Probe(context.Background(), filepath.Join(dir, "gone.jpg"), "gone.jpg")
	assert.ErrorIs(t, err, os.ErrNotExist)
}

// entities are each ten times the one before, the last of them a billion.
func entities() (out []string) {
	last := "a"
	for i := range 10 {
		name := fmt.Sprintf("z%d", i)
		out = append(out, fmt.Sprintf("<!ENTITY %s %q>", name, strings.Repeat("&"+last+";", 10)))
		last = name
	}
	return out
}

func pngOf(t testing.TB, w, h int) []byte {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewRGBA(image.Rect(0, 0, w, h))))
	return b.Bytes()
}

func TestCaptureTime(t *testing.T) {
	assert.Equal(t, time.Date(2026, 9, 12, 10, 11, 12, 0, time.UTC),
		takenAt("2026:09:12 10:11:12 (2026:09:12 10:11:12, ASCII)", ""))
	assert.Equal(t, time.Date(2026, 9, 12, 10, 11, 12, 0, time.UTC), takenAt("2026:09:12 10:11:12",
		"+05:00 (x)"))
	assert.True(t, takenAt("0000:00:00 00:00:00", "").IsZero())
	assert.True(t, takenAt("", "").IsZero())
}

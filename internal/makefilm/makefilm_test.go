package makefilm

import (
	"context"
	"fmt"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
	"nelko/themes/themestest"
)

func tool(t *testing.T, name string, args ...string) {
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s: %s", name, out)
}

// A folder as a client sends it becomes a film that lasts as long as its two
// songs; what cannot be used is listed with the reason.
func TestFolderBecomesAFilm(t *testing.T) {
	dir, songs := t.TempDir(), t.TempDir()
	for i, name := range []string{"IMG 1.jpg", "IMG 2.jpg", "IMG 10.jpg", "up right.jpg"} {
		size := "300x200"
		if i == 3 {
			size = "200x300"
		}
		tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s="+size+",hue=h="+fmt.Sprint(40*i),
			"-frames:v", "1", filepath.Join(dir, name))
	}
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=s=320x180:r=25:d=2", "-pix_fmt", "yuv420p",
		filepath.Join(dir, "clip.mp4"))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "empty.jpg"), nil, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "notes.jpg"), []byte("not a picture"), 0o644))
	twin, err := os.ReadFile(filepath.Join(dir, "IMG 1.jpg"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "twin.jpg"), twin, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".hidden"), []byte("x"), 0o644))
	a, b := filepath.Join(songs, "a.mp3"), filepath.Join(songs, "b.flac")
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=300:d=11", a)
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=500:d=9.37", b)

	r := Request{
		Shelf: themestest.Shelf(t),
		Theme: "tideline",
		Media: dir,
		Music: []string{a, b},
		Details: map[string]string{
			"names": "A & B",
			"date":  "2026",
		},
		Out: filepath.Join(t.TempDir(), "out.mp4"),
		Frame: doc.Frame{
			W: 320,
			H: 180,
		},
		Rate: timecode.R2997,
		Seed: 5,
	}
	s, err := Film(context.Background(), r)
	require.NoError(t, err)
	assert.Equal(t, []RefusedFile{{"empty.jpg", "the file is empty"},
		{"notes.jpg", "not a photo, clip or song that Nelko can read"},
		{"twin.jpg", "the same file as IMG 1.jpg"}}, s.Refused)
	assert.Equal(t, "30000/1001", s.FPS)
	assert.InDelta(t, 20.37, s.MusicSeconds, 0.06, "MP3 adds a little at its ends")
	assert.Equal(t, timecode.R2997.Frames(s.MusicSeconds), s.Frames)
	assert.Equal(t, s.Frames, s.File.Frames)
	var shown []string
	sum := timecode.Frames(0)
	for i, sl := range s.Slides {
		shown = append(shown, sl.Media...)
		assert.Equal(t, sum, sl.Start)
		sum += sl.Frames - sl.Overlap
		if i == len(s.Slides)-1 {
			assert.Zero(t, sl.Overlap)
		}
	}
	assert.Equal(t, s.Frames, sum)
	assert.ElementsMatch(t, []string{"IMG 1.jpg", "IMG 2.jpg", "IMG 10.jpg", "up right.jpg", "clip.mp4"},
		shown)

	// Too little music: the reason, by how much, and no file.
	r.Out = filepath.Join(t.TempDir(), "short.mp4")
	r.Music = []string{filepath.Join(songs, "c.flac")}
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=500:d=3", r.Music[0])
	_, err = Film(context.Background(), r)
	var cannot *CannotFit
	require.ErrorAs(t, err, &cannot)
	assert.ErrorContains(t, err, "too little")
	assert.NoFileExists(t, r.Out)

	// Within limits: what would help, each with how long a picture is seen then.
	r.Music = []string{filepath.Join(songs, "d.flac")}
	tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=500:d=18", r.Music[0])
	r.Fit = doc.Fit{Shortest: 3, Longest: 10}
	s, err = Film(context.Background(), r)
	require.ErrorAs(t, err, &cannot)
	assert.ErrorContains(t, err, "it would help to:\n- ")
	assert.NoFileExists(t, r.Out)
	require.NotEmpty(t, s.Remedies)
	for _, x := range s.Remedies {
		assert.NotEmpty(t, x.What)
	}

	r.Media = songs
	_, err = Film(context.Background(), r)
	assert.ErrorContains(t, err, "no photo or clip")
	r.Theme = "nothing"
	_, err = Film(context.Background(), r)
	assert.ErrorContains(t, err, "there are: chalkline")
}

// A contact sheet of a theme in each frame shape: as many cells as asked for,
// none empty, without a song.
func TestSheet(t *testing.T) {
	dir := stills(t)
	for _, f := range []doc.Frame{{W: 1920, H: 1080}, {W: 1080, H: 1920}} {
		out := filepath.Join(t.TempDir(), "sheet.jpg")
		s, err := Sheet(context.Background(), Request{
			Shelf:   themestest.Shelf(t),
			Theme:   "opendoor",
			Media:   dir,
			Details: map[string]string{"names": "A", "date": "B"},
			Out:     out,
			Frame:   f,
			Rate:    timecode.R25,
			Seed:    2,
		}, 6)
		require.NoError(t, err)
		assert.NotEmpty(t, s.Slides)
		filled(t, out, cellFrame(f), 6)
	}
}

// One sheet shows all themes, four moments of each.
func TestShelf(t *testing.T) {
	all, err := themestest.Shelf(t).All(), error(nil)
	require.NoError(t, err)
	out := filepath.Join(t.TempDir(), "shelf.jpg")
	small := doc.Frame{W: 320, H: 180}
	_, err = Shelf(context.Background(), Request{
		Shelf:   themestest.Shelf(t),
		Media:   stills(t),
		Details: map[string]string{"names": "A", "place": "B"},
		Out:     out,
		Frame:   small,
		Rate:    timecode.R25,
		Seed:    2,
	})
	require.NoError(t, err)
	filled(t, out, cellFrame(small), 4*len(all))
	_, err = Shelf(context.Background(), Request{
		Shelf: themestest.Shelf(t),
		Media: t.TempDir(),
		Out:   out,
		Frame: small,
		Rate:  timecode.R25,
	})
	assert.ErrorContains(t, err, "no photo or clip")
}

// stills is a folder of three pictures.
func stills(t *testing.T) string {
	dir := t.TempDir()
	for i, size := range []string{"640x400", "400x640", "640x420"} {
		tool(t, "ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=s="+size, "-frames:v", "1",
			filepath.Join(dir, fmt.Sprintf("%d.jpg", i)))
	}
	return dir
}

// filled checks that a sheet has so many cells and that all show something.
func filled(t *testing.T, path string, cell doc.Frame, cells int) {
	file, err := os.Open(path)
	require.NoError(t, err)
	defer file.Close()
	img, err := jpeg.Decode(file)
	require.NoError(t, err)
	cols := 4
	if cell.H > cell.W {
		cols = 8
	}
	assert.Equal(t, cols*(cell.W+6)-6, img.Bounds().Dx())
	assert.Equal(t, (cells+cols-1)/cols*(cell.H+6)-6, img.Bounds().Dy())
	for i := range cells {
		seen := map[uint32]bool{}
		for k := range 3200 {
			r, g, b, _ := img.At(i%cols*(cell.W+6)+cell.W*(k%80)/80, i/cols*(cell.H+6)+cell.H*(k/80)/40).
				RGBA()
			seen[r>>8<<16|g>>8<<8|b>>8] = true
		}
		assert.Greater(t, len(seen), 8, "cell %d shows something", i)
	}
}

package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/themes/themestest"
)

func TestSpritesAreKeptWithinTheBudget(t *testing.T) {
	path := writePNG(t, quarters(64, 64))
	files, lib := FilesIn{}, doc.Library{}
	for i := range 20 {
		id := doc.MediaID(fmt.Sprint(i))
		files[id], lib[id] = path, doc.Media{ID: id, Kind: doc.PhotoMedia, Name: "a.png", W: 64, H: 64}
	}
	a := newAssets(t, files, lib, 5*64*64*3/2)
	for i := range 20 {
		s, err := a.Sprite(scene.Asset{
			Kind:  scene.Photo,
			Media: doc.MediaID(fmt.Sprint(i)),
			W:     64,
			H:     64,
		}, raster.BT709)
		require.NoError(t, err)
		assert.Equal(t, 64*64*3/2, s.Bytes())
		assert.LessOrEqual(t, a.Held(), 5*64*64*3/2)
	}
	_, err := a.Sprite(scene.Asset{Kind: scene.Photo, Media: "none", W: 8, H: 8}, raster.BT709)
	assert.ErrorIs(t, err, os.ErrNotExist)
}

// testAssets are sprites for one film.
type testAssets struct {
	*Sprites
	lib doc.Library
}

func newAssets(t testing.TB, files Files, lib doc.Library, budget int) testAssets {
	return testAssets{NewSprites(files, themestest.Shelf(t), nil, budget), lib}
}

func (a testAssets) Lane() *Lane { return a.Sprites.Lane(context.Background(), a.lib, false) }

func (a testAssets) Sprite(as scene.Asset, m raster.Matrix) (*raster.Sprite, error) {
	return a.Lane().Sprite(as, m)
}

func (a testAssets) source(small bool) source {
	return source{a.Sprites, context.Background(), a.lib, small}
}

// Many that ask for the same picture at once have it read once, whoever of
// them goes away meanwhile; others get it in spite of that.
func TestSpritesArePreparedOnce(t *testing.T) {
	path := writePNG(t, quarters(640, 480))
	files := &counted{FilesIn: FilesIn{"p": path}, gate: make(chan struct{})}
	a := newAssets(t, files, doc.Library{"p": {ID: "p", Kind: doc.PhotoMedia, W: 640, H: 480}}, DefaultBudget)
	as := scene.Asset{Kind: scene.Photo, Media: "p", W: 320, H: 240}
	gone, leave := context.WithCancel(context.Background())
	first := make(chan error, 1)
	go func() {
		_, err := a.Sprites.Lane(gone, a.lib, false).Sprite(as, raster.BT709)
		first <- err
	}()
	require.Eventually(t, func() bool { return files.asked.Load() == 1 }, 5*time.Second, time.Millisecond)
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			s, err := a.Sprite(as, raster.BT709)
			if assert.NoError(t, err) {
				assert.Equal(t, 320, s.W)
			}
		})
	}
	leave()
	assert.ErrorIs(t, <-first, context.Canceled, "who goes away is not kept waiting")
	close(files.gate)
	wg.Wait()
	assert.LessOrEqual(t, files.asked.Load(), int32(2),
		"once for the one that went away, once for all others")
	_, err := a.Sprites.Lane(context.Background(), a.lib, false).Sprite(as, raster.BT709)
	require.NoError(t, err)
	assert.LessOrEqual(t, files.asked.Load(), int32(2), "another film has it from memory")
}

// counted counts how often files are asked for, and opens a gate for them.
type counted struct {
	FilesIn
	asked atomic.Int32
	gate  chan struct{}
}

func (c *counted) Path(ctx context.Context, id doc.MediaID) (string, error) {
	c.asked.Add(1)
	select {
	case <-c.gate:
	case <-ctx.Done():
		return "", ctx.Err()
	}
	return c.FilesIn.Path(ctx, id)
}

func TestBase(t *testing.T) {
	for in, want := range map[string]string{
		`C:\Users\x\a.jpg`:       "a.jpg",
		"../../etc/passwd":       "passwd",
		"":                       "unnamed",
		"..":                     "unnamed",
		"a\nb.jpg":               "ab.jpg",
		"é 海.png":                "é 海.png",
		"photo\u202egpj.exe":     "photogpj.exe",
		"\ufeffa\u2066b\xff.jpg": "ab.jpg",
	} {
		assert.Equal(t, want, Base(in))
	}
}

// noFonts is a shelf whose fonts cannot be had at first.
type noFonts struct{ tries int }

func (n *noFonts) File(string) ([]byte, error) { return nil, errors.New("no file") }

func (n *noFonts) Fonts(string) (map[string][]byte, error) {
	if n.tries++; n.tries == 1 {
		return nil, errors.New("the disk is away")
	}
	return map[string][]byte{}, nil
}

// Fonts that could not be installed are tried again.
func TestFontsAreTriedAgain(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	shelf := &noFonts{}
	content := strings.Repeat("f", 64)
	require.ErrorContains(t, InstallFonts(shelf, content), "the disk is away")
	require.NoError(t, InstallFonts(shelf, content))
	require.NoError(t, InstallFonts(shelf, content))
	assert.Equal(t, 2, shelf.tries, "and once they are there never again")
}

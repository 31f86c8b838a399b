package making_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/store"
)

// A film that shows a clip whose decoder complains is made, names the slide and is
// not verified. What the decoder complains of only while the film is made is noted of the
// clip, and the next attempt tells of it.
func TestFilmsOfDamagedClipsAreNotVerified(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	path := filepath.Join(t.TempDir(), "bow.mp4")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"testsrc2=d=3:s=320x180:r=25,noise=alls=12:allf=t", "-c:v", "libx264", "-g", "25", "-pix_fmt",
		"yuv420p", path).CombinedOutput()
	require.NoError(t, err, string(out))
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	for i := len(b) / 2; i < len(b)/2+4000; i++ {
		b[i] ^= byte(i * 7)
	}
	housetest.Bring(t, s, order, map[string][]byte{"bow.mp4": b})
	clip, err := store.One[store.Media](s.Store.DB, "order_id = ? AND kind = 'clip'", order)
	require.NoError(t, err)
	require.NotEmpty(t, clip.Known().Faulty)
	first := housetest.Rendered(t, s, order)
	assert.Contains(t, first.Doubt, "bow.mp4 could not be decoded without errors")
	assert.Nil(t, first.VerifiedAt)

	// Nobody knew of it.
	require.NoError(t, s.Store.DB.Model(&clip).Select("seen").Updates(&store.Media{Seen: &store.Seen{
		Starts:   doc.Anywhere,
		Examined: true,
	}}).Error)
	require.NoError(t, s.Store.DB.Exec("DELETE FROM segments").Error)
	r, err := s.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	for range 4 {
		if err = s.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "w", false); err == nil {
			break
		}
		assert.ErrorContains(t, err, "bow.mp4 could not be decoded without errors")
	}
	require.NoError(t, err)
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, r.State, r.Error)
	assert.Contains(t, r.Doubt, "bow.mp4")
	assert.Nil(t, r.VerifiedAt)
}

package zipentry_test

import (
	"archive/zip"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/zipentry"
)

// Info-ZIP's unzip, in any locale of UTF-8, gives names and dates as they went in.
func TestUnzipTakesEntriesAsTheyAre(t *testing.T) {
	path, out := filepath.Join(t.TempDir(), "a.zip"), t.TempDir()
	f, err := os.Create(path)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	at := time.Date(2026, 9, 12, 14, 30, 0, 0, time.UTC)
	names := []string{"Zoë – Ægir.mp4", "عمر.mp4", "plain.mp4"}
	for _, n := range names {
		w, err := z.CreateHeader(zipentry.New(n, zip.Store, at))
		require.NoError(t, err)
		_, err = w.Write([]byte(n))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	cmd := exec.Command("unzip", "-q", path, "-d", out)
	cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8", "TZ=UTC")
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, string(said))
	for _, n := range names {
		st, err := os.Stat(filepath.Join(out, n))
		require.NoError(t, err)
		assert.WithinDuration(t, at, st.ModTime(), 2*time.Second)
	}
}

package render

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A folder keeps files under their keys, wholly or not at all.
func TestFolderKeepsSegments(t *testing.T) {
	f := Folder{filepath.Join(t.TempDir(), "segments")}
	found, err := f.Find(context.Background(), []string{"k1"})
	require.NoError(t, err)
	assert.Empty(t, found)
	src := filepath.Join(t.TempDir(), "s.ts")
	require.NoError(t, os.WriteFile(src, []byte("segment"), 0o600))
	kept, err := f.Keep(context.Background(), "k1", src)
	require.NoError(t, err)
	_, err = f.Keep(context.Background(), "k2", filepath.Join(t.TempDir(), "none"))
	assert.Error(t, err)
	found, err = f.Find(context.Background(), []string{"k1", "k2"})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"k1": kept}, found)
	b, err := os.ReadFile(kept)
	require.NoError(t, err)
	assert.Equal(t, "segment", string(b))
	left, err := os.ReadDir(f.Dir)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing half written stays")
}

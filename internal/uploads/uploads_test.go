package uploads_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/store"
	"nelko/internal/uploads"
)

// leave puts an upload into the folder as the tus store writes it.
func leave(t *testing.T, dir, id string, order int64, data []byte, size int) {
	info, err := json.Marshal(map[string]any{
		"ID": id, "Size": size, "Offset": 0, "MetaData": map[string]string{
			"filename": id + ".jpg",
			"order":    fmt.Sprint(order),
		},
		"Storage": map[string]string{
			"Type":     "filestore",
			"Path":     filepath.Join(dir, id),
			"InfoPath": filepath.Join(dir, id+".info"),
		},
	})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, id), data, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, id+".info"), info, 0o644))
}

// A file that was whole when the program was stopped is taken in at the next
// start; one that is half there waits for its rest; one left for weeks goes.
func TestUploadsLeftBehind(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	dir := t.TempDir()
	photo := housetest.Photo(t, 1)
	leave(t, dir, "whole", o.ID, photo, len(photo))
	leave(t, dir, "half", o.ID, photo[:len(photo)/2], len(photo))
	leave(t, dir, "old", o.ID, photo[:10], len(photo))
	past := time.Now().AddDate(0, -1, 0)
	for _, name := range []string{"old", "old.info"} {
		require.NoError(t, os.Chtimes(filepath.Join(dir, name), past, past))
	}
	// Of a client's page a day is enough, of the studio's own it is not.
	yesterday := time.Now().Add(-25 * time.Hour)
	leave(t, dir, "client", o.ID, photo[:10], len(photo))
	b, err := os.ReadFile(filepath.Join(dir, "client.info"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "client.info"), bytes.Replace(b, []byte(`"order":`),
		[]byte(`"page":`), 1), 0o600))
	leave(t, dir, "mine", o.ID, photo[:10], len(photo))
	for _, name := range []string{"client", "mine"} {
		require.NoError(t, os.Chtimes(filepath.Join(dir, name), yesterday, yesterday))
	}
	leave(t, dir, "orphan", 999, photo, len(photo)) // its order is gone: kept, and reported in the log

	up, err := uploads.New(uploads.Config{Dir: dir, Intake: s.Intake, Runs: s.Runs})
	require.NoError(t, err)
	defer up.Close()
	var got []store.Media
	require.Eventually(t, func() bool {
		require.NoError(t, s.Store.DB.Find(&got).Error)
		_, err := os.Stat(filepath.Join(dir, "old.info"))
		return len(got) > 0 && os.IsNotExist(err)
	}, 10*time.Second, 50*time.Millisecond)
	require.Len(t, got, 1)
	assert.Equal(t, "whole.jpg", got[0].Name)
	assert.Equal(t, int64(len(photo)), got[0].Size)
	assert.NoFileExists(t, filepath.Join(dir, "whole"))
	assert.FileExists(t, filepath.Join(dir, "half"))
	assert.FileExists(t, filepath.Join(dir, "orphan"))
	assert.NoFileExists(t, filepath.Join(dir, "old"))
	assert.NoFileExists(t, filepath.Join(dir, "client"))
	assert.FileExists(t, filepath.Join(dir, "mine"))
}

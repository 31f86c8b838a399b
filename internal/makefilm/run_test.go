package makefilm_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/house/housetest"
	"nelko/internal/makefilm"
	"nelko/internal/media"
	"nelko/themes"
)

// A Run without a server: what is sure is made, what is not is told; stopped,
// it goes on; corrected, only what differs is made anew.
func TestARunOfFolders(t *testing.T) {
	require.NoError(t, media.Startup())
	dir, out := t.TempDir(), filepath.Join(t.TempDir(), "films")
	put := func(name string, b []byte) string {
		p := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, b, 0o600))
		return p
	}
	list := put("crews.csv",
		[]byte("Key;Crew;Date\n01;The Gannets;12/9\n02;Harbour Lights;12/9\n03;;12/9\n04;Dunlin Eight;12/9\n"))
	put("quay.jpg", housetest.Photo(t, 1))
	put("The Gannets/a.jpg", housetest.Photo(t, 2))
	put("The Gannets/b.jpg", housetest.Photo(t, 3))
	put("02_lights/c.jpg", housetest.Photo(t, 4))
	put("02_lights/d.jpg", housetest.Photo(t, 5))
	put("03/e.jpg", housetest.Photo(t, 6))
	put("DunlinEight/f.jpg", housetest.Photo(t, 7))
	song := put("music/all.flac", housetest.Song(t, 17))
	shelf, err := themes.Shipped()
	require.NoError(t, err)
	small := profile.Draft
	small.Longer = 160
	r := makefilm.RunRequest{
		Shelf:    shelf,
		Theme:    "tideline",
		List:     list,
		Folders:  dir,
		Music:    []string{song},
		Out:      out,
		Profiles: []profile.Profile{small},
		Frame:    doc.Frame{W: 320, H: 180},
		Seed:     1,
	}

	ctx, stop := context.WithCancel(context.Background())
	r.Report = func(makefilm.RunRow) { stop() }
	_, err = makefilm.Run(ctx, r)
	require.ErrorIs(t, err, context.Canceled)
	r.Report = nil
	s, err := makefilm.Run(context.Background(), r)
	require.NoError(t, err)
	states := map[string]string{}
	for _, row := range s.Rows {
		states[row.Key] = row.State + " " + row.Why
	}
	assert.Equal(t, map[string]string{
		"01": "kept ",
		"02": "made ",
		"03": "left out missing: Names",
		"04": "left out no folder matches",
	}, states)
	assert.Equal(t, []int{1, 1, 2}, []int{s.Made, s.Kept, s.Not})
	var folders []string
	for _, f := range s.Folders {
		folders = append(folders, f.Folder+" "+f.Likely)
	}
	assert.ElementsMatch(t, []string{"DunlinEight 04", "music "}, folders)
	assert.FileExists(t, filepath.Join(out, "01 The Gannets.mp4"))

	// The common picture's segments are those of the first film.
	assert.Less(t, int64(s.Encoded), int64(s.Frames)/2)
	r.Likely = true
	require.NoError(t, os.WriteFile(list,
		[]byte("Key;Crew;Date\n01;The Gannetts;12/9\n02;Harbour Lights;12/9\n03;Terns;12/9\n04;Dunlin "+
			"Eight;12/9\n"), 0o600))
	s, err = makefilm.Run(context.Background(), r)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 1, 0}, []int{s.Made, s.Kept, s.Not})
	assert.Less(t, int64(s.Rows[0].Encoded), int64(s.Rows[0].Frames), "only what shows the names")
	assert.Equal(t, "kept", s.Rows[1].State)
	s, err = makefilm.Run(context.Background(), r)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 4, 0}, []int{s.Made, s.Kept, s.Not})

	// A file that someone else put there is not written over.
	require.NoError(t, os.WriteFile(filepath.Join(out, "05 Guests.mp4"), []byte("theirs"), 0o600))
	require.NoError(t, os.WriteFile(list, []byte("Key;Crew;Date\n05;Guests;12/9\n"), 0o600))
	put("05/a.jpg", housetest.Photo(t, 8))
	s, err = makefilm.Run(context.Background(), r)
	require.NoError(t, err)
	assert.Equal(t, "failed", s.Rows[0].State)
	assert.Contains(t, s.Rows[0].Why, "it is left alone")
	b, err := os.ReadFile(filepath.Join(out, "05 Guests.mp4"))
	require.NoError(t, err)
	assert.Equal(t, "theirs", string(b))

	r.List = put("bad.csv", []byte("a,\"b\n"))
	_, err = makefilm.Run(context.Background(), r)
	assert.ErrorContains(t, err, "row 1, column")
	r.List, r.Names = list, "{nothing}"
	_, err = makefilm.Run(context.Background(), r)
	assert.True(t, err != nil && strings.Contains(err.Error(), "there is no {nothing}"), err)
}

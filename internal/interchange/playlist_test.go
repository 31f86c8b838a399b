package interchange

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPlaylists(t *testing.T) {
	tracks := []Track{{"Harbour & Morning.flac", "Harbour Morning", 62}, {"Zoë 50%.mp3", "", 180.5}}
	var m, x bytes.Buffer
	require.NoError(t, WriteM3U(&m, tracks))
	require.NoError(t, WriteXSPF(&x, tracks))
	assert.Equal(t, "#EXTM3U\n#EXTINF:62,Harbour Morning\nHarbour & Morning.flac\n#EXTINF:181,\nZoë 50%.mp3\n", m.String())
	got, err := ReadPlaylist(&x)
	require.NoError(t, err)
	assert.Equal(t, tracks, got)

	// As the XSPF specification's example has it, and as players of several systems
	// write their lists.
	got, err = ReadPlaylist(
		strings.NewReader(`<?xml version="1.0" encoding="UTF-8"?><playlist version="1" xmlns="http://xspf.org/ns/0/"><trackList><track><location>http://example.com/my%20song.mp3</location></track></trackList></playlist>`))
	require.NoError(t, err)
	assert.Equal(t, []Track{{Name: "my song.mp3"}}, got)
	got, err = ReadPlaylist(
		strings.NewReader("\ufeffC:\\Music\\a.mp3\r\n\r\n#EXTINF:-1,Radio\r\nfile:///srv/b%20c.ogg\r\n../d.flac"))
	require.NoError(t, err)
	assert.Equal(t, []Track{{Name: "a.mp3"}, {Name: "b c.ogg", Title: "Radio"}, {Name: "d.flac"}}, got)
	for _, bad := range []string{"", "# nothing", "<playlist", "<html></html>"} {
		_, err := ReadPlaylist(strings.NewReader(bad))
		assert.Error(t, err, bad)
	}
}

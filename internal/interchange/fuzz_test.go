package interchange

import (
	"bytes"
	"strings"
	"testing"
)

// A playlist names files, never places.
func FuzzReadPlaylist(f *testing.F) {
	for _, s := range []string{"#EXTM3U\n#EXTINF:12,One\n../../etc/passwd\n", "file:///a/b%2f..%2fc.mp3",
		`C:\music\a.mp3`, `<playlist xmlns="http://xspf.org/ns/0/" version="1"><trackList><track><location>file:///x/y.mp3</location><duration>-5</duration></track></trackList></playlist>`, "<", "#EXTINF:nan,\nx"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		tracks, err := ReadPlaylist(bytes.NewReader(b))
		if err != nil {
			return
		}
		for _, k := range tracks {
			if strings.ContainsAny(k.Name, "/\\\x00") || k.Name == ".." {
				t.Fatalf("%q is a place", k.Name)
			}
			if !(k.Seconds >= 0) {
				t.Fatalf("it lasts %v s", k.Seconds)
			}
		}
	})
}

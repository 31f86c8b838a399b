package patternfile_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/patternfile"
)

var (
	one = strings.Repeat("1a", 32)
	two = strings.Repeat("2b", 32)
	at  = time.Date(2026, 9, 12, 10, 0, 0, 0, time.UTC)
)

func pattern() patternfile.Pattern {
	d := doc.New("plain", 7)
	d.Pattern = &doc.Pattern{ByRow: []string{"crew"}}
	return patternfile.Pattern{
		Doc: d, Details: map[string]string{"event": "Regatta 2026"},
		Media: []patternfile.Medium{{one, "001 Zoë & co.jpg", at}, {two, "002 song.flac", at}},
	}
}

func open(sha string) (io.ReadCloser, error) {
	return io.NopCloser(strings.NewReader("all of " + sha)), nil
}

func kept(t *testing.T, b []byte) string {
	name := filepath.Join(t.TempDir(), "pattern.zip")
	require.NoError(t, os.WriteFile(name, b, 0o600))
	return name
}

func TestAPatternIsReadAsItWasWritten(t *testing.T) {
	var b bytes.Buffer
	p := pattern()
	require.NoError(t, patternfile.Write(&b, p, at, open))
	r, err := patternfile.Open(kept(t, b.Bytes()))
	require.NoError(t, err)
	defer r.Close()
	assert.Equal(t, p.Details, r.Details)
	assert.Equal(t, p.Doc, r.Doc)
	require.Len(t, r.Media, 2)
	for i, m := range r.Media {
		assert.Equal(t, p.Media[i].SHA256, m.SHA256)
		assert.Equal(t, p.Media[i].Name, m.Name)
		to := filepath.Join(t.TempDir(), "medium")
		require.NoError(t, r.Extract(m, to))
		got, err := os.ReadFile(to)
		require.NoError(t, err)
		assert.Equal(t, "all of "+m.SHA256, string(got))
	}
	broken := errors.New("the disk")
	assert.ErrorIs(t, patternfile.Write(io.Discard, p, at, func(string) (io.ReadCloser, error) {
		return nil, broken
	}), broken)
}

// What a zip of a stranger says is a name must not lead out of the folder it is unpacked in.
func TestNamesLeadNowhereElse(t *testing.T) {
	document, err := pattern().Doc.Marshal()
	require.NoError(t, err)
	film, err := doc.New("plain", 7).Marshal()
	require.NoError(t, err)
	says := func(document []byte, sha, name string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		f, err := z.Create(patternfile.Name)
		require.NoError(t, err)
		require.NoError(t, json.NewEncoder(f).Encode(map[string]any{
			"document": json.RawMessage(document),
			"media":    map[string]string{sha: name},
		}))
		require.NoError(t, z.Close())
		return b.Bytes()
	}
	for _, c := range []struct{ sha, name string }{
		{"../../../../tmp/x", "a.jpg"}, {one + "/../x", "a.jpg"}, {strings.ToUpper(one), "a.jpg"},
		{"", "a.jpg"},
		{one, "../a.jpg"}, {one, "/etc/passwd"}, {one, `..\a.jpg`}, {one, "c:a.jpg"}, {one, ""},
	} {
		_, err := patternfile.Open(kept(t, says(document, c.sha, c.name)))
		assert.ErrorContains(t, err, "which no pattern does", "%q %q", c.sha, c.name)
	}
	r, err := patternfile.Open(kept(t, says(document, one, "a.jpg")))
	require.NoError(t, err)
	assert.Error(t, r.Extract(r.Media[0], filepath.Join(t.TempDir(), "x")), "it is not there")
	require.NoError(t, r.Close())

	_, err = patternfile.Open(kept(t, says(film, one, "a.jpg")))
	assert.ErrorContains(t, err, "no pattern")
	_, err = patternfile.Open(kept(t, []byte("not a zip")))
	assert.ErrorContains(t, err, "pattern.zip")
	long := says([]byte(`{"title":"`+strings.Repeat("x", 33<<20)+`"}`), one, "a.jpg")
	_, err = patternfile.Open(kept(t, long))
	assert.ErrorContains(t, err, "longer than 32 MB")
}

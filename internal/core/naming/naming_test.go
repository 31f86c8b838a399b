package naming_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/naming"
)

func TestNamesFromAPattern(t *testing.T) {
	rows := []map[string]string{{
		"key":   "01",
		"names": "The Gannets",
	}, {"key": "02", "names": "A/B: \"C\"?"}, {"key": "03", "names": "the gannets"}, {"key": "04"}}
	assert.Equal(t, []string{"The Gannets.mp4", "A-B- -C--.mp4", "the gannets (2).mp4", "film.mp4"},
		naming.Names("{names}", rows, "mp4"))
	assert.Equal(t, []string{"1 of 4 01", "2 of 4 02", "3 of 4 03", "4 of 4 04"},
		naming.Names("{counter} of 4 {key}", rows, ""))
	many := naming.Names("{counter}", make([]map[string]string, 120), "mp4")
	assert.Equal(t, []string{"001.mp4", "120.mp4"}, []string{many[0], many[119]})
	boats := []map[string]string{{"key": "2", "no": "7a"}, {"key": "10", "no": "12"}, {"key": "", "no": "3"}}
	assert.Equal(t, []string{"02 7a", "10 12", "3"}, naming.Names("{key} {no}", boats, ""),
		"files stand in the rows' order")

	assert.NoError(t, naming.Check("{key} {names} {counter}", []string{"key", "names"}))
	assert.ErrorContains(t, naming.Check("{key} {nmaes}", []string{"key", "names"}),
		"there is no {nmaes}; there are {key}, {names}, {counter}")
	assert.ErrorContains(t, naming.Check("{key", []string{"key"}), "not closed")
	assert.Error(t, naming.Check(" ", nil))
}

// Microsoft, "Naming Files, Paths, and Namespaces": reserved characters and
// names, no blank or dot at the end; POSIX: no slash, no zero byte, at most 255
// bytes. Each name is really made.
func TestNamesAreSafe(t *testing.T) {
	dir := t.TempDir()
	hard := []string{"CON", "nul.txt", "COM1", "lpt9.x", "aux ", "trailing. . ", "..", ".", "a\x00b\x1f",
		"new\nline\ttab", `<>:"/\|?*`, "", "   ", strings.Repeat("長い名前", 60), strings.Repeat("e\u0301", 150),
		"right\u202eto left", "emoji 👩‍👩‍👧", "\xff\xfe"}
	var rows []map[string]string
	for _, h := range hard {
		rows = append(rows, map[string]string{"names": h})
	}
	seen := map[string]bool{}
	for i, n := range naming.Names("{names}", rows, "mp4") {
		require.NoError(t, os.WriteFile(filepath.Join(dir, n), nil, 0o600), "%q", hard[i])
		assert.Equal(t, filepath.Base(n), n, "%q", hard[i])
		assert.True(t, utf8.ValidString(n))
		assert.LessOrEqual(t, len(n), naming.MaxBytes)
		stem := strings.TrimSuffix(n, ".mp4")
		assert.NotContains(t, []string{"con", "nul", "com1", "lpt9", "aux"},
			strings.ToLower(strings.SplitN(stem, ".", 2)[0]))
		assert.False(t, strings.ContainsAny(n, "<>:\"/\\|?*\x00\n\u202e"), n)
		assert.False(t, strings.HasSuffix(stem, " ") || strings.HasSuffix(stem, "."), n)
		assert.False(t, seen[strings.ToLower(n)], n)
		seen[strings.ToLower(n)] = true
	}
}

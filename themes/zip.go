package themes

import (
	"archive/zip"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"nelko/internal/core/design"
	"nelko/internal/core/theme"
)

// Limits of a theme's zip.
const (
	maxFiles = 400
	maxBytes = 200 << 20 // unpacked
)

// OpenZip reads a theme from a zip of theme.json, fonts and pictures. It
// stays open as long as the program runs. What cannot be is refused with its
// path and the reason.
func OpenZip(name string) (*theme.Theme, fs.FS, error) {
	z, err := zip.OpenReader(name)
	if err != nil {
		return nil, nil, fmt.Errorf("not a zip file: %w", err)
	}
	t, err := check(&z.Reader)
	if err != nil {
		return nil, nil, fmt.Errorf("%w%s", err, closing(z))
	}
	return t, z, nil
}

func closing(z *zip.ReadCloser) string {
	if err := z.Close(); err != nil {
		return " (and it could not be closed: " + err.Error() + ")"
	}
	return ""
}

func check(z *zip.Reader) (*theme.Theme, error) {
	if len(z.File) > maxFiles {
		return nil, fmt.Errorf("%d files; at most %d", len(z.File), maxFiles)
	}
	var total uint64
	for _, f := range z.File {
		if !fs.ValidPath(strings.TrimSuffix(f.Name, "/")) || strings.Contains(f.Name, `\`) {
			return nil, fmt.Errorf("%s: not a path inside the theme", f.Name)
		}
		if total += f.UncompressedSize64; total > maxBytes {
			return nil, fmt.Errorf("larger than %d MB unpacked", maxBytes>>20)
		}
	}
	return read(z)
}

// allowed are the kinds of file a theme may hold.
var allowed = []string{".json", ".ttf", ".otf", ".svg", ".png", ".jpg", ".webp", ".txt", ".md"}

// read parses a theme's folder and checks that every file it names is there.
func read(dir fs.FS) (*theme.Theme, error) {
	b, err := fs.ReadFile(dir, "theme.json")
	if err != nil {
		return nil, fmt.Errorf("theme.json: missing")
	}
	t, err := theme.Parse(b)
	if err != nil {
		return nil, fmt.Errorf("theme.json: %w", err)
	}
	err = fs.WalkDir(dir, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		if !slices.Contains(allowed, strings.ToLower(path.Ext(p))) {
			return fmt.Errorf("%s: a theme holds no files of this kind", p)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for where, file := range filesNamed(t) {
		if _, err := fs.Stat(dir, file); err != nil || !fs.ValidPath(file) {
			return nil, fmt.Errorf("theme.json: %s: the file %q is not in the theme", where, file)
		}
	}
	return t, nil
}

// filesNamed lists the files a theme names, by where it names them.
func filesNamed(t *theme.Theme) map[string]string {
	out := map[string]string{}
	backdrop := func(where string, b design.Backdrop) {
		if b.Kind == design.Image {
			out[where+".backdrop.asset"] = b.Asset
		}
	}
	decor := func(where string, d design.Decor) {
		if d.Asset != "" {
			out[where+".asset"] = d.Asset
		}
	}
	for name, c := range map[string]theme.Card{"opening": t.Opening, "title_card": t.Title, "text_card": t.Text, "credits": t.Credits, "closing": t.Closing} {
		backdrop(name, c.Backdrop)
		for i, d := range c.Decor {
			decor(fmt.Sprintf("%s.decor[%d]", name, i), d)
		}
	}
	for i, l := range t.Layouts {
		if l.Backdrop != nil {
			backdrop(fmt.Sprintf("layouts[%d]", i), *l.Backdrop)
		}
	}
	for i, d := range t.Decor {
		decor(fmt.Sprintf("decor[%d]", i), d.Decor)
	}
	return out
}

package themes

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"

	"nelko/internal/cage"
	"nelko/internal/core/design"
	"nelko/internal/core/theme"
)

// Limits of a theme's zip.
const (
	maxFiles = 400
	maxBytes = 200 << 20 // unpacked
)

// trying reads a theme in a process of its own: what was read there within its limits can be read
// here. Of fonts, each glyph is looked at.
var trying = cage.NewTask("theme", cage.Cage{
	Memory:  768 << 20,
	Seconds: 60,
}, 2*time.Minute, 1, func(in io.Reader, _ io.Writer) error {
	b, err := io.ReadAll(in)
	if err != nil {
		return err
	}
	v, err := Unpack(b)
	if err == nil {
		err = v.presentable()
	}
	if err != nil {
		return err
	}
	return v.tryFonts()
})

// tryFonts reads every glyph of a theme's fonts.
func (v Version) tryFonts() error {
	for name := range v.Contents {
		if !isFont(name) {
			continue
		}
		b, err := fs.ReadFile(v.Files, name)
		if err != nil {
			return err
		}
		font, err := sfnt.Parse(b)
		if beyond(err) {
			continue
		}
		if err != nil {
			return fmt.Errorf("%s: not a font that can be read: %w", name, err)
		}
		var buf sfnt.Buffer
		for i := range font.NumGlyphs() {
			if _, err := font.LoadGlyph(&buf, sfnt.GlyphIndex(i), fixed.I(64), nil); err != nil &&
				!errors.Is(err, sfnt.ErrColoredGlyph) && !beyond(err) {
				return fmt.Errorf("%s: its glyph %d is damaged: %w", name, i, err)
			}
		}
	}
	return nil
}

// beyond reports whether the looking reader knows less than the typesetter: nothing is wrong.
func beyond(err error) bool { return err != nil && strings.Contains(err.Error(), "unsupported") }

// OpenZip reads a theme from a zip of theme.json, fonts and pictures. What
// cannot be is refused with its path and the reason; what takes more than themes do, too.
func OpenZip(name string) (Version, error) {
	st, err := os.Stat(name)
	if err != nil {
		return Version{}, err
	}
	if st.Size() > maxBytes {
		return Version{}, fmt.Errorf("larger than %d MB", maxBytes>>20)
	}
	b, err := os.ReadFile(name)
	if err != nil {
		return Version{}, err
	}
	if _, err := trying.Do(context.Background(), b); errors.Is(err, cage.ErrLost) {
		return Version{}, errors.New("it takes more memory or time than themes do, or stops whoever reads it")
	} else if err != nil {
		return Version{}, err
	}
	return Unpack(b)
}

// presentable reports what in a theme the program could not name or keep.
func (v Version) presentable() error {
	for name := range v.Contents {
		if theme.Unprintable(name) {
			return fmt.Errorf("%q: a file's name has a control character", name)
		}
	}
	b, err := fs.ReadFile(v.Files, "theme.json")
	if err == nil {
		err = v.Presentable(b)
	}
	if err != nil {
		return fmt.Errorf("theme.json: %w", err)
	}
	return nil
}

// Unpack reads a theme from the bytes of a zip, which it holds on to.
func Unpack(b []byte) (Version, error) {
	z, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
	if err != nil {
		return Version{}, fmt.Errorf("not a zip file: %w", err)
	}
	return check(z)
}

func pack(to io.Writer, v Version) error {
	z := zip.NewWriter(to)
	for _, name := range slices.Sorted(maps.Keys(v.Contents)) {
		b, err := fs.ReadFile(v.Files, name)
		if err != nil {
			return err
		}
		w, err := z.Create(name)
		if err != nil {
			return err
		}
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	return z.Close()
}

func check(z *zip.Reader) (Version, error) {
	if len(z.File) > maxFiles {
		return Version{}, fmt.Errorf("%d files; at most %d", len(z.File), maxFiles)
	}
	var total uint64
	for _, f := range z.File {
		if !fs.ValidPath(strings.TrimSuffix(f.Name, "/")) || strings.Contains(f.Name, `\`) {
			return Version{}, fmt.Errorf("%s: not a path inside the theme", f.Name)
		}
		if total += f.UncompressedSize64; total > maxBytes {
			return Version{}, fmt.Errorf("larger than %d MB unpacked", maxBytes>>20)
		}
	}
	return read(z)
}

// allowed are the kinds of file a theme may hold.
var allowed = []string{".json", ".ttf", ".otf", ".svg", ".png", ".jpg", ".webp", ".txt", ".md"}

// read parses a theme's folder and checks that every file it names is there.
func read(dir fs.FS) (Version, error) {
	b, err := fs.ReadFile(dir, "theme.json")
	if err != nil {
		return Version{}, fmt.Errorf("theme.json: missing")
	}
	t, err := theme.Parse(b)
	if err != nil {
		return Version{}, fmt.Errorf("theme.json: %w", err)
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
		return Version{}, err
	}
	for where, file := range filesNamed(t) {
		if _, err := fs.Stat(dir, file); err != nil || !fs.ValidPath(file) {
			return Version{}, fmt.Errorf("theme.json: %s: the file %q is not in the theme", where, file)
		}
	}
	if err := name(t, dir); err != nil {
		return Version{}, err
	}
	return Version{t, dir}, nil
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
	for name, c := range map[string]theme.Card{
		"opening":    t.Opening,
		"title_card": t.Title,
		"text_card":  t.Text,
		"credits":    t.Credits,
		"closing":    t.Closing,
	} {
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

package theme

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode"
)

// identifier is what things are called by that the program and its database name: themes, their
// layouts and details.
var identifier = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// Presentable reports, with its path, a name in a theme that the program could not keep: an
// identifier of another form, or a text with a control character. Themes that come in must pass;
// versions that are kept already are read as they are.
func (t *Theme) Presentable(source []byte) error {
	named := func(path, id string) error {
		if !identifier.MatchString(id) {
			return fmt.Errorf("%s: %q must be lower-case letters, figures and hyphens, beginning with a "+
				"letter, at most 40", path, id)
		}
		return nil
	}
	errs := []error{named("id", t.ID)}
	for i, l := range t.Layouts {
		errs = append(errs, named(fmt.Sprintf("layouts[%d].id", i), l.ID))
	}
	for i, d := range t.Details {
		errs = append(errs, named(fmt.Sprintf("details[%d].key", i), d.Key))
	}
	for _, err := range append(errs, printable(source)) {
		if err != nil {
			return err
		}
	}
	return nil
}

// printable reports a text of a JSON document with a character that is none.
func printable(source []byte) error {
	d := json.NewDecoder(bytes.NewReader(source))
	for {
		tok, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if s, ok := tok.(string); ok && Unprintable(s) {
			return fmt.Errorf("the text %q has a control character", s)
		}
	}
}

// Unprintable reports whether a text has control characters, other than the ends of lines and
// tabs.
func Unprintable(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool {
		return unicode.IsControl(r) && r != '\n' && r != '\r' && r != '\t'
	})
}

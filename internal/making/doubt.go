package making

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/film"
	"nelko/internal/media"
	"nelko/internal/store"
)

// inDoubt tells, slide by slide, what of a film was not made without errors; empty: all
// of it was.
func inDoubt(f *film.Film) string {
	var out []string
	for _, x := range f.Faults() {
		out = append(out, fmt.Sprintf("Slide %d: %s could not be decoded without errors (%s).",
			f.Doc.Index(x.Slide)+1, x.Media.Name, x.Media.Faulty))
	}
	return strings.Join(out, " ")
}

// blame notes of a clip what its decoder complained of while a film was made, so
// that the next attempt decodes it from its start or, where it was, makes the film with the
// doubt told. The error is one of the moment then. Others stay as they are.
func (a *Attempts) blame(ctx context.Context, err error) error {
	var told *media.Complaint
	if !errors.As(err, &told) {
		return err
	}
	noted := a.Store.Tx(ctx, func(tx *gorm.DB) error {
		var all []store.Media
		if err := tx.Where("sha256 = ? AND kind = ?", string(told.Media), doc.ClipMedia).
			Find(&all).Error; err != nil {
			return err
		}
		for _, m := range all {
			seen := m.Looked()
			seen.Examined, seen.Starts = true, doc.AtStart
			if !told.Middle {
				seen.Faulty = told.Text
			}
			if err := tx.Model(&m).Select("seen").Updates(&store.Media{Seen: &seen}).Error; err != nil {
				return err
			}
		}
		return nil
	})
	return errors.Join(errors.New(told.Error()), noted)
}

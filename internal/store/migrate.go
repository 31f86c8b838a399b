package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"nelko/internal/core/doc"
	"nelko/migrations"
)

// ErrNewer means that a newer version of the program has changed the database.
var ErrNewer = errors.New("the database is of a newer version of the program")

// Migrate brings the schema, and the queue's, up to date. themeVersion gives
// the content of the theme that documents of before meant; it may be nil.
// A database that a newer program changed is ErrNewer, and left as it is.
func (s *Store) Migrate(ctx context.Context, themeVersion func(id string) string) error {
	p, err := s.provider(themeVersion)
	if err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	has, err := p.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	known := p.ListSources()
	if most := known[len(known)-1].Version; has > most {
		return fmt.Errorf("%w: it is at version %d, this program knows %d. Start the newer program, or "+
			"bring back a backup of before it", ErrNewer, has, most)
	}
	if _, err := p.Up(ctx); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return fmt.Errorf("migrating the queue: %w", err)
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrating the queue: %w", err)
	}
	return nil
}

// provider has the migrations in order.
func (s *Store) provider(themeVersion func(id string) string) (*goose.Provider, error) {
	convert := goose.NewGoMigration(5, &goose.GoFunc{RunTx: func(ctx context.Context, tx *sql.Tx) error {
		return convertDocuments(ctx, tx, themeVersion)
	}}, nil)
	return goose.NewProvider(goose.DialectPostgres, s.SQL, migrations.Files, goose.WithGoMigrations(convert))
}

// MoveBack takes the schema's last step back, as a program of before left it. What came with that
// step is lost: it is for trying out what a program does that finds such a database.
func (s *Store) MoveBack(ctx context.Context) error {
	p, err := s.provider(nil)
	if err != nil {
		return fmt.Errorf("moving back: %w", err)
	}
	if _, err := p.Down(ctx); err != nil {
		return fmt.Errorf("moving back: %w", err)
	}
	return nil
}

// convertDocuments converts every revision to version 3: media named by
// content, details and rate out of the document, the rest packed. An order's
// details are those of its head.
func convertDocuments(ctx context.Context, tx *sql.Tx, themeVersion func(string) string) error {
	content, err := contentOfRows(ctx, tx)
	if err != nil {
		return err
	}
	type row struct {
		slideshow int64
		number    int
		head      int
		order     int64
		document  []byte
		packed    []byte
		base      *int
		details   []byte
		whole     []byte
	}
	rows, err := tx.QueryContext(ctx,
		`SELECT r.slideshow_id, r.number, s.head, s.order_id, r.document FROM revisions r JOIN slideshows s ON s.id = r.slideshow_id ORDER BY r.slideshow_id, r.number`)
	if err != nil {
		return err
	}
	defer rows.Close()
	var all []row
	var base *row // the last revision that is kept whole
	for rows.Next() {
		var r row
		if err := rows.Scan(&r.slideshow, &r.number, &r.head, &r.order, &r.document); err != nil {
			return err
		}
		d, told, err := doc.Convert(r.document, content, themeVersion)
		if err != nil {
			return fmt.Errorf("slideshow %d, revision %d: %w", r.slideshow, r.number, err)
		}
		r.document = nil
		if r.whole, err = d.Marshal(); err != nil {
			return err
		}
		if r.details, err = json.Marshal(told.Details); err != nil {
			return err
		}
		if r.packed, err = pack(r.whole, nil); err != nil {
			return err
		}
		if base != nil && base.slideshow == r.slideshow {
			diff, err := pack(r.whole, base.whole)
			if err != nil {
				return err
			}
			if len(diff) < len(r.packed)/4 {
				number := base.number
				r.packed, r.base = diff, &number
			}
		}
		if r.base == nil {
			kept := r
			base = &kept
		}
		r.whole = nil
		all = append(all, r)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	for _, r := range all {
		if _, err := tx.ExecContext(ctx,
			`UPDATE revisions SET packed = $1, base = $2, details = $3 WHERE slideshow_id = $4 AND number = $5`,
			r.packed, r.base, string(r.details), r.slideshow, r.number); err != nil {
			return err
		}
		if r.number == r.head {
			if _, err := tx.ExecContext(ctx, `UPDATE orders SET details = $1 WHERE id = $2`,
				string(r.details), r.order); err != nil {
				return err
			}
		}
	}
	_, err = tx.ExecContext(ctx,
		`UPDATE renders n SET details = r.details FROM revisions r WHERE r.slideshow_id = n.slideshow_id AND r.number = n.revision`)
	return err
}

// contentOfRows gives the content of media as documents of before named them:
// by m and the row.
func contentOfRows(ctx context.Context, tx *sql.Tx) (func(string) (doc.MediaID, bool), error) {
	rows, err := tx.QueryContext(ctx, "SELECT id, sha256 FROM media")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	named := map[string]doc.MediaID{}
	for rows.Next() {
		var id int64
		var sha string
		if err := rows.Scan(&id, &sha); err != nil {
			return nil, err
		}
		named[fmt.Sprintf("m%d", id)] = doc.MediaID(sha)
	}
	return func(name string) (doc.MediaID, bool) { c, ok := named[name]; return c, ok }, rows.Err()
}

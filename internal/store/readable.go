package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"log/slog"
	"net"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"
)

// Unreadable reports whether an error means that a row was given, and what is in it cannot be
// read; not that the database refused, or that it or whoever asked went away.
func Unreadable(err error) bool {
	if err == nil || errors.Is(err, ErrNotFound) || errors.Is(err, gorm.ErrRecordNotFound) ||
		errors.Is(err, driver.ErrBadConn) {
		return false
	}
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return false
	}
	var refused *pgconn.PgError
	var connect *pgconn.ConnectError
	var away net.Error
	return !errors.As(err, &refused) && !errors.As(err, &connect) && !errors.As(err, &away)
}

// StudioOf reads the studio's settings. One that cannot be read is as if it had never been set,
// and named in Aside; it stays in the database until it is set anew.
func StudioOf(tx *gorm.DB) (Studio, error) {
	tx = tx.Session(&gorm.Session{})
	st, err := One[Studio](tx, "id = 1")
	if !Unreadable(err) {
		return st, err
	}
	slog.Error("a setting of the studio cannot be read", "error", err)
	parts := []string{"Mails", "MarkPicture"}
	if st, err = One[Studio](tx.Omit(parts...), "id = 1"); err != nil {
		return st, err
	}
	for _, p := range parts {
		one, err := One[Studio](tx.Select("ID", p), "id = 1")
		switch {
		case Unreadable(err):
			st.Aside = append(st.Aside, p)
		case err != nil:
			return st, err
		case p == "Mails":
			st.Mails = one.Mails
		default:
			st.MarkPicture = one.MarkPicture
		}
	}
	return st, nil
}

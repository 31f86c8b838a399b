package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
)

// Unreached reports whether an error is that the database cannot be reached just now, or went
// away meanwhile (PostgreSQL's appendix A: class 08, 57P01 to 57P03, 53300): the same may
// succeed later. Whether it succeeded already is not known.
func Unreached(err error) bool {
	var connect *pgconn.ConnectError
	var network *net.OpError // and not net.Error, which a full disk is too
	switch code := codeOf(err); {
	case err == nil:
		return false
	case errors.As(err, &connect):
		return true
	case code != "":
		return strings.HasPrefix(code, "08") || code == "57P01" || code == "57P02" || code == "57P03" ||
			code == "53300"
	}
	return errors.As(err, &network) ||
		errors.Is(err, driver.ErrBadConn) || errors.Is(err, io.ErrUnexpectedEOF) ||
		strings.Contains(err.Error(), "conn closed")
}

// waitFor is how long is waited before the database is asked again.
const waitFor = time.Second

// Patiently does something with the database again and again as long as that cannot be reached,
// until ctx ends. As it may have been done before an error came, it must bear to be done twice.
func Patiently(ctx context.Context, f func() error) error {
	for {
		err := f()
		if !Unreached(err) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(waitFor):
		}
	}
}

package store_test

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"

	"nelko/internal/store"
)

// What may succeed later is told from what does not: a full disk, a statement that is wrong, and
// whoever stopped asking are not a database that is away (PostgreSQL's appendix A).
func TestUnreached(t *testing.T) {
	for _, err := range []error{
		&pgconn.PgError{Code: "57P01"}, &pgconn.PgError{Code: "08006"}, &pgconn.PgError{Code: "53300"},
		&net.OpError{
			Op:  "dial",
			Err: syscall.ECONNREFUSED,
		}, fmt.Errorf("asking: %w", &net.OpError{Op: "read", Err: syscall.ECONNRESET}),
		errors.New("conn closed"),
	} {
		assert.True(t, store.Unreached(err), "%v", err)
	}
	for _, err := range []error{
		nil, &pgconn.PgError{Code: "23505"}, &pgconn.PgError{Code: "53100"}, &pgconn.PgError{Code: "42703"},
		&fs.PathError{
			Op:   "write",
			Path: "x",
			Err:  syscall.ENOSPC,
		}, syscall.EDQUOT, context.Canceled, context.DeadlineExceeded, store.ErrNotFound,
	} {
		assert.False(t, store.Unreached(err), "%v", err)
	}
}

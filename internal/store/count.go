package store

import (
	"context"
	"strings"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
)

// counter counts the statements that are sent to the database, except those
// that begin and end transactions.
type counter struct{ n atomic.Int64 }

var _ pgx.QueryTracer = (*counter)(nil)

// TraceQueryStart implements pgx.QueryTracer.
func (c *counter) TraceQueryStart(ctx context.Context, _ *pgx.Conn,
	d pgx.TraceQueryStartData) context.Context {
	switch word, _, _ := strings.Cut(strings.ToLower(d.SQL), " "); word {
	case "begin", "commit", "rollback", ";", "-- ping":
	case "insert", "update", "delete":
		c.n.Add(1)
		if f := OnWrite.Load(); f != nil {
			(*f)(ctx, d.SQL)
		}
	default:
		c.n.Add(1)
	}
	return ctx
}

// TraceQueryEnd implements pgx.QueryTracer.
func (c *counter) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// OnWrite, if it is set, hears of every statement that changes rows of any open store, without
// its values. It is for tests.
var OnWrite atomic.Pointer[func(ctx context.Context, sql string)]

// Statements is how many statements this process has sent to the database so
// far. Tests and the bench hold pages to it.
func (s *Store) Statements() int64 { return s.statements.n.Load() }

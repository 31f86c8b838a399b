package store

import (
	"context"
	"database/sql"
	"time"
)

// Drop drops a database of the server that admin is connected to, whoever else is
// connected to it; name is not quoted. While PostgreSQL tidies a database up by
// itself (autovacuum), only a superuser may (42501); that does not take long.
func Drop(ctx context.Context, admin *sql.DB, name string) (err error) {
	for range 50 {
		if _, err = admin.ExecContext(ctx, "DROP DATABASE "+name+" WITH (FORCE)"); codeOf(err) != "42501" {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return err
}

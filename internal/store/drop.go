package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Drop drops a database of the server that admin is connected to, whoever else is
// connected to it; name is not quoted. While PostgreSQL tidies a database up by
// itself (autovacuum), only a superuser may (42501); that does not take long.
func Drop(ctx context.Context, admin *sql.DB, name string) (err error) {
	for range 50 {
		_, err = admin.ExecContext(ctx, "DROP DATABASE "+name+" WITH (FORCE)")
		var pg interface{ SQLState() string }
		if err == nil || !errors.As(err, &pg) || pg.SQLState() != "42501" {
			return err
		}
		time.Sleep(100 * time.Millisecond)
	}
	return err
}

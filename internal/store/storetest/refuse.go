package storetest

import (
	"context"
	"database/sql"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nelko/internal/store"
)

// Refuse has a store's database refuse all connections for so long, and ends those there are, as
// one that is being restarted.
func Refuse(t testing.TB, s *store.Store, d time.Duration) {
	t.Helper()
	var name string
	require.NoError(t, s.DB.Raw("SELECT current_database()").Scan(&name).Error)
	admin, err := sql.Open("pgx", os.Getenv(Env))
	require.NoError(t, err)
	allow := func(word string) error {
		_, err := admin.ExecContext(context.Background(), "ALTER DATABASE "+name+" ALLOW_CONNECTIONS "+word)
		return err
	}
	require.NoError(t, allow("false"))
	_, err = admin.Exec("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1", name)
	require.NoError(t, err)
	back := make(chan error, 1)
	time.AfterFunc(d, func() { back <- allow("true") })
	t.Cleanup(func() { require.NoError(t, <-back); require.NoError(t, admin.Close()) })
}

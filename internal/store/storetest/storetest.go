// Package storetest gives each test a database and a blob store of its own.
package storetest

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"net/url"
	"os"
	"path/filepath"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver that makes databases
	"github.com/stretchr/testify/require"

	"nelko/internal/store"
)

// Env names the variable that holds the URL of a PostgreSQL whose user may
// create databases; ./test sets it.
const Env = "NELKO_TEST_DATABASE_URL"

// Open makes a migrated database for the test and drops it afterwards.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, _ := OpenURL(t)
	return s
}

// OpenURL is Open that also tells the database's URL.
func OpenURL(t testing.TB) (*store.Store, string) {
	t.Helper()
	s, url := Empty(t)
	require.NoError(t, s.Migrate(context.Background(), nil))
	return s, url
}

// Empty makes a database without any tables and drops it afterwards.
func Empty(t testing.TB) (*store.Store, string) {
	t.Helper()
	base := os.Getenv(Env)
	if base == "" {
		t.Skipf("%s is not set; run ./test db", Env)
	}
	admin, err := sql.Open("pgx", base)
	require.NoError(t, err)
	b := make([]byte, 8)
	_, err = rand.Read(b)
	require.NoError(t, err)
	name := "test_" + hex.EncodeToString(b)
	_, err = admin.Exec("CREATE DATABASE " + name)
	require.NoError(t, err)
	u, err := url.Parse(base)
	require.NoError(t, err)
	u.Path = "/" + name
	s, err := store.Open(context.Background(), u.String())
	require.NoError(t, err)
	t.Cleanup(func() {
		noSecond(t)
		s.Close()
		require.NoError(t, store.Drop(context.Background(), admin, name))
		require.NoError(t, admin.Close())
	})
	return s, u.String()
}

// Blobs makes an empty blob store in a folder.
func Blobs(t testing.TB) *store.Blobs {
	t.Helper()
	dir := t.TempDir()
	b, err := store.OpenBlobs(context.Background(), "file://"+filepath.ToSlash(filepath.Join(dir, "blobs")), filepath.Join(dir, "cache"))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, b.Close()) })
	return b
}

// Queries fails the test if do sends more than so many statements to the
// database, and tells how many it sent. Nothing else may use the store
// meanwhile.
func Queries(t testing.TB, s *store.Store, most int64, do func()) int64 {
	t.Helper()
	before := s.Statements()
	do()
	n := s.Statements() - before
	require.LessOrEqual(t, n, most, "statements sent to the database")
	return n
}

// Package storetest gives each test a database and a blob store of its own.
package storetest

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib" // the driver that makes databases
	"github.com/stretchr/testify/require"

	"nelko/internal/store"
	"nelko/migrations"
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
	return made(t, migrated(t))
}

// migrated is the name of a migrated database of the cluster, of which tests' are copies: it is
// made once for each state of the migrations.
func migrated(t testing.TB) string {
	t.Helper()
	sum := sha256.New()
	require.NoError(t, fs.WalkDir(migrations.Files, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(migrations.Files, path)
		fmt.Fprintf(sum, "%s %d\n%s", path, len(b), b)
		return err
	}))
	name := "migrated_" + hex.EncodeToString(sum.Sum(nil)[:8])
	ctx := context.Background()
	admin := cluster(t)
	defer admin.Close()
	// One process makes it, in a session whose lock the others wait for.
	conn, err := admin.Conn(ctx)
	require.NoError(t, err)
	defer conn.Close()
	_, err = conn.ExecContext(ctx, "SELECT pg_advisory_lock(hashtext($1))", name)
	require.NoError(t, err)
	var there bool
	require.NoError(t, conn.QueryRowContext(ctx,
		"SELECT EXISTS (SELECT 1 FROM pg_database WHERE datname = $1)", name).Scan(&there))
	if there {
		return name
	}
	half := name + "_half" // until it is whole
	for _, do := range []string{"DROP DATABASE IF EXISTS " + half, "CREATE DATABASE " + half} {
		_, err = conn.ExecContext(ctx, do)
		require.NoError(t, err)
	}
	s, err := store.Open(ctx, at(t, half))
	require.NoError(t, err)
	err = s.Migrate(ctx, nil)
	s.Close()
	require.NoError(t, err)
	_, err = conn.ExecContext(ctx, "ALTER DATABASE "+half+" RENAME TO "+name)
	require.NoError(t, err)
	return name
}

// at is the URL of a database of the cluster.
func at(t testing.TB, name string) string {
	u, err := url.Parse(os.Getenv(Env))
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}

// cluster is a connection to the cluster that tests' databases are made in.
func cluster(t testing.TB) *sql.DB {
	t.Helper()
	base := os.Getenv(Env)
	if base == "" {
		t.Skipf("%s is not set; run ./test db", Env)
	}
	admin, err := sql.Open("pgx", base)
	require.NoError(t, err)
	return admin
}

// Empty makes a database without any tables and drops it afterwards.
func Empty(t testing.TB) (*store.Store, string) {
	t.Helper()
	return made(t, "template1")
}

// made makes a database that is a copy of another, and drops it afterwards.
func made(t testing.TB, template string) (*store.Store, string) {
	t.Helper()
	admin := cluster(t)
	name := "test_" + strings.ToLower(rand.Text())
	_, err := admin.Exec("CREATE DATABASE " + name + " TEMPLATE " + template)
	require.NoError(t, err)
	s, err := store.Open(context.Background(), at(t, name))
	require.NoError(t, err)
	t.Cleanup(func() {
		noSecond(t)
		s.Close()
		require.NoError(t, store.Drop(context.Background(), admin, name))
		require.NoError(t, admin.Close())
	})
	return s, at(t, name)
}

// Blobs makes an empty blob store in a folder.
func Blobs(t testing.TB) *store.Blobs {
	t.Helper()
	dir := t.TempDir()
	b, err := store.OpenBlobs(context.Background(), "file://"+filepath.ToSlash(filepath.Join(dir, "blobs")),
		filepath.Join(dir, "cache"))
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

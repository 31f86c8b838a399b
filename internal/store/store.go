// Package store keeps the studio's data: rows in PostgreSQL through GORM, and
// files in a blob store.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"nelko/internal/latest"
)

// ErrNotFound means that there is no such row.
var ErrNotFound = errors.New("not found")

// NoText reports whether the database refused a text because of signs that are none:
// NUL or broken UTF-8 (PostgreSQL's character_not_in_repertoire and
// untranslatable_character).
func NoText(err error) bool {
	code := codeOf(err)
	return code == "22021" || code == "22P05"
}

// codeOf is PostgreSQL's code of an error (its appendix A); empty where it is none
// of its.
func codeOf(err error) string {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return ""
	}
	return pg.Code
}

// Store is an open database. DB, SQL and Pool are three faces of one
// connection pool, which reconnects by itself.
type Store struct {
	DB   *gorm.DB
	SQL  *sql.DB
	Pool *pgxpool.Pool

	wholes     *lru.Cache[wholeKey, whole]
	statements *counter
	inTx       *inTx
}

// Open connects to the database at a postgres:// URL.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database URL: %w", err)
	}
	cfg.MaxConns = 24
	cfg.ConnConfig.ConnectTimeout = 5 * time.Second
	statements := &counter{}
	cfg.ConnConfig.Tracer = statements
	in := &inTx{}
	if OnSecond != nil {
		cfg.PrepareConn = in.prepare
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	db := stdlib.OpenDBFromPool(pool)
	// What is logged of a failed statement is the statement, never its values:
	// they may be a password's hash or a client's name.
	g, err := gorm.Open(postgres.New(postgres.Config{Conn: db}), &gorm.Config{
		Logger: wanted{logger.NewSlogLogger(slog.Default(), logger.Config{
			LogLevel:                  logger.Error,
			IgnoreRecordNotFoundError: true,
			ParameterizedQueries:      true,
		})},
		TranslateError: true,
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	return &Store{
		DB:         g,
		SQL:        db,
		Pool:       pool,
		statements: statements,
		inTx:       in,
		wholes:     latest.Some[wholeKey, whole](rememberWholes),
	}, nil
}

// wanted logs what failed of what somebody still waits for: a browser that went away is no
// trouble of the database.
type wanted struct{ logger.Interface }

// Trace implements logger.Interface.
func (w wanted) Trace(ctx context.Context, begin time.Time, what func() (sql string, rows int64), err error) {
	if !errors.Is(err, context.Canceled) {
		w.Interface.Trace(ctx, begin, what, err)
	}
}

// ParamsFilter implements gorm.ParamsFilter: values are not logged.
func (w wanted) ParamsFilter(_ context.Context, sql string, _ ...any) (string, []any) {
	return sql, nil
}

// LogMode implements logger.Interface.
func (w wanted) LogMode(l logger.LogLevel) logger.Interface { return wanted{w.Interface.LogMode(l)} }

// Close closes all connections.
func (s *Store) Close() {
	s.SQL.Close()
	s.Pool.Close()
}

// Tx runs f in a transaction.
func (s *Store) Tx(ctx context.Context, f func(tx *gorm.DB) error) error {
	return s.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		defer s.inTx.enter()()
		return f(tx)
	})
}

// RawTx is the database/sql transaction beneath a GORM one.
func RawTx(tx *gorm.DB) (*sql.Tx, error) {
	raw, ok := tx.Statement.ConnPool.(*sql.Tx)
	if !ok {
		return nil, errors.New("store: not in a transaction")
	}
	return raw, nil
}

// One reads the single row that meets a condition; ErrNotFound if there is
// none.
func One[T any](tx *gorm.DB, query string, args ...any) (T, error) {
	var v T
	err := tx.Where(query, args...).Take(&v).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		err = ErrNotFound
	}
	return v, err
}

// Ping asks whether the database can be reached.
func (s *Store) Ping(ctx context.Context) error { return s.SQL.PingContext(ctx) }

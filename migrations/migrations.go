// Package migrations holds the database schema as goose SQL migrations.
package migrations

import "embed"

// Files are the migrations in order.
//
//go:embed *.sql
var Files embed.FS

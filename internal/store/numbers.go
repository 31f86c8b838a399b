package store

import (
	"database/sql/driver"
	"fmt"
	"strconv"
	"strings"
)

// Numbers is a PostgreSQL array of bigint.
type Numbers []int64

// Value implements driver.Valuer.
func (n Numbers) Value() (driver.Value, error) {
	out := make([]string, len(n))
	for i, v := range n {
		out[i] = strconv.FormatInt(v, 10)
	}
	return "{" + strings.Join(out, ",") + "}", nil
}

// Scan implements sql.Scanner.
func (n *Numbers) Scan(src any) error {
	text, ok := src.(string)
	if b, isBytes := src.([]byte); isBytes {
		text, ok = string(b), true
	}
	if !ok {
		return fmt.Errorf("store: %T is not an array", src)
	}
	*n = nil
	for _, f := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune("{,}", r) }) {
		v, err := strconv.ParseInt(f, 10, 64)
		if err != nil {
			return fmt.Errorf("store: %w", err)
		}
		*n = append(*n, v)
	}
	return nil
}

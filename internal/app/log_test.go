package app

import (
	"bytes"
	"errors"
	"log/slog"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Whatever is logged, and by whatever way it comes, a line stays short.
func TestLogLinesAreShort(t *testing.T) {
	var b bytes.Buffer
	l := slog.New(byActor{slog.NewTextHandler(&b, nil)})
	long := strings.Repeat("x", 900_000)
	for name, write := range map[string]func(){
		"message": func() { l.Info(long) },
		"text":    func() { l.Info("request", "method", long) },
		"key":     func() { l.Info("request", long, 1) },
		"error":   func() { l.Error("failed", "error", errors.New(long)) },
		"list":    func() { l.Info("request", "all", []string{long}) },
		"group":   func() { l.Info("request", slog.Group("of", "method", long)) },
		"with":    func() { l.With("method", long).Info("request") },
		"valuer":  func() { l.Info("request", "of", valuer(long)) },
	} {
		b.Reset()
		write()
		assert.NotEmpty(t, b.String(), name)
		assert.Less(t, b.Len(), 3*longestText, name)
	}
	b.Reset()
	l.Info("request", "ms", 7, "error", errors.New("short"))
	assert.Contains(t, b.String(), "ms=7 error=short")
}

type valuer string

func (v valuer) LogValue() slog.Value { return slog.StringValue(string(v)) }

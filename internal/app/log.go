package app

import (
	"context"
	"log/slog"

	"nelko/internal/store"
)

// byActor is a handler of log lines that adds who acts: the user's number, the
// request and the job.
type byActor struct{ slog.Handler }

// Handle implements slog.Handler.
func (h byActor) Handle(ctx context.Context, r slog.Record) error {
	a := store.ActorOf(ctx)
	if a.UserID != nil {
		r.AddAttrs(slog.Int64("user", *a.UserID))
	}
	if a.Request != "" {
		r.AddAttrs(slog.String("request", a.Request))
	}
	if a.Job != 0 {
		r.AddAttrs(slog.Int64("job", a.Job))
	}
	return h.Handler.Handle(ctx, r)
}

// WithAttrs implements slog.Handler.
func (h byActor) WithAttrs(attrs []slog.Attr) slog.Handler {
	return byActor{h.Handler.WithAttrs(attrs)}
}

// WithGroup implements slog.Handler.
func (h byActor) WithGroup(name string) slog.Handler { return byActor{h.Handler.WithGroup(name)} }

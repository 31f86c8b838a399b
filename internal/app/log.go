package app

import (
	"context"
	"fmt"
	"log/slog"
	"strings"

	"nelko/internal/store"
)

// byActor is a handler of log lines that adds who acts: the user's number, the
// request and the job; and that cuts what is long, whoever wrote it.
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
	return h.Handler.Handle(ctx, shortened(r))
}

// longestText is how much of a text stands in the log, in bytes: the errors of tools, and what
// requests brought with them, may be of any length.
const longestText = 2000

// shortened is a line whose texts are cut.
func shortened(r slog.Record) slog.Record {
	out := slog.NewRecord(r.Time, r.Level, cut(r.Message), r.PC)
	r.Attrs(func(a slog.Attr) bool {
		out.AddAttrs(cutAttr(a))
		return true
	})
	return out
}

func cutAttr(a slog.Attr) slog.Attr {
	switch v := a.Value.Resolve(); v.Kind() {
	case slog.KindString:
		a.Value = slog.StringValue(cut(v.String()))
	case slog.KindGroup:
		var in []slog.Attr
		for _, x := range v.Group() {
			in = append(in, cutAttr(x))
		}
		a.Value = slog.GroupValue(in...)
	case slog.KindAny: // errors, and what else prints itself
		if text := fmt.Sprint(v.Any()); len(text) > longestText {
			a.Value = slog.StringValue(cut(text))
		}
	}
	a.Key = cut(a.Key)
	return a
}

func cut(s string) string {
	if len(s) <= longestText {
		return s
	}
	return fmt.Sprintf("%s … (%d bytes)", strings.ToValidUTF8(s[:longestText], ""), len(s))
}

// WithAttrs implements slog.Handler.
func (h byActor) WithAttrs(attrs []slog.Attr) slog.Handler {
	short := make([]slog.Attr, len(attrs))
	for i, a := range attrs {
		short[i] = cutAttr(a)
	}
	return byActor{h.Handler.WithAttrs(short)}
}

// WithGroup implements slog.Handler.
func (h byActor) WithGroup(name string) slog.Handler { return byActor{h.Handler.WithGroup(name)} }

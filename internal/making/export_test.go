package making

import (
	"context"

	"nelko/internal/store"
)

// DropAs drops a segment as it was when it was listed.
func (k *Segments) DropAs(ctx context.Context, listed store.Segment) error {
	return k.drop(ctx, listed)
}

// Reporting is the report of a render's leader, until what it gives is called.
func (a *Attempts) Reporting(ctx context.Context, r store.Render) (end func()) {
	return (&parts{by: a, r: r, worker: r.Worker}).report(ctx, func(error) {})
}

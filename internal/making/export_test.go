package making

import (
	"context"

	"nelko/internal/store"
)

// Reporting is the report of a render's leader, until what it gives is called.
func (mk *Making) Reporting(ctx context.Context, r store.Render) (end func()) {
	return (&parts{mk: mk, r: r, worker: r.Worker}).report(ctx, func(error) {})
}

package making

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"nelko/internal/render"
	"nelko/internal/store"
)

// Busiest is the highest bit rate of a streamed film's fragments, in bits a
// second, by its list (RFC 8216: #EXTINF and #EXT-X-BYTERANGE); that of the
// whole film if the list does not tell.
func Busiest(r store.Render) int {
	most, seconds := 0.0, 0.0
	for line := range strings.Lines(r.StreamList) {
		line = strings.TrimSpace(line)
		if v, ok := strings.CutPrefix(line, "#EXTINF:"); ok {
			v, _, _ = strings.Cut(v, ",")
			seconds, _ = strconv.ParseFloat(v, 64)
		}
		if v, ok := strings.CutPrefix(line, "#EXT-X-BYTERANGE:"); ok && seconds > 0.5 {
			v, _, _ = strings.Cut(v, "@")
			if n, err := strconv.ParseFloat(v, 64); err == nil {
				most = max(most, n*8/seconds)
			}
		}
	}
	if most == 0 && r.Seconds > 0 {
		most = float64(r.Size) * 8 / r.Seconds
	}
	return int(most)
}

// Head is what the stream of a film says of its picture and sound itself.
func (h *room) Head(ctx context.Context, r store.Render) (render.Head, error) {
	if r.Stream == nil {
		return render.Head{}, fmt.Errorf("the stream of render %d: %w", r.ID, store.ErrNotFound)
	}
	f, err := h.Blobs.Open(ctx, *r.Stream)
	if err != nil {
		return render.Head{}, err
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, render.HeadBytes))
	if err != nil {
		return render.Head{}, err
	}
	return render.ReadHead(b)
}

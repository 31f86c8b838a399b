package studio

import (
	"time"

	"nelko/internal/store"
)

// TimeLeft estimates how long a running render still takes, by the rate
// measured so far; ok is false while there is nothing to go by.
func TimeLeft(r store.Render, now time.Time) (left time.Duration, ok bool) {
	if r.State != store.RenderRunning || r.StartedAt == nil || r.FramesDone < 1 {
		return 0, false
	}
	took := now.Sub(*r.StartedAt)
	return time.Duration(float64(took) / float64(r.FramesDone) * float64(r.FramesTotal-r.FramesDone)), true
}

package bench

import (
	"fmt"
	"io"
	"time"

	"nelko/internal/core/fit"
)

// Fit measures fitting 1,000 slides of different lingers, within limits, to music:
// fit_ms is the mean of many runs, fit_beats_ms that of putting their cuts on 2,000
// beats besides.
func Fit(w io.Writer) error {
	slides := make([]fit.Slide, 1000)
	for i := range slides {
		slides[i] = fit.Slide{Linger: 0.5 + float64(i%7)/2, Least: 45, Most: 300}
		if i%50 == 7 {
			slides[i].Fixed = 150
		}
	}
	overlaps := fit.Even(len(slides), 24)
	target := fit.Frames(140_000)
	const runs = 200
	began := time.Now()
	for range runs {
		s, err := fit.Solve(slides, overlaps, target)
		if err != nil {
			return err
		}
		if s.Total() != target {
			return fmt.Errorf("the slides last %d frames, not %d", s.Total(), target)
		}
	}
	if _, err := fmt.Fprintf(w, "fit_ms=%.3f\n",
		float64(time.Since(began).Microseconds())/1000/runs); err != nil {
		return err
	}
	grid := fit.Grid{Strict: 0.8}
	for k := range fit.Frames(2000) {
		grid.Beats = append(grid.Beats, fit.Beat{At: (k + 1) * target / 2001, Strength: 0.5 + float64(k%4)/8})
	}
	const rounds = 50
	began = time.Now()
	on := 0
	for range rounds {
		s, n, err := fit.OnBeats(slides, overlaps, target, grid)
		if err != nil {
			return err
		}
		if on = n; s.Total() != target {
			return fmt.Errorf("the slides last %d frames, not %d", s.Total(), target)
		}
	}
	_, err := fmt.Fprintf(w, "fit_beats_ms=%.3f\nfit_on_beat=%d\n",
		float64(time.Since(began).Microseconds())/1000/rounds, on)
	return err
}

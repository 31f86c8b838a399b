package sound

import (
	"math"

	"nelko/internal/core/timecode"
)

// limiter holds true peaks below a ceiling. It looks ahead: before a peak the gain has
// gone down smoothly, and after it comes back slowly. What it writes is as long as
// what it is given, and at the same place.
type limiter struct {
	ceiling float64
	out     func([]float32) error
	held    []float32 // what is not yet written
	low     []float64 // a gain for each sample heard, from which none may be louder
	ends    []int     // sliding minimum over low: indices of values that still count
	least   []float64 // that minimum with a slow return
	slow    float64
	sum     float64 // of the last ahead of least
	heard   int     // samples
	looked  int     // samples that were compared with it
	loud    int     // the last that could come near the ceiling
	written int
	edge    [2][peakTaps]float32 // the last samples, for what lies between them
	block   []float32
	closed  bool
	low32   float32 // what is not above it is not near the ceiling
}

const (
	ahead = timecode.SampleRate / 200 // 5 ms
	// back is how much of the way the gain comes back in a sample: a time constant of
	// 80 ms.
	back = 1.0 / (0.08 * timecode.SampleRate)
	half = peakTaps / 2
)

// between is at most how much larger a value between samples is than those around it.
var between = func() float64 {
	top := 1.0
	for _, phase := range interpolation {
		sum := 0.0
		for _, w := range phase {
			sum += math.Abs(w)
		}
		top = math.Max(top, sum)
	}
	return top
}()

func newLimiter(ceilingDB float64, out func([]float32) error) *limiter {
	ceiling := math.Pow(10, ceilingDB/20) * 0.995
	return &limiter{ceiling: ceiling, out: out, slow: 1, loud: -peakTaps, low32: float32(ceiling / between)}
}

// write hears a block. What is written lags behind by ahead and half the taps.
func (l *limiter) write(p []float32) error {
	if l.closed {
		return errClosed
	}
	l.held = append(l.held, p...)
	return l.flush(false)
}

// flush works off what is held: the gain of sample n needs those up to n+half for its
// true peak, and the gains up to n+ahead.
func (l *limiter) flush(last bool) error {
	n := len(l.held) / 2
	base := l.written
	for ; l.heard-base < n && (last || l.heard-base+half < n); l.heard++ {
		i, g := l.heard-base, 1.0
		for ; l.looked <= l.heard+half; l.looked++ {
			if l.near(l.looked - base) {
				l.loud = l.looked
			}
		}
		if l.loud >= l.heard-half {
			if peak := l.peak(i); peak > l.ceiling {
				g = l.ceiling / peak
			}
		}
		l.push(g)
	}
	if last {
		for len(l.least) < ahead+n {
			l.push(1)
		}
	}
	ready := min(n, len(l.least)-(ahead-1))
	if ready <= 0 {
		return nil
	}
	l.block = l.block[:0]
	for i := range ready {
		if i == 0 {
			l.sum = 0
			for _, v := range l.least[:ahead] {
				l.sum += v
			}
		} else {
			l.sum += l.least[i+ahead-1] - l.least[i-1]
		}
		g := float32(l.sum / ahead)
		l.block = append(l.block, l.held[2*i]*g, l.held[2*i+1]*g)
	}
	for c := range 2 {
		for k := range peakTaps {
			if i := ready - peakTaps + k; i >= 0 {
				l.edge[c][k] = l.held[2*i+c]
			} else {
				l.edge[c][k] = l.edge[c][k+ready]
			}
		}
	}
	l.held = append(l.held[:0], l.held[2*ready:]...)
	l.least = append(l.least[:0], l.least[ready:]...)
	l.written += ready
	return l.out(l.block)
}

// push takes the gain a sample needs.
func (l *limiter) push(g float64) {
	l.low = append(l.low, g)
	at := len(l.low) - 1
	for len(l.ends) > 0 && l.low[l.ends[len(l.ends)-1]] >= g {
		l.ends = l.ends[:len(l.ends)-1]
	}
	l.ends = append(l.ends, at)
	if l.ends[0] <= at-ahead {
		l.ends = l.ends[1:]
	}
	l.slow = min(l.low[l.ends[0]], l.slow+(1-l.slow)*back)
	l.least = append(l.least, l.slow)
	if len(l.low) > 1<<16 {
		cut := len(l.low) - ahead
		l.low = append(l.low[:0], l.low[cut:]...)
		kept := l.ends[:0]
		for _, e := range l.ends {
			kept = append(kept, e-cut)
		}
		l.ends = kept
	}
}

// sample is one that is held, or was just before, or silence.
func (l *limiter) sample(c, i int) float32 {
	switch {
	case i < 0:
		if i += peakTaps; i < 0 {
			return 0
		}
		return l.edge[c][i]
	case 2*i+c < len(l.held):
		return l.held[2*i+c]
	}
	return 0
}

// near reports whether a true peak beside held sample i could pass the ceiling.
func (l *limiter) near(i int) bool {
	if 2*i+1 >= len(l.held) {
		return false
	}
	a, b := l.held[2*i], l.held[2*i+1]
	return max(a, -a, b, -b) > l.low32
}

// peak is the true peak around held sample i: of it and of what lies between it and
// its neighbours.
func (l *limiter) peak(i int) float64 {
	peak := 0.0
	var around [peakTaps + 1]float64
	for c := range 2 {
		for k := range around {
			around[k] = float64(l.sample(c, i-half+k))
		}
		peak = max(peak, around[half], -around[half])
		for from := range 2 {
			for p := 1; p < peakPhases; p++ {
				v := 0.0
				for k := range peakTaps {
					v += interpolation[p][k] * around[from+k]
				}
				peak = max(peak, v, -v)
			}
		}
	}
	return peak
}

// close writes what is still held.
func (l *limiter) close() error {
	if l.closed {
		return errClosed
	}
	l.closed = true
	if len(l.held) == 0 {
		return nil
	}
	return l.flush(true)
}

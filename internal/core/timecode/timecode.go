// Package timecode counts film time in whole frames at exact rational frame
// rates, converts it to sound samples, and writes and reads SMPTE timecode.
package timecode

import (
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
)

// Frames is a length or position counted in frames.
type Frames int64

// Samples is a length or position counted in sound samples at SampleRate.
type Samples int64

// SampleRate is the rate of every soundtrack, in samples per second.
const SampleRate = 48000

// Rate is a frame rate in frames per second, as an exact fraction.
type Rate struct {
	Num int64 `json:"num"`
	Den int64 `json:"den"`
}

// The rates Nelko renders at. 23.976, 29.97 and 59.94 are the 1000/1001
// rates of SMPTE ST 12-1.
var (
	R24    = Rate{24, 1}
	R23976 = Rate{24000, 1001}
	R25    = Rate{25, 1}
	R2997  = Rate{30000, 1001}
	R30    = Rate{30, 1}
	R50    = Rate{50, 1}
	R5994  = Rate{60000, 1001}
	R60    = Rate{60, 1}
)

var named = []struct {
	name string
	rate Rate
}{
	{"23.976", R23976}, {"24", R24}, {"25", R25}, {"29.97", R2997},
	{"30", R30}, {"50", R50}, {"59.94", R5994}, {"60", R60},
}

// ParseRate reads "25", "29.97", "30000/1001" and the like. Only the rates
// listed above are accepted.
func ParseRate(s string) (Rate, error) {
	s = strings.TrimSpace(s)
	var known []string
	for _, n := range named {
		if s == n.name || s == n.rate.Fraction() {
			return n.rate, nil
		}
		known = append(known, n.name)
	}
	return Rate{}, fmt.Errorf("frame rate %q is not one of %s", s, strings.Join(known, ", "))
}

// Names are the names of all rates there are, slowest first.
func Names() []string {
	out := make([]string, len(named))
	for i, n := range named {
		out[i] = n.name
	}
	return out
}

// Valid reports whether r is one of the rates Nelko renders at.
func (r Rate) Valid() bool {
	for _, n := range named {
		if r == n.rate {
			return true
		}
	}
	return false
}

// Fraction writes the rate as "30000/1001".
func (r Rate) Fraction() string { return fmt.Sprintf("%d/%d", r.Num, r.Den) }

// String writes the rate as people say it: "29.97", "30".
func (r Rate) String() string {
	for _, n := range named {
		if r == n.rate {
			return n.name
		}
	}
	return r.Fraction()
}

// FPS is the rate as a floating number, for display and estimates only.
func (r Rate) FPS() float64 { return float64(r.Num) / float64(r.Den) }

// Seconds is the exact length of n frames, rounded to a float.
func (r Rate) Seconds(n Frames) float64 {
	return float64(int64(n)*r.Den) / float64(r.Num)
}

// Frames is the number of frames nearest to the given seconds.
func (r Rate) Frames(seconds float64) Frames {
	return Frames(math.Round(seconds * float64(r.Num) / float64(r.Den)))
}

// FramesIn is the number of whole frames nearest to n samples, computed
// exactly; halves go up.
func (r Rate) FramesIn(n Samples) Frames {
	return Frames(divRound(int64(n), r.Num, SampleRate*r.Den))
}

// SampleAt is the sample nearest to the start of frame n, computed exactly.
func (r Rate) SampleAt(n Frames) Samples {
	return Samples(divRound(int64(n), SampleRate*r.Den, r.Num))
}

// divRound returns round(a*b/c) for c > 0 without overflow, halves going up.
func divRound(a, b, c int64) int64 {
	n := new(big.Int).Mul(big.NewInt(a), big.NewInt(b))
	n.Mul(n, big.NewInt(2)).Add(n, big.NewInt(c))
	d := big.NewInt(2 * c)
	q, m := new(big.Int), new(big.Int)
	q.DivMod(n, d, m)
	return q.Int64()
}

// nominal is the number of frame numbers in one timecode second.
func (r Rate) nominal() int64 { return (r.Num + r.Den - 1) / r.Den }

// DropFrame reports whether timecode at this rate drops frame numbers:
// the 29.97 and 59.94 rates (SMPTE ST 12-1:2014, 5.2.2 from memory).
func (r Rate) DropFrame() bool { return r == R2997 || r == R5994 }

// dropped is how many frame numbers are skipped at the start of every minute
// that is not a multiple of ten.
func (r Rate) dropped() int64 {
	if !r.DropFrame() {
		return 0
	}
	return r.nominal() / 15
}

// Timecode writes frame n as h:mm:ss:ff, or h:mm:ss;ff where frame numbers
// are dropped.
func (r Rate) Timecode(n Frames) string {
	sign := ""
	f := int64(n)
	if f < 0 {
		sign, f = "-", -f
	}
	sep := ":"
	nom := r.nominal()
	if d := r.dropped(); d > 0 {
		sep = ";"
		perMinute := nom*60 - d
		perTen := perMinute*10 + d
		tens, rest := f/perTen, f%perTen
		f += tens * 9 * d
		if rest >= nom*60 {
			f += d * (1 + (rest-nom*60)/perMinute)
		}
	}
	s := f / nom
	return fmt.Sprintf("%s%d:%02d:%02d%s%02d", sign, s/3600, s/60%60, s%60, sep, f%nom)
}

// ParseTimecode reads h:mm:ss:ff (or ;ff) at the rate. A frame number that
// the rate drops, or one out of range, is an error.
func (r Rate) ParseTimecode(s string) (Frames, error) {
	parts := strings.FieldsFunc(s, func(c rune) bool { return c == ':' || c == ';' })
	if len(parts) != 4 {
		return 0, fmt.Errorf("timecode %q is not h:mm:ss:ff", s)
	}
	var v [4]int64
	for i, p := range parts {
		n, err := strconv.ParseInt(p, 10, 32)
		if err != nil || n < 0 {
			return 0, fmt.Errorf("timecode %q: %q is not a number", s, p)
		}
		v[i] = n
	}
	nom, d := r.nominal(), r.dropped()
	if v[1] > 59 || v[2] > 59 || v[3] >= nom {
		return 0, fmt.Errorf("timecode %q is out of range at %s frames a second", s, r)
	}
	if d > 0 && v[2] == 0 && v[1]%10 != 0 && v[3] < d {
		return 0, fmt.Errorf("timecode %q does not exist: frame numbers 0 to %d are dropped in that minute",
			s, d-1)
	}
	minutes := v[0]*60 + v[1]
	return Frames((minutes*60+v[2])*nom + v[3] - d*(minutes-minutes/10)), nil
}

// Length is a length as somebody typed it: in seconds, or in whole frames.
type Length struct {
	Seconds float64
	Frames  Frames // instead of Seconds, where above 0
}

// In is the length in seconds at a rate.
func (l Length) In(r Rate) float64 {
	if l.Frames > 0 {
		return r.Seconds(l.Frames)
	}
	return l.Seconds
}

// ParseLength reads a length above 0 as people type it: 4, 4.5 or 4,5 seconds;
// 1:02.5 as minutes and seconds; 108f in frames; 0:00:04:12 as timecode at a
// rate of so many whole frames a second.
func ParseLength(text string, r Rate) (Length, error) {
	text = strings.TrimSpace(text)
	fail := fmt.Errorf("%q is not a length: type seconds (4.5), minutes and seconds (1:02), frames (108f) "+
		"or timecode (0:00:04:12)", text)
	number := func(s string) (float64, bool) {
		v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(s), ",", ".", 1), 64)
		return v, err == nil && v >= 0 && v < 1e6 && !strings.ContainsAny(s, "xXpPeEnN_+-")
	}
	var l Length
	ok := false
	switch parts := strings.FieldsFunc(text, func(c rune) bool { return c == ':' || c == ';' }); {
	case strings.HasSuffix(text, "f"):
		var n float64
		n, ok = number(strings.TrimSuffix(text, "f"))
		l.Frames = Frames(n)
		ok = ok && float64(l.Frames) == n
	case len(parts) == 4:
		n, err := r.ParseTimecode(text)
		l.Frames, ok = n, err == nil
	case len(parts) == 2 && strings.Contains(text, ":"):
		m, okM := number(parts[0])
		s, okS := number(parts[1])
		l.Seconds, ok = m*60+s, okM && okS && s < 60 && m == math.Trunc(m)
	default:
		l.Seconds, ok = number(strings.TrimSuffix(text, "s"))
	}
	if !ok || (l.Seconds <= 0 && l.Frames <= 0) {
		return Length{}, fail
	}
	return l, nil
}

// Clock writes seconds as people read them: m:ss.t, with a leading minus for
// negative values.
func Clock(seconds float64) string {
	tenths := int64(math.Round(math.Abs(seconds) * 10))
	sign := ""
	if seconds < 0 && tenths > 0 {
		sign = "−"
	}
	return fmt.Sprintf("%s%d:%02d.%d", sign, tenths/600, tenths/10%60, tenths%10)
}

package sound

import (
	"errors"
	"io"
	"math"
	"slices"

	"nelko/internal/core/timecode"
)

// Duck is how music and clips give way to what is spoken: by DB, down within Attack
// so that they are down Ahead before the first word, and up again within Release
// after the last. Spoken are the stretches in which words were heard.
type Duck struct {
	DB                     float64
	Attack, Release, Ahead Samples
	Spoken                 []Span
}

// Span is a stretch of the film.
type Span struct{ From, To Samples }

const (
	step      = timecode.SampleRate / 100 // a voice is listened to in hundredths
	voiceGate = -30                       // dB below its loudest: silence between words
	voiceLow  = -60                       // dBFS: silence anyway
	pause     = timecode.SampleRate * 6 / 10
)

// Listen finds where a voice is heard in a part: pauses of more than 0.6 s part it. The
// part's source is read to its end.
func Listen(p Part) ([]Span, error) {
	var loud []float64
	block := make([]float32, 2*step)
	for at := Samples(0); at < p.Length; at += step {
		if err := readFull(p.Source, block); err != nil {
			return nil, err
		}
		sum := 0.0
		for _, v := range block {
			sum += float64(v) * float64(v)
		}
		loud = append(loud, 10*math.Log10(sum/float64(len(block))+1e-12))
	}
	if len(loud) == 0 {
		return nil, nil
	}
	sorted := slices.Clone(loud)
	slices.Sort(sorted)
	gate := math.Max(voiceLow, sorted[len(sorted)*98/100]+voiceGate)
	var out []Span
	for i, v := range loud {
		if v <= gate {
			continue
		}
		s := Span{p.At + Samples(i)*step, p.At + min(p.Length, Samples(i+1)*step)}
		if n := len(out); n > 0 && s.From-out[n-1].To <= pause {
			out[n-1].To = s.To
		} else {
			out = append(out, s)
		}
	}
	return out, nil
}

// line is what all but the voice is multiplied by, a value every step.
type line []float32

func (d Duck) line(total Samples) line {
	if len(d.Spoken) == 0 || d.DB >= 0 {
		return nil
	}
	out := make(line, total/step+2)
	for i := range out {
		n, depth := Samples(i)*step, 0.0
		for _, s := range d.Spoken {
			down, up := s.From-d.Ahead, s.To
			switch {
			case n >= down && n <= up:
				depth = 1
			case n < down && n > down-d.Attack:
				depth = max(depth, Smooth.at(1-float64(down-n)/float64(d.Attack)))
			case n > up && n < up+d.Release:
				depth = max(depth, Smooth.at(1-float64(n-up)/float64(d.Release)))
			}
		}
		out[i] = float32(math.Pow(10, d.DB*depth/20))
	}
	return out
}

// at is the factor at a sample of the film.
func (l line) at(n Samples) float64 {
	if len(l) == 0 {
		return 1
	}
	i := int(n / step)
	f := float32(n%step) / step
	return float64(l[i]*(1-f) + l[i+1]*f)
}

// Memory is a Spool for short tracks.
type Memory struct {
	all []float32
	at  int
}

// Write implements Spool.
func (m *Memory) Write(p []float32) error {
	m.all = append(m.all, p...)
	return nil
}

// Rewind implements Spool.
func (m *Memory) Rewind() error {
	m.at = 0
	return nil
}

// Read implements Source.
func (m *Memory) Read(p []float32) (int, error) {
	n := copy(p, m.all[m.at:])
	if m.at += n; n == 0 && len(p) > 0 {
		return 0, io.EOF
	}
	return n, nil
}

var errClosed = errors.New("the limiter was closed")

package sound

import (
	"errors"
	"fmt"
	"io"
	"math"
	"sort"

	"nelko/internal/core/timecode"
)

// Samples is a length in sample pairs.
type Samples = timecode.Samples

// Source gives interleaved stereo samples until io.EOF, like io.Reader.
type Source interface {
	Read(p []float32) (n int, err error)
}

// Part is a stretch of sound at its place in the film.
type Part struct {
	Source          Source
	At, Length      Samples // the source may give a little less or more
	Gain            float64
	FadeIn, FadeOut Samples // raised cosines
	Points          []Point // its volume line, in order; none: level
}

// Point is a point of a volume line: a factor at a time into the part.
type Point struct {
	At   Samples
	Gain float64
}

// level is the part's own gain at sample n of it: its volume line, straight
// between points, with its fades.
func (p *Part) level(n Samples) float64 {
	g := p.line(n)
	if n < p.FadeIn {
		g *= cosine(float64(n) / float64(p.FadeIn))
	}
	if left := p.Length - 1 - n; left < p.FadeOut {
		g *= cosine(math.Max(0, float64(left)/float64(p.FadeOut)))
	}
	return g
}

func (p *Part) line(n Samples) float64 {
	if len(p.Points) == 0 {
		return 1
	}
	k := sort.Search(len(p.Points), func(i int) bool { return p.Points[i].At > n })
	switch {
	case k == 0:
		return p.Points[0].Gain
	case k == len(p.Points):
		return p.Points[k-1].Gain
	}
	a, b := p.Points[k-1], p.Points[k]
	return a.Gain + (b.Gain-a.Gain)*float64(n-a.At)/float64(b.At-a.At)
}

// add mixes the part's share of a block that begins at pos. with is a further
// gain at each sample of the film.
func (p *Part) add(block []float32, pos Samples, scratch []float32, with func(Samples) float64) error {
	n := Samples(len(block) / 2)
	lo, hi := max(pos, p.At), min(pos+n, p.At+p.Length)
	if lo >= hi {
		return nil
	}
	part := scratch[:2*(hi-lo)]
	if err := readFull(p.Source, part); err != nil {
		return err
	}
	out := block[2*(lo-pos):]
	for i := range hi - lo {
		g := float32(p.Gain * p.level(lo+i-p.At) * with(lo+i))
		out[2*i] = limit(out[2*i] + part[2*i]*g)
		out[2*i+1] = limit(out[2*i+1] + part[2*i+1]*g)
	}
	return nil
}

// Track is a soundtrack to be mixed, exactly Total long: music, which is faded
// in at the film's start and out at its end, and what is heard over it.
type Track struct {
	Music           []Part
	Over            []Part
	FadeIn, FadeOut Samples
	Total           Samples
}

// end is where music ends: with the film, or with the last song if earlier.
func (t Track) end() Samples {
	var end Samples
	for _, p := range t.Music {
		end = max(end, p.At+p.Length)
	}
	return min(end, t.Total)
}

// cosine is a raised cosine: 0 at 0, 1 at 1.
func cosine(t float64) float64 { return 0.5 - 0.5*math.Cos(math.Pi*t) }

// Mix writes the whole soundtrack through out, in blocks of interleaved
// stereo samples that out must not keep. Exactly 2·Total values are written:
// a source that gives less than its length is followed by silence up to it,
// and one that gives more is cut. Sources are read in order and once.
func (t Track) Mix(out func([]float32) error) error {
	const block = 4096
	buf, scratch := make([]float32, 2*block), make([]float32, 2*block)
	end := t.end()
	fade := func(n Samples) float64 {
		g := 1.0
		if n < t.FadeIn {
			g = cosine(float64(n) / float64(t.FadeIn))
		}
		if left := end - 1 - n; left < t.FadeOut {
			g *= cosine(math.Max(0, float64(left)/float64(t.FadeOut)))
		}
		return g
	}
	level := func(Samples) float64 { return 1 }
	for pos := Samples(0); pos < t.Total; {
		n := min(block, t.Total-pos)
		clear(buf[:2*n])
		for k := range t.Music {
			if err := t.Music[k].add(buf[:2*n], pos, scratch, fade); err != nil {
				return fmt.Errorf("song %d: %w", k+1, err)
			}
		}
		for k := range t.Over {
			if err := t.Over[k].add(buf[:2*n], pos, scratch, level); err != nil {
				return fmt.Errorf("clip %d: %w", k+1, err)
			}
		}
		pos += n
		if err := out(buf[:2*n]); err != nil {
			return err
		}
	}
	return nil
}

func limit(v float32) float32 { return max(-1, min(1, v)) }

// readFull fills p, with silence after the source's end.
func readFull(s Source, p []float32) error {
	for len(p) > 0 {
		n, err := s.Read(p)
		p = p[n:]
		if errors.Is(err, io.EOF) {
			clear(p)
			return nil
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// PeaksPerSecond is how finely waveforms are kept.
const PeaksPerSecond = 50

// Peaks collects a song's waveform: the largest magnitude of each 20 ms as a
// byte, 255 at full scale.
type Peaks struct {
	All  []byte
	high float32
	n    int
}

// Write hears interleaved stereo samples.
func (p *Peaks) Write(s []float32) {
	for i := 0; i+1 < len(s); i += 2 {
		p.high = max(p.high, s[i], -s[i], s[i+1], -s[i+1])
		if p.n++; p.n == timecode.SampleRate/PeaksPerSecond {
			p.All = append(p.All, byte(min(255, p.high*255)))
			p.high, p.n = 0, 0
		}
	}
}

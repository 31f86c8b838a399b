package sound

import (
	"errors"
	"fmt"
	"io"
	"math"

	"nelko/internal/core/timecode"
)

// Samples is a length in sample pairs.
type Samples = timecode.Samples

// Source gives interleaved stereo samples until io.EOF, like io.Reader.
type Source interface {
	Read(p []float32) (n int, err error)
}

// Song is one song of a soundtrack.
type Song struct {
	Source Source
	Length Samples // as measured; the source may give a little less or more
	Gain   float64
}

// Clip is the sound of a clip, heard beside the songs.
type Clip struct {
	Source     Source
	At, Length Samples
	Gain       float64
	Fade       Samples // raised cosines at both ends
}

// add mixes the clip's part of a block that begins at pos.
func (c *Clip) add(block []float32, pos Samples, scratch []float32) error {
	n := Samples(len(block) / 2)
	lo, hi := max(pos, c.At), min(pos+n, c.At+c.Length)
	if lo >= hi {
		return nil
	}
	part := scratch[:2*(hi-lo)]
	if err := readFull(c.Source, part); err != nil {
		return err
	}
	out := block[2*(lo-pos):]
	for i := range hi - lo {
		g := c.Gain
		if in := lo + i - c.At; in < c.Fade {
			g *= cosine(float64(in) / float64(c.Fade))
		}
		if left := c.At + c.Length - 1 - lo - i; left < c.Fade {
			g *= cosine(float64(left) / float64(c.Fade))
		}
		out[2*i] = limit(out[2*i] + part[2*i]*float32(g))
		out[2*i+1] = limit(out[2*i+1] + part[2*i+1]*float32(g))
	}
	return nil
}

// Track is a soundtrack to be mixed: songs one after another, faded in at the
// start and out at the end, clips' own sound over them, exactly Total long.
type Track struct {
	Songs           []Song
	Clips           []Clip
	FadeIn, FadeOut Samples
	Total           Samples
}

// end is where sound ends: with the film, or with the last song if earlier.
func (t Track) end() Samples {
	var sum Samples
	for _, s := range t.Songs {
		sum += s.Length
	}
	return min(sum, t.Total)
}

// envelope is the fade's gain at sample n: raised cosines at both ends.
func (t Track) envelope(n Samples) float64 {
	g := 1.0
	if n < t.FadeIn {
		g = cosine(float64(n) / float64(t.FadeIn))
	}
	left := t.end() - 1 - n
	if left < t.FadeOut {
		g *= cosine(math.Max(0, float64(left)/float64(t.FadeOut)))
	}
	return g
}

func cosine(t float64) float64 { return 0.5 - 0.5*math.Cos(math.Pi*t) }

// Mix writes the whole soundtrack through out, in blocks of interleaved
// stereo samples that out must not keep. Exactly 2·Total values are written:
// a song that gives less than its length is followed by silence up to it, and
// one that gives more is cut.
func (t Track) Mix(out func([]float32) error) error {
	const block = 4096
	buf, scratch := make([]float32, 2*block), make([]float32, 2*block)
	pos := Samples(0)
	write := func(n int, gain float64) error {
		for i := 0; i < n; i++ {
			g := float32(gain * t.envelope(pos+Samples(i)))
			buf[2*i] = limit(buf[2*i] * g)
			buf[2*i+1] = limit(buf[2*i+1] * g)
		}
		for k := range t.Clips {
			if err := t.Clips[k].add(buf[:2*n], pos, scratch); err != nil {
				return fmt.Errorf("clip %d: %w", k+1, err)
			}
		}
		pos += Samples(n)
		return out(buf[:2*n])
	}
	for k, s := range t.Songs {
		stop := min(pos+s.Length, t.Total)
		for pos < stop {
			want := int(min(block, stop-pos))
			if err := readFull(s.Source, buf[:2*want]); err != nil {
				return fmt.Errorf("song %d: %w", k+1, err)
			}
			if err := write(want, s.Gain); err != nil {
				return err
			}
		}
	}
	for pos < t.Total {
		n := int(min(block, t.Total-pos))
		clear(buf[:2*n])
		if err := write(n, 0); err != nil {
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

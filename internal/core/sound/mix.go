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

// Shape is the curve of a fade.
type Shape int

// A raised cosine, a straight line in amplitude, and a quarter of a sine, with which
// two sounds that know nothing of each other keep their power while they cross.
const (
	Smooth Shape = iota
	Even
	Power
)

// at is the curve's value: 0 at 0, 1 at 1.
func (s Shape) at(t float64) float64 {
	t = max(0, min(1, t))
	switch s {
	case Even:
		return t
	case Power:
		return math.Sin(math.Pi / 2 * t)
	}
	return 0.5 - 0.5*math.Cos(math.Pi*t)
}

// Part is a stretch of sound at its place in the film.
type Part struct {
	Source            Source
	At, Length        Samples // the source may give a little less or more
	Gain              float64
	FadeIn, FadeOut   Samples
	InShape, OutShape Shape
	Points            []Point // its volume line, in order; none: level
}

// Point is a point of a volume line: a factor at a time into the part.
type Point struct {
	At   Samples
	Gain float64
}

// level is the part's own gain at sample n of it: its volume line, straight
// between points, with its fades. At a fade out's end it is 0, and at half of two
// fades of the same length that cross both are at half of their way.
func (p *Part) level(n Samples) float64 {
	g := p.line(n)
	if n < p.FadeIn {
		g *= p.InShape.at(float64(n) / float64(p.FadeIn))
	}
	if left := p.Length - 1 - n; left < p.FadeOut {
		g *= p.OutShape.at(float64(left) / float64(p.FadeOut))
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
		out[2*i] += part[2*i] * g
		out[2*i+1] += part[2*i+1] * g
	}
	return nil
}

// Track is a soundtrack to be mixed, exactly Total long: music, which is faded
// in at the film's start and out at its end, what is heard over it, and what is
// spoken, to which all else gives way.
type Track struct {
	Music           []Part
	Over            []Part
	Voice           []Part
	Duck            Duck
	FadeIn, FadeOut Samples
	Total           Samples
	LUFS            float64 // loudness it is brought to; 0: as it comes out
}

// end is where music ends: with the film, or with the last song if earlier.
func (t Track) end() Samples {
	var end Samples
	for _, p := range t.Music {
		end = max(end, p.At+p.Length)
	}
	return min(end, t.Total)
}

// Spool holds a track between being mixed and being brought to its loudness.
type Spool interface {
	Write([]float32) error
	Rewind() error
	Source
}

// mostLift is how much louder a track is made at most to come to its loudness, so
// that what is hardly heard stays so.
const mostLift = 12 // dB

// Mix writes the whole soundtrack through out, in blocks of interleaved
// stereo samples that out must not keep. Exactly 2·Total values are written:
// a source that gives less than its length is followed by silence up to it,
// and one that gives more is cut. Sources are read in order and once. With a
// loudness the track is kept in spool until that is known; without a spool it is
// left as it comes out. No true peak passes CeilingDB.
func (t Track) Mix(spool Spool, out func([]float32) error) error {
	l := newLimiter(CeilingDB, out)
	if t.LUFS == 0 || spool == nil {
		if err := t.sum(l.write); err != nil {
			return err
		}
		return l.close()
	}
	m := &Meter{filters: [2][2]biquad{kWeighting(), kWeighting()}, loudOnly: true}
	if err := t.sum(func(p []float32) error {
		m.Write(p)
		return spool.Write(p)
	}); err != nil {
		return err
	}
	if err := spool.Rewind(); err != nil {
		return err
	}
	gain := 1.0
	if was := m.Integrated(); was > Silence {
		gain = math.Pow(10, math.Min(t.LUFS-was, mostLift)/20)
	}
	buf := make([]float32, 2*blockSize)
	for left := 2 * t.Total; left > 0; {
		p := buf[:min(left, Samples(len(buf)))]
		if err := readFull(spool, p); err != nil {
			return err
		}
		for i := range p {
			p[i] *= float32(gain)
		}
		if err := l.write(p); err != nil {
			return err
		}
		left -= Samples(len(p))
	}
	return l.close()
}

// blockSize is how many sample pairs are mixed at a time.
const blockSize = 4096

// sum mixes all parts, without a limit.
func (t Track) sum(out func([]float32) error) error {
	buf, scratch := make([]float32, 2*blockSize), make([]float32, 2*blockSize)
	end := t.end()
	give := t.Duck.line(t.Total)
	fade := func(n Samples) float64 {
		g := give.at(n)
		if n < t.FadeIn {
			g *= Smooth.at(float64(n) / float64(t.FadeIn))
		}
		if left := end - 1 - n; left < t.FadeOut {
			g *= Smooth.at(float64(left) / float64(t.FadeOut))
		}
		return g
	}
	level := func(Samples) float64 { return 1 }
	for pos := Samples(0); pos < t.Total; {
		n := min(blockSize, t.Total-pos)
		clear(buf[:2*n])
		for _, of := range []struct {
			parts []Part
			what  string
			with  func(Samples) float64
		}{{t.Music, "song", fade}, {t.Over, "clip", give.at}, {t.Voice, "narration", level}} {
			for k := range of.parts {
				if err := of.parts[k].add(buf[:2*n], pos, scratch, of.with); err != nil {
					return fmt.Errorf("%s %d: %w", of.what, k+1, err)
				}
			}
		}
		pos += n
		if err := out(buf[:2*n]); err != nil {
			return err
		}
	}
	return nil
}

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

// Still finds how long a song is silent at its beginning and its end.
type Still struct {
	all         Samples
	first, last Samples // the first that was heard and the one after the last; 0, 0: none
}

// stillBelow is as loud as what is taken for silence.
const stillBelow = 0.001 // −60 dBFS

// Write hears interleaved stereo samples.
func (s *Still) Write(p []float32) {
	for i := 0; i+1 < len(p); i += 2 {
		if v := max(p[i], -p[i], p[i+1], -p[i+1]); v > stillBelow {
			if s.last == 0 {
				s.first = s.all
			}
			s.last = s.all + 1
		}
		s.all++
	}
}

// Ends are the seconds of silence before and after what was heard; all of it counts as
// before where nothing was.
func (s *Still) Ends() (lead, tail float64) {
	if s.last == 0 {
		return float64(s.all) / timecode.SampleRate, 0
	}
	return float64(s.first) / timecode.SampleRate, float64(s.all-s.last) / timecode.SampleRate
}

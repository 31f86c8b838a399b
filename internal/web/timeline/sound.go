package timeline

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
)

// soundBar is what lies in one row of an item of the soundtrack, in units of the
// drawing, with what dragging it needs: seconds of its file and of the film.
type soundBar struct {
	X, W           float64
	Begins, Ends   bool // here
	Spoken         bool
	Made           bool // put together: its ends are not trimmed by hand
	Name           string
	At             int // its place in the soundtrack
	Media          doc.MediaID
	From, To, Long float64 // of the file
	Start, End     float64 // of the film
}

// Beat is a beat of the music where it falls in the film, in seconds.
type Beat struct {
	At   float64
	Down bool
}

// Songs is the music among items.
func Songs(items []doc.Placed) (out []doc.Placed) {
	for _, p := range items {
		if p.Role == doc.Music {
			out = append(out, p)
		}
	}
	return out
}

// Beats are the beats of items where they are heard.
func Beats(lib doc.Library, items ...doc.Placed) (out []Beat) {
	for _, p := range items {
		h := lib[p.Media].Heard
		if h == nil {
			continue
		}
		for _, b := range h.Rhythm.Beats {
			for _, piece := range p.Pieces {
				if at, ok := piece.InFilm(timecode.Samples(b.At * timecode.SampleRate)); ok {
					out = append(out, Beat{float64(at) / timecode.SampleRate, b.Down})
				}
			}
		}
	}
	return out
}

// closestBars is how near to each other bars of the music are drawn at most.
const closestBars = 6.0

// sound puts into a row what is heard in its seconds.
func (d *drawing) sound(r *row, from, row float64) {
	x := func(second float64) float64 { return round((second - from) / row * width) }
	for _, p := range d.placed {
		start, end := float64(p.Start)/timecode.SampleRate, float64(p.End())/timecode.SampleRate
		if end <= from || start >= from+row {
			continue
		}
		last := p.Pieces[len(p.Pieces)-1]
		b := soundBar{
			X:      max(0, x(start)),
			Begins: start >= from-0.001,
			Ends:   end <= from+row+0.001,
			Spoken: p.Role == doc.Narration,
			Made:   len(p.Made) > 0,
			Name:   d.Library[p.Media].Name,
			At:     p.Index,
			Media:  p.Media,
			Start:  start,
			End:    end,
			From:   float64(p.Begin) / timecode.SampleRate,
			To:     float64(last.Begin+last.Length) / timecode.SampleRate,
			Long:   float64(d.Library[p.Media].Length) / timecode.SampleRate,
		}
		b.W = min(width, x(end)) - b.X
		r.Sound = append(r.Sound, b)
	}
	drawn := -closestBars
	for _, b := range d.beats {
		if b.At < from || b.At >= from+row {
			continue
		}
		if at := x(b.At); b.Down && at-drawn >= closestBars {
			r.Bars = append(r.Bars, at)
			drawn = at
		}
	}
}

// wave draws the soundtrack from one second on for a row's seconds.
func (d *drawing) wave(from, row float64) string {
	const step = 2.0 // units of the drawing for one bar
	mid := rulerH + d.slideH + waveH/2
	var b strings.Builder
	var bar []byte
	for x := 0.0; x < width; x += step {
		p, ok := d.peak(from+x/width*row, step/width*row)
		if !ok {
			break
		}
		h := math.Max(0.5, float64(p)/255*waveH/2)
		bar = append(bar[:0], 'M')
		bar = strconv.AppendFloat(bar, x, 'g', -1, 64)
		bar = strconv.AppendFloat(append(bar, ' '), mid-h, 'f', 1, 64)
		bar = strconv.AppendFloat(append(bar, "h1.4v"...), 2*h, 'f', 1, 64)
		b.Write(append(bar, "h-1.4z"...))
	}
	return b.String()
}

// peak is the loudest waveform value in a stretch of the soundtrack.
func (d *drawing) peak(second, span float64) (byte, bool) {
	for _, p := range d.music {
		for _, piece := range p.Pieces {
			start, end := float64(piece.Start)/timecode.SampleRate,
				float64(piece.Start+piece.Length)/timecode.SampleRate
			if second < start || second >= end {
				continue
			}
			into := second - start + float64(piece.Begin)/timecode.SampleRate
			wave := d.Waves[p.Media]
			lo, hi := int(into*sound.PeaksPerSecond), int(math.Ceil((into+span)*sound.PeaksPerSecond))
			if lo >= len(wave) {
				return 0, true
			}
			return slices.Max(wave[lo:max(lo+1, min(hi, len(wave)))]), true
		}
	}
	return 0, second < float64(d.Plan.Music)/timecode.SampleRate
}

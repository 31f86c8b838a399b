package render

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"math"
	"slices"
	"strings"

	"nelko/internal/core/compose"
	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/core/scene"
	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

// place is a frame of a film that is looked at in its finished file.
type place struct {
	at    timecode.Frames
	slide int // of the scene
}

// places are frames in every slide, every join and every segment of the film, in
// order: which of them is a matter of the film's name, so that the same film is looked
// at in the same places and another in others.
func (j *Job) places() ([]place, error) {
	sc := j.Film.Scene
	segs, err := j.Film.Segments()
	if err != nil {
		return nil, err
	}
	seen := map[timecode.Frames]bool{}
	somewhere := func(from, to timecode.Frames, key string) {
		if from, to = max(0, from), min(to, sc.Frames); from >= to {
			return
		}
		h := fnv.New32a()
		fmt.Fprintf(h, "%s %d", key, from)
		seen[from+timecode.Frames(h.Sum32())%(to-from)] = true
	}
	for _, s := range segs {
		somewhere(s.From, s.To, s.Key)
	}
	for i, s := range sc.Slides {
		from := s.Start
		if i > 0 {
			from += sc.Slides[i-1].Overlap
			somewhere(s.Start, from, "join")
		}
		somewhere(from, s.End()-s.Overlap, "slide")
	}
	var out []place
	for at := range seen {
		k := slices.IndexFunc(sc.Slides, func(s scene.Slide) bool { return at < s.End() })
		out = append(out, place{at, max(0, k)})
	}
	slices.SortFunc(out, func(a, b place) int { return int(a.at - b.at) })
	return out, nil
}

// Pictures are compared at about so many pixels a line, each the mean of many: what
// an encoder leaves out evens out there, a wrong picture does not.
const comparedWidth = 160

// bound is how far pictures of a codec may be from what was drawn, as the least
// peak signal-to-noise ratio, in decibels, of a whole picture and of its worst tile
// (below what the busiest clips keep at the profiles' lowest bit rates: see decision 017).
type bound struct{ whole, tile float64 }

// boundOf is the bound for a codec. Codecs for editing keep nearly everything.
func boundOf(v profile.Video) bound {
	switch v.Codec {
	case "prores", "ffv1":
		return bound{38, 26}
	case "dnxhd": // small frames have few bits
		return bound{30, 20}
	}
	return bound{26, 18}
}

// tileSide is the side of a tile, in compared pixels.
const tileSide = 8

// compare decodes frames of a finished film in every segment that was not compared in a film
// before, and compares them with what the compositor draws there; of the others it looks whether
// they are decoded. It gives the least ratio found, in decibels; 0 where none was asked.
func (j *Job) compare(ctx context.Context, path string) (least float64, err error) {
	all, err := j.places()
	if err != nil || len(all) == 0 || j.Film.Profile.Kind != profile.OfFilm {
		return 0, err
	}
	list, frames, err := j.fresh(ctx, all)
	if err != nil {
		return 0, err
	}
	if someOf(j, frames) {
		least, err = j.compareSome(ctx, path, list)
	} else {
		least, err = j.compareAll(ctx, path, list)
	}
	if err != nil || j.Cache == nil {
		return least, err
	}
	segs, err := j.Film.Segments()
	if err != nil {
		return least, err
	}
	return least, j.Cache.SetCompared(ctx, film.Keys(segs))
}

// compareFrames compares some frames, which are in their order. before and after are ffmpeg's
// arguments that have it begin and end elsewhere than the film does; then frames are known by
// their times.
func (j *Job) compareFrames(ctx context.Context, path string, all []place, before,
	after []string) (least float64, err error) {
	if len(all) == 0 {
		return 0, nil
	}
	sc := j.Film.Scene
	k := reduction(sc.W, sc.H)
	w, h := sc.W/k, sc.H/k
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	args := slices.Concat([]string{"-v", "error", "-nostdin"}, before, after, []string{"-i", path, "-map",
		"0:V:0", "-fps_mode", "passthrough",
		"-filter_script:v", "pipe:0", "-f", "rawvideo", "-"})
	cmd := patient(ctx, args...)
	cmd.Stdin = strings.NewReader(j.selected(all, before != nil) + "," + reducing(j.Film, w, h))
	var said bytes.Buffer
	cmd.Stderr = &said
	out, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	if err := cmd.Start(); err != nil {
		return 0, fmt.Errorf("starting ffmpeg: %w", err)
	}
	least, err = j.comparedWith(ctx, all, k, out)
	if err != nil && !errors.Is(err, errShort) {
		cancel() // what the decoder says of that is not asked
	}
	ended := cmd.Wait()
	told := strings.TrimSpace(said.String())
	if before != nil && errors.Is(err, errShort) {
		return 0, err
	}
	if (err == nil || errors.Is(err, errShort)) && (ended != nil || told != "") {
		return 0, fmt.Errorf("it cannot be decoded without errors (%s)", told)
	}
	return least, err
}

// oneOf is an expression for ffmpeg that is 1 for the numbers of frames that are compared, which
// are in their order: a search by halves, since ffmpeg takes no more than a hundred terms after
// one another (its eval.c), and asks it for every frame.
func oneOf(all []place) string {
	if len(all) == 1 {
		return fmt.Sprintf("eq(n,%d)", all[0].at)
	}
	half := len(all) / 2
	return fmt.Sprintf("if(lt(n,%d),%s,%s)", all[half].at, oneOf(all[:half]), oneOf(all[half:]))
}

// errShort means that fewer frames came than were asked for.
var errShort = errors.New("it ends before")

// comparedWith reads decoded frames and compares each with what is drawn. What is kept
// of those that are wrong is forgotten.
func (j *Job) comparedWith(ctx context.Context, all []place, k int, decoded io.Reader) (least float64,
	err error) {
	sc, allowed := j.Film.Scene, boundOf(j.Film.Profile.Video)
	lane := j.Lanes(ctx)
	defer lane.Close()
	c, frame := compose.New(sc, lane), raster.NewFrame(sc.W, sc.H)
	w, h := sc.W/k, sc.H/k
	got := make([]byte, 3*w*h)
	least = math.Inf(1)
	var wrong error // the first
	for _, p := range all {
		if _, err := io.ReadFull(decoded, got); err != nil {
			if ctx.Err() != nil {
				return 0, context.Cause(ctx)
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
				err = errShort
			}
			return 0, fmt.Errorf("frame %d cannot be read back: %w", p.at, err)
		}
		if err := c.Frame(frame, p.at); err != nil {
			return 0, err
		}
		whole, tile := ratios(got, reduced(frame, k), w, h)
		least = math.Min(least, whole)
		if whole < allowed.whole || tile < allowed.tile {
			wrong = cmp.Or(wrong, fmt.Errorf("at %s (slide %d) it shows another picture than was drawn: "+
				"%.1f dB, and %.1f dB at the worst place, where %.0f and %.0f are asked for",
				timecode.Clock(sc.Rate.Seconds(p.at)), p.slide+1, whole, tile, allowed.whole, allowed.tile))
			if err := j.forget(ctx, p.at); err != nil {
				return least, err
			}
		}
	}
	return least, wrong
}

// forget drops what is kept of a frame, so that it is made anew.
func (j *Job) forget(ctx context.Context, at timecode.Frames) error {
	segs, err := j.Film.Segments()
	if err != nil || j.Cache == nil {
		return err
	}
	for _, s := range segs {
		if at >= s.From && at < s.To {
			return j.Cache.Drop(ctx, s.Key)
		}
	}
	return nil
}

// reduction is by how much frames are made smaller to be compared.
func reduction(w, h int) int {
	for k := max(1, w/comparedWidth); k > 1; k-- {
		if w%k == 0 && h%k == 0 {
			return k
		}
	}
	return 1
}

// reducing is the filter that brings frames of a finished film to a size, and to the
// colours they were drawn in. In one step chroma would be half a sample off; recoloured
// takes no odd sizes.
func reducing(f *film.Film, w, h int) string {
	filter := fmt.Sprintf("scale=%d:%d:flags=area+accurate_rnd,format=yuv444p", w, h)
	if f.Kept.Matrix == f.Scene.Matrix {
		return filter
	}
	return filter + fmt.Sprintf(
		",scale=flags=accurate_rnd+full_chroma_int+full_chroma_inp:in_color_matrix=%s:out_color_matrix=%s:in_range=tv:out_range=tv,format=yuv444p",
		f.Kept.Matrix.Name(), f.Scene.Matrix.Name())
}

// reduced is a frame with means of k×k pixels, its planes one after another and of one
// size.
func reduced(f *raster.Frame, k int) []byte {
	w, h := f.W/k, f.H/k
	out := make([]byte, 0, 3*w*h)
	mean := func(plane []byte, stride, shift int) {
		for y := range h {
			for x := range w {
				sum, n := 0, 0
				for yy := y * k; yy < (y+1)*k; yy++ {
					for xx := x * k; xx < (x+1)*k; xx++ {
						sum += int(plane[(yy>>shift)*stride+xx>>shift])
						n++
					}
				}
				out = append(out, byte((sum+n/2)/n))
			}
		}
	}
	mean(f.Y, f.W, 0)
	mean(f.U, (f.W+1)/2, 1)
	mean(f.V, (f.W+1)/2, 1)
	return out
}

// ratios are the peak signal-to-noise ratios, in decibels, of two pictures of three
// planes each: of the whole, and of the tile where they differ most.
func ratios(a, b []byte, w, h int) (whole, tile float64) {
	tw, th := (w+tileSide-1)/tileSide, (h+tileSide-1)/tileSide
	sums, counts := make([]float64, tw*th), make([]float64, tw*th)
	total := 0.0
	for i := range a {
		d := float64(a[i]) - float64(b[i])
		x, y := i%(w*h)%w, i%(w*h)/w
		t := y/tileSide*tw + x/tileSide
		sums[t] += d * d
		counts[t]++
		total += d * d
	}
	worst := 0.0
	for t := range sums {
		worst = math.Max(worst, sums[t]/counts[t])
	}
	return decibels(total / float64(len(a))), decibels(worst)
}

// decibels is 10 log10(255²/mse).
func decibels(mse float64) float64 { return 10 * math.Log10(255*255/math.Max(mse, 1e-6)) }

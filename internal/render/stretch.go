package render

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"nelko/internal/core/timecode"
	"nelko/internal/film"
)

// stretch is a run of segments of a film that follow one another and were not compared yet, with
// the frames of it that are looked at.
type stretch struct {
	from, to timecode.Frames
	places   []place
}

// fresh are the stretches of a film whose segments were not compared with what is drawn in a film
// before, and how many frames they have together.
func (j *Job) fresh(ctx context.Context, all []place) (out []stretch, frames timecode.Frames, err error) {
	segs, err := j.Film.Segments()
	if err != nil {
		return nil, 0, err
	}
	compared := map[string]bool{}
	if j.Cache != nil {
		if compared, err = j.Cache.Compared(ctx, film.Keys(segs)); err != nil {
			return nil, 0, fmt.Errorf("which segments were compared: %w", err)
		}
	}
	for _, s := range segs {
		if compared[s.Key] {
			continue
		}
		frames += s.Frames()
		if n := len(out); n > 0 && out[n-1].to == s.From {
			out[n-1].to = s.To
		} else {
			out = append(out, stretch{from: s.From, to: s.To})
		}
	}
	for i := range out {
		for _, p := range all {
			if p.at >= out[i].from && p.at < out[i].to {
				out[i].places = append(out[i].places, p)
			}
		}
	}
	return out, frames, nil
}

// someOf is whether so few frames are to be compared that looking for them is quicker than
// decoding the whole film.
func someOf(j *Job, frames timecode.Frames) bool {
	return containers[j.Film.Profile.File.Format].sought && 2*frames < j.Film.Scene.Frames
}

// selected is the filter that lets through the frames that are looked at: by their numbers, or by
// their times, as their numbers are not known where decoding begins in the middle.
func (j *Job) selected(all []place, byTime bool) string {
	if !byTime {
		return "select='" + oneOf(all) + "'"
	}
	rate := j.Film.Scene.Rate
	half := rate.Seconds(1) / 2
	return "select='" + inTime(all, func(p place) (from, to float64) {
		at := rate.Seconds(p.at)
		return at - half, at + half
	}) + "'"
}

// inTime is oneOf by times.
func inTime(all []place, span func(place) (from, to float64)) string {
	if len(all) == 1 {
		from, to := span(all[0])
		return fmt.Sprintf("gte(t,%.6f)*lt(t,%.6f)", from, to)
	}
	half := len(all) / 2
	from, _ := span(all[half])
	return fmt.Sprintf("if(lt(t,%.6f),%s,%s)", from, inTime(all[:half], span), inTime(all[half:], span))
}

// seek has decoding begin at a stretch and end after it.
func seek(j *Job, s stretch) (before, after []string) {
	rate := j.Film.Scene.Rate
	half := rate.Seconds(1) / 2
	before = []string{"-copyts", "-seek_timestamp", "1"}
	if s.from > 0 {
		before = append(before, "-ss", fmt.Sprintf("%.6f", rate.Seconds(s.from)-half))
	}
	return before, []string{"-to", fmt.Sprintf("%.6f", rate.Seconds(s.to)-half)}
}

// decodes decodes the key frames of a finished film: what was compared in another film must be
// decoded in this one too.
func decodes(j *Job, ctx context.Context, path string) error {
	cmd := patient(ctx, "-v", "error", "-nostdin", "-skip_frame", "nokey", "-i", path, "-map", "0:V:0", "-f",
		"null", "-")
	said, err := cmd.CombinedOutput()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	if told := strings.TrimSpace(string(said)); err != nil || told != "" {
		return fmt.Errorf("it cannot be decoded without errors (%s)", told)
	}
	return nil
}

// compareSome compares the frames of some stretches. Where one is not found by its time, all is
// looked at.
func (j *Job) compareSome(ctx context.Context, path string, list []stretch) (least float64, err error) {
	if err := decodes(j, ctx, path); err != nil {
		return 0, err
	}
	for i, s := range list {
		before, after := seek(j, s)
		db, err := j.compareFrames(ctx, path, s.places, before, after)
		if errors.Is(err, errShort) {
			return j.compareAll(ctx, path, list)
		}
		if i == 0 || db < least {
			least = db
		}
		if err != nil {
			return least, err
		}
	}
	return least, nil
}

// compareAll is compareSome that decodes the whole film.
func (j *Job) compareAll(ctx context.Context, path string, list []stretch) (float64, error) {
	var all []place
	for _, s := range list {
		all = append(all, s.places...)
	}
	return j.compareFrames(ctx, path, all, nil, nil)
}

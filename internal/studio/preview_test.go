package studio_test

import (
	"bytes"
	"cmp"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/store"
	"nelko/internal/studio"
	"nelko/internal/studio/studiotest"
	"nelko/themes"
)

// ready is an order that could be rendered, at a small size.
func ready(t *testing.T) (*studio.Studio, int64) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	studiotest.Bring(t, s, o.ID, three(t))
	studiotest.Bring(t, s, o.ID, map[string][]byte{"song.flac": studiotest.Song(t, 15)})
	_, err := s.Edit(ctx, o.ID, load(t, s, o.ID).Slideshow.Head, edit.Fit{Mode: doc.ToMusic}, nil)
	require.NoError(t, err)
	_, err = s.Edit(ctx, o.ID, load(t, s, o.ID).Slideshow.Head, edit.Shape{Frame: doc.Frame{W: 320, H: 180}}, nil)
	require.NoError(t, err)
	return s, o.ID
}

func rendered(t *testing.T, s *studio.Studio, order int64, worker string) store.Render {
	r, err := s.StartRender(ctx, order)
	require.NoError(t, err)
	require.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, worker, true))
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	require.Equal(t, store.RenderDone, r.State, r.Error)
	return r
}

// After one caption was changed only the segments that show it are made
// again; the rest, and the sound, come from what is kept.
func TestOnlyWhatChangedIsMadeAgain(t *testing.T) {
	s, order := ready(t)
	first := rendered(t, s, order, "w")
	assert.Zero(t, first.FramesKept)
	assert.EqualValues(t, 15*30, first.FramesTotal)
	assert.Equal(t, first.FramesTotal, first.FramesDone)
	w := load(t, s, order)
	slide := w.Doc.Slides[1].ID
	_, err := s.Edit(ctx, order, w.Slideshow.Head, edit.Caption{Slides: []doc.SlideID{slide}, Text: "At the start"}, nil)
	require.NoError(t, err)
	again := rendered(t, s, order, "w")
	assert.EqualValues(t, 15*30, again.FramesTotal+again.FramesKept)
	assert.Equal(t, int64(w.Plan.Slides[1].Length), again.FramesTotal, "the slide with its joins")
	assert.NotEqual(t, *first.SHA256, *again.SHA256)
}

// A second worker takes parts of a film another is making; together they make
// all of it.
func TestWorkersShareAFilm(t *testing.T) {
	s, order := ready(t)
	require.NoError(t, s.Store.DB.Exec("INSERT INTO workers (id, seen_at) VALUES ('maker', now() + interval '1 hour'), ('helper', now() + interval '1 hour')").Error)
	r, err := s.StartRender(ctx, order)
	require.NoError(t, err)
	var wg sync.WaitGroup
	wg.Go(func() { assert.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, "maker", true)) })
	require.Eventually(t, func() bool {
		var n int64
		return s.Store.DB.Table("render_parts").Count(&n).Error == nil && n > 0
	}, 20*time.Second, 10*time.Millisecond)
	own, err := s.DoHelp(ctx, studio.Help{RenderID: r.ID}, "maker")
	require.NoError(t, err)
	assert.True(t, own, "the maker does not help itself")
	_, err = s.DoHelp(ctx, studio.Help{RenderID: r.ID}, "helper")
	require.NoError(t, err)
	wg.Wait()
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, r.State, r.Error)
	var open int64
	require.NoError(t, s.Store.DB.Table("render_parts").Where("state <> 'done'").Count(&open).Error)
	assert.Zero(t, open)
	_, err = s.DoHelp(ctx, studio.Help{RenderID: r.ID}, "helper")
	assert.NoError(t, err, "a film that is done needs no help")
}

// The parts of a worker that died are taken by the others.
func TestPartsOfDeadWorkersGoOn(t *testing.T) {
	s, order := ready(t)
	r, err := s.StartRender(ctx, order)
	require.NoError(t, err)
	go func() { // takes a part as soon as there is one, and is never seen again
		for range 2000 {
			if s.Store.DB.Exec("UPDATE render_parts SET state = 'running', worker = 'gone' WHERE number = 1 AND state = 'waiting'").RowsAffected > 0 {
				return
			}
			time.Sleep(2 * time.Millisecond)
		}
	}()
	require.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, "w", true))
	r, err = store.One[store.Render](s.Store.DB, "id = ?", r.ID)
	require.NoError(t, err)
	assert.Equal(t, store.RenderDone, r.State, r.Error)
}

// Segments beyond the room given to them go, the least recently used first;
// files of films and media stay, and a film can still be made.
func TestSegmentsAreEvicted(t *testing.T) {
	s, order := ready(t)
	first := rendered(t, s, order, "w")
	var before int64
	require.NoError(t, s.Store.DB.Table("segments").Count(&before).Error)
	require.Greater(t, before, int64(4))
	require.NoError(t, s.Store.DB.Exec("UPDATE segments SET used_at = now() - interval '2 hours'").Error)
	s.MaxSegmentBytes = 1
	_, err := s.Edit(ctx, order, load(t, s, order).Slideshow.Head, edit.Details{Values: map[string]string{"names": "Other"}}, nil)
	require.NoError(t, err)
	again := rendered(t, s, order, "w")
	var left int64
	require.NoError(t, s.Store.DB.Table("segments").Where("used_at < now() - interval '1 hour'").Count(&left).Error)
	assert.Zero(t, left)
	for _, sha := range []string{*first.SHA256, *again.SHA256} {
		ok, err := s.Blobs.Exists(ctx, sha)
		require.NoError(t, err)
		assert.True(t, ok, "films stay")
	}
	rendered(t, s, order, "w")
}

func number(t *testing.T, text string) float64 {
	v, err := strconv.ParseFloat(text, 64)
	require.NoError(t, err)
	return v
}

// The preview that is played: its segments have the film's times, without
// gaps, and the sound is as long as the film.
func TestPlayedPreview(t *testing.T) {
	s, order := ready(t)
	w := load(t, s, order)
	segs, err := s.Played(w)
	require.NoError(t, err)
	dir := t.TempDir()
	var all bytes.Buffer
	for i := range segs {
		ts, err := s.PlayedSegment(ctx, w, i)
		require.NoError(t, err)
		all.Write(ts)
	}
	path := filepath.Join(dir, "all.ts")
	require.NoError(t, os.WriteFile(path, all.Bytes(), 0o644))
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries", "packet=pts_time", "-of", "csv=p=0", path).Output()
	require.NoError(t, err)
	times := strings.Fields(strings.ReplaceAll(string(out), ",", " "))
	require.Len(t, times, int(w.Plan.Pictures))
	slices.SortFunc(times, func(a, b string) int { return cmp.Compare(number(t, a), number(t, b)) })
	for i, at := range times {
		require.InDelta(t, 1+w.Doc.Rate.Seconds(timecode.Frames(i)), number(t, at), 1e-4, "frame %d is shown at its time, one second on", i)
	}
	_, err = s.PlayedSegment(ctx, w, len(segs))
	assert.ErrorIs(t, err, store.ErrNotFound)

	sum := 0.0
	for i, seconds := range s.PlayedSound(w) {
		ts, err := s.PlayedSoundSegment(ctx, w, i)
		require.NoError(t, err)
		path := filepath.Join(dir, "sound.ts")
		require.NoError(t, os.WriteFile(path, ts, 0o644))
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=start_time,duration", "-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		var start, length float64
		_, err = fmt.Sscanf(strings.TrimSpace(strings.Split(string(out), "\n")[0]), "%f,%f", &start, &length)
		require.NoError(t, err, string(out))
		assert.InDelta(t, 1+sum, start, 0.03, "segment %d begins where the list says", i)
		assert.InDelta(t, seconds, length, 0.05, "and lasts as long")
		sum += seconds
	}
	assert.InDelta(t, 15, sum, 0.001)
	_, err = s.PlayedSoundSegment(ctx, w, 4)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// Every theme moves with the order's own pictures, and is made once.
func TestThemeLoops(t *testing.T) {
	s, order := ready(t)
	w := load(t, s, order)
	all, err := themes.All()
	require.NoError(t, err)
	for _, th := range all[:3] {
		path, err := s.ThemeLoop(ctx, w, th.ID)
		require.NoError(t, err, th.ID)
		again, err := s.ThemeLoop(ctx, w, th.ID)
		require.NoError(t, err)
		assert.Equal(t, path, again)
		out, err := exec.Command("ffprobe", "-v", "error", "-count_packets", "-show_entries", "stream=codec_type,nb_read_packets", "-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(string(out), "video,"), string(out))
		jpg, err := s.ThemeStill(w, th.ID)
		require.NoError(t, err)
		assert.Equal(t, []byte{0xff, 0xd8}, jpg[:2])
	}
	_, err = s.ThemeLoop(ctx, w, "no such theme")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// A studio's own transition is kept under a name and found again in another
// order; a name used twice keeps the newer.
func TestOwnTransitions(t *testing.T) {
	s := studiotest.Open(t)
	soft := transition.Transition{Kind: "wipe", Seconds: 1.5, Direction: transition.Up, Soft: 0.4}
	require.NoError(t, s.KeepTransition(ctx, " Soft rise ", soft))
	got, err := s.Transition(ctx, "Soft rise")
	require.NoError(t, err)
	assert.Equal(t, soft, got)
	soft.Seconds = 2
	require.NoError(t, s.KeepTransition(ctx, "Soft rise", soft))
	names, err := s.TransitionNames(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"Soft rise"}, names)
	got, err = s.Transition(ctx, "Soft rise")
	require.NoError(t, err)
	assert.Equal(t, 2.0, got.Seconds)
	var invalid *studio.Invalid
	assert.ErrorAs(t, s.KeepTransition(ctx, "", soft), &invalid)
	assert.ErrorAs(t, s.KeepTransition(ctx, "x", transition.Transition{Kind: "melt"}), &invalid)
	_, err = s.Transition(ctx, "nobody")
	assert.ErrorAs(t, err, &invalid)
}

// Closing a studio stops what it makes in the background, such as the
// segments after the one that was asked for, and leaves nothing half made.
func TestClosingLeavesNothingRunning(t *testing.T) {
	s, order := ready(t)
	w := load(t, s, order)
	_, err := s.PlayedSegment(ctx, w, 0)
	require.NoError(t, err)
	s.WarmUp(w, w.Plan.Pictures-1)
	s.Close()
	left, err := filepath.Glob(filepath.Join(s.Blobs.Cache(), "draft-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	segs, err := s.Played(w)
	require.NoError(t, err)
	_, err = s.PlayedSegment(ctx, w, len(segs)-1)
	assert.Error(t, err, "nothing more is begun")
	s.WarmUp(w, 0)
	s.Close()
}

package looking_test

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/design"
	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/raster"
	"nelko/internal/core/timecode"
	"nelko/internal/house/housetest"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
)

var ctx = context.Background()

func number(t *testing.T, text string) float64 {
	v, err := strconv.ParseFloat(text, 64)
	require.NoError(t, err)
	return v
}

// The preview that is played: its segments have the film's times, without
// gaps, and the sound is as long as the film.
func TestPlayedPreview(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	w := housetest.Load(t, s, order)
	segs, err := s.Looking.Player.Played(w)
	require.NoError(t, err)
	dir := t.TempDir()
	var all bytes.Buffer
	for i := range segs {
		ts, err := s.Looking.Player.PlayedSegment(ctx, w, i)
		require.NoError(t, err)
		all.Write(ts)
	}
	path := filepath.Join(dir, "all.ts")
	require.NoError(t, os.WriteFile(path, all.Bytes(), 0o644))
	out, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "v:0", "-show_entries",
		"packet=pts_time", "-of", "csv=p=0", path).Output()
	require.NoError(t, err)
	times := strings.Fields(strings.ReplaceAll(string(out), ",", " "))
	require.Len(t, times, int(w.Plan.Frames))
	slices.SortFunc(times, func(a, b string) int { return cmp.Compare(number(t, a), number(t, b)) })
	for i, at := range times {
		require.InDelta(t, 1+w.Doc.Rate.Seconds(timecode.Frames(i)), number(t, at), 1e-4,
			"frame %d is shown at its time, one second on", i)
	}
	_, err = s.Looking.Player.PlayedSegment(ctx, w, len(segs))
	assert.ErrorIs(t, err, store.ErrNotFound)

	sum := 0.0
	for i, seconds := range s.Looking.Player.PlayedSound(w) {
		ts, err := s.Looking.Player.PlayedSoundSegment(ctx, w, i)
		require.NoError(t, err)
		path := filepath.Join(dir, "sound.ts")
		require.NoError(t, os.WriteFile(path, ts, 0o644))
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=start_time,duration",
			"-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		var start, length float64
		_, err = fmt.Sscanf(strings.TrimSpace(strings.Split(string(out), "\n")[0]), "%f,%f", &start, &length)
		require.NoError(t, err, string(out))
		assert.InDelta(t, 1+sum, start, 0.03, "segment %d begins where the list says", i)
		assert.InDelta(t, seconds, length, 0.05, "and lasts as long")
		sum += seconds
	}
	assert.InDelta(t, 15, sum, 0.001)
	_, err = s.Looking.Player.PlayedSoundSegment(ctx, w, 4)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// Every theme moves with the order's own pictures, and is made once.
func TestThemeLoops(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	w := housetest.Load(t, s, order)
	all := s.Shelf.Themes.All()
	for _, th := range all[:3] {
		path, err := s.Looking.Themes.ThemeLoop(ctx, w, th.ID)
		require.NoError(t, err, th.ID)
		again, err := s.Looking.Themes.ThemeLoop(ctx, w, th.ID)
		require.NoError(t, err)
		assert.Equal(t, path, again)
		out, err := exec.Command("ffprobe", "-v", "error", "-count_packets", "-show_entries",
			"stream=codec_type,nb_read_packets", "-of", "csv=p=0", path).Output()
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(string(out), "video,"), string(out))
		jpg, err := s.Looking.Themes.ThemeStill(ctx, w, th.ID)
		require.NoError(t, err)
		assert.Equal(t, []byte{0xff, 0xd8}, jpg[:2])
	}
	_, err := s.Looking.Themes.ThemeLoop(ctx, w, "no such theme")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// Closing a studio stops what it makes in the background, such as the
// segments after the one that was asked for, and leaves nothing half made.
func TestClosingLeavesNothingRunning(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	w := housetest.Load(t, s, order)
	_, err := s.Looking.Player.PlayedSegment(ctx, w, 0)
	require.NoError(t, err)
	s.Looking.Player.WarmUp(w, w.Plan.Frames-1)
	s.Looking.Close()
	left, err := filepath.Glob(filepath.Join(s.Blobs.Cache(), "temp", "*", "draft-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
	segs, err := s.Looking.Player.Played(w)
	require.NoError(t, err)
	_, err = s.Looking.Player.PlayedSegment(ctx, w, len(segs)-1)
	assert.Error(t, err, "nothing more is begun")
	s.Looking.Player.WarmUp(w, 0)
	s.Looking.Close()
}

// A frame is that of the revision that is asked for, whatever has happened
// since; an unknown revision or order is not found.
func TestFramesAreThoseOfTheirRevision(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	before := housetest.Load(t, s, order).Slideshow.Head
	first, err := s.Looking.Frame(ctx, orders.Seen{Order: order}, before, 90, 320)
	require.NoError(t, err)
	housetest.Edit(t, s, order, edit.Details{Values: map[string]string{"names": "Somebody else entirely"}})
	now := housetest.Load(t, s, order).Slideshow.Head
	changed, err := s.Looking.Frame(ctx, orders.Seen{Order: order}, now, 90, 320)
	require.NoError(t, err)
	assert.NotEqual(t, first, changed)
	// Not from memory: another room that has seen nothing yet.
	fresh := looking.New(s.Blobs, s.Orders, s.Looking.Kept, s.Looking.Sprites)
	again, err := fresh.Frame(ctx, orders.Seen{Order: order}, before, 90, 320)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	for _, wrong := range [][2]int{{int(order), 999}, {int(order), -1}, {999, 1}} {
		_, err = s.Looking.Frame(ctx, orders.Seen{Order: int64(wrong[0])}, wrong[1], 90, 320)
		assert.ErrorIs(t, err, store.ErrNotFound, "%v", wrong)
	}
}

// What stands on films may change: frames shown before are not shown again.
func TestFramesFollowTheMark(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	head := housetest.Load(t, s, order).Slideshow.Head
	plain, err := s.Looking.Frame(ctx, orders.Seen{Order: order}, head, 200, 320)
	require.NoError(t, err)
	require.NoError(t, s.Store.DB.Exec("UPDATE studio SET mark = 'Osprey Quay'").Error)
	s.Hear(store.Event{What: store.StudioChanged})
	marked, err := s.Looking.Frame(ctx, orders.Seen{Order: order}, head, 200, 320)
	require.NoError(t, err)
	assert.NotEqual(t, plain, marked)
}

// Words are looked at against what is really behind them: light words on a
// white card are told of, on a black one not.
func TestWordsThatAreHardToRead(t *testing.T) {
	s := housetest.Open(t)
	order := housetest.Ready(t, s)
	housetest.Edit(t, s, order, edit.AddCard{Words: doc.Words{Kind: "title", Main: "Half-time"}})
	card := func() doc.SlideID {
		for _, sl := range housetest.Load(t, s, order).Doc.Slides {
			if sl.Kind == doc.Card {
				return sl.ID
			}
		}
		return ""
	}()
	hard := func(ground raster.RGB) (texts []string) {
		housetest.Edit(t, s, order, edit.Backdrop{
			Slides:   []doc.SlideID{card},
			Backdrop: &design.Backdrop{Kind: design.Plain, Colour: ground},
		})
		d := housetest.Load(t, s, order)
		_, err := s.Looking.Findings.Findings(d)
		require.NoError(t, err)
		s.Looking.Settle()
		found, err := s.Looking.Findings.Findings(d)
		require.NoError(t, err)
		for _, c := range found {
			if c.Kind == "contrast" && c.Field == "slide:"+string(card) {
				texts = append(texts, c.Text)
			}
		}
		return texts
	}
	white := hard(raster.RGB{R: 255, G: 255, B: 255})
	require.Len(t, white, 1)
	assert.Contains(t, white[0], "“Half-time” is hard to read on what is behind it (contrast 1.")
	assert.Empty(t, hard(raster.RGB{}))
}

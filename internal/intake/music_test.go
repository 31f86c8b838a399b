package intake_test

import (
	"bytes"
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// The studio's songs are listened to once, found by tempo, length and words, and taken
// into orders without being read again; orders keep what they have taken.
func TestTheStudiosMusic(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	in := h.Intake
	add := func(name string, seconds float64) intake.Song {
		s, err := in.Songs.AddSong(ctx, name, bytes.NewReader(housetest.Song(t, seconds)))
		require.NoError(t, err)
		return s
	}
	short, long := add("short.flac", 12), add("long.flac", 30)
	o := housetest.Order(t, h)
	var wrong *invalid.Input
	require.ErrorAs(t, in.Songs.TakeSong(ctx, o.ID, short.MediaID), &wrong, "not listened to yet")
	for _, s := range []intake.Song{short, long} {
		require.NoError(t, in.Reader.Read(ctx, intake.Read{MediaID: s.MediaID, Song: true}))
	}
	_, err := in.Songs.AddSong(ctx, "again.flac", bytes.NewReader(housetest.Song(t, 12)))
	require.ErrorAs(t, err, &wrong)
	assert.Contains(t, wrong.Problem, "short.flac")

	until := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	require.NoError(t, in.Songs.Note(ctx, store.Music{
		MediaID:      long.MediaID,
		Mood:         "glad",
		Favourite:    true,
		Licence:      "one year",
		LicenceUntil: &until,
	}))
	require.ErrorIs(t, in.Songs.Note(ctx, store.Music{MediaID: 999}), store.ErrNotFound)
	names := func(w intake.Wanted) (out []string) {
		all, err := in.Songs.Music(ctx, w)
		require.NoError(t, err)
		for _, s := range all {
			out = append(out, s.Media.Name)
		}
		return out
	}
	assert.Equal(t, []string{"long.flac", "short.flac"}, names(intake.Wanted{}), "favourites first")
	assert.Equal(t, []string{"short.flac", "long.flac"}, names(intake.Wanted{Near: 15}), "the nearest first")
	assert.Equal(t, []string{"long.flac"}, names(intake.Wanted{Text: "Glad"}))
	assert.Equal(t, []string{"long.flac"}, names(intake.Wanted{Short: 20}))
	assert.Equal(t, []string{"short.flac"}, names(intake.Wanted{Long: 20}))
	assert.Equal(t, []string{"long.flac"}, names(intake.Wanted{FavouritesOnly: true}))
	assert.Empty(t, names(intake.Wanted{Fast: 200}), "a tone has no tempo")
	wave, err := in.Songs.SongWave(ctx, long.MediaID)
	require.NoError(t, err)
	assert.Len(t, wave, 1500)

	require.NoError(t, in.Songs.TakeSong(ctx, o.ID, long.MediaID))
	require.ErrorAs(t, in.Songs.TakeSong(ctx, o.ID, long.MediaID), &wrong, "it is there already")
	require.NoError(t, in.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	d := housetest.Load(t, h, o.ID)
	require.Len(t, d.Doc.Soundtrack.Songs(), 1)
	m := d.Library[d.Doc.Soundtrack.Songs()[0]]
	assert.NotNil(t, m.Heard)
	assert.InDelta(t, 30*48000, float64(m.Length), 10)

	until = time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	songs := d.Doc.Soundtrack.Songs()
	require.NoError(t, in.Songs.Note(ctx, store.Music{
		MediaID:      long.MediaID,
		Licence:      "weddings only",
		LicenceUntil: &until,
	}))
	doubts, err := in.Songs.Licences(ctx, songs, until)
	require.NoError(t, err)
	require.Len(t, doubts, 1)
	assert.Contains(t, doubts[0].Text, "“weddings only”", "its words are to be read")
	doubts, err = in.Songs.Licences(ctx, songs, until.AddDate(0, 0, 1))
	require.NoError(t, err)
	require.Len(t, doubts, 1)
	assert.Contains(t, doubts[0].Text, "ended on 1 March 2026")
	doubts, err = in.Songs.Licences(ctx, []doc.MediaID{"another"}, until)
	require.NoError(t, err)
	assert.Empty(t, doubts)

	require.NoError(t, in.Songs.DropSong(ctx, long.MediaID))
	require.ErrorIs(t, in.Songs.DropSong(ctx, long.MediaID), store.ErrNotFound)
	assert.Len(t, housetest.Load(t, h, o.ID).Doc.Soundtrack.Songs(), 1, "the order keeps it")
}

// What is spoken comes in as narration at its moment; songs of before there was an ear
// for their beat are listened to later.
func TestNarrationAndSongsOfBefore(t *testing.T) {
	ctx := context.Background()
	h := housetest.Open(t)
	o := housetest.Order(t, h)
	m, err := h.Intake.Songs.Speak(ctx, o.ID, "take 1", 7.5, bytes.NewReader(housetest.Song(t, 3)))
	require.NoError(t, err)
	require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	require.NoError(t, h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
	items := housetest.Load(t, h, o.ID).Doc.Soundtrack.Items
	require.Len(t, items, 1)
	assert.Equal(t, doc.Narration, items[0].Role)
	assert.Equal(t, 7.5, *items[0].At)
	var wrong *invalid.Input
	_, err = h.Intake.Songs.Speak(ctx, o.ID, "take 2", -1, bytes.NewReader(nil))
	require.ErrorAs(t, err, &wrong)

	require.NoError(t, h.Store.DB.Exec("UPDATE media SET heard = NULL").Error)
	require.NoError(t, h.Intake.Songs.Relisten(ctx))
	var jobs int64
	require.NoError(t, h.Store.DB.Raw(
		"SELECT count(*) FROM river_job WHERE kind = 'ingest' AND (args->>'media_id')::bigint = ?", m.ID).
		Scan(&jobs).Error)
	assert.Positive(t, jobs)
	require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	assert.NotNil(t, housetest.Load(t, h, o.ID).Library[m.DocID()].Heard)
}

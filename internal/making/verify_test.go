package making_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/store"
)

// A file that was damaged is found when it is read back, told, and made again
// from what it was made of, to the byte, although the order went on; then the
// damage is gone. What cannot be the same says why.
func TestVerifyAndMakeAgain(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	r := housetest.Rendered(t, s, id)
	v, err := s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	assert.EqualValues(t, 1, v.Files)
	assert.Empty(t, v.Damaged)
	v, err = s.Making.Checks.Verify(ctx, false, 100, 0)
	require.NoError(t, err)
	assert.Zero(t, v.Files, "not again within a month")

	housetest.Edit(t, s, id, edit.Details{Values: map[string]string{"names": "Others", "date": "2027"}})
	path, err := s.Blobs.Path(ctx, *r.SHA256)
	require.NoError(t, err)
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	bad := append([]byte{}, want...)
	bad[len(bad)/2] ^= 1 // one bit
	require.NoError(t, os.WriteFile(path, bad, 0o644))
	v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	require.Len(t, v.Damaged, 1)
	assert.Contains(t, v.Damaged[0].Why, "is not what it was")
	of := func(id int64) store.Render {
		r, err := store.One[store.Render](s.Store.DB, "id = ?", id)
		require.NoError(t, err)
		return r
	}
	assert.NotEmpty(t, of(r.ID).Damage)
	again, err := s.Making.Renders.Again(ctx, id, r.ID)
	require.NoError(t, err)
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: again.ID}, "w", true))
	made := of(again.ID)
	assert.Equal(t, []any{store.RenderDone, "", *r.SHA256, false}, []any{made.State, made.Differs,
		*made.SHA256, made.Main}, made.Error)
	got, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, want, got)
	assert.Empty(t, of(r.ID).Damage)

	// What is streamed is read back too, though the film's own file is whole.
	stream, err := s.Blobs.Path(ctx, *of(r.ID).Stream)
	require.NoError(t, err)
	whole, err := os.ReadFile(stream)
	require.NoError(t, err)
	hurt := append([]byte{}, whole...)
	hurt[len(hurt)/3] ^= 1
	require.NoError(t, os.WriteFile(stream, hurt, 0o600))
	v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	require.NotEmpty(t, v.Damaged)
	assert.Contains(t, v.Damaged[0].Why, "the file of its stream")
	again, err = s.Making.Renders.Again(ctx, id, r.ID)
	require.NoError(t, err)
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: again.ID}, "w", true))
	got, err = os.ReadFile(stream)
	require.NoError(t, err)
	assert.Equal(t, whole, got)
	path, err = s.Blobs.Path(ctx, *r.SHA256)
	require.NoError(t, err)

	require.NoError(t, os.Remove(path))
	v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	require.NotEmpty(t, v.Damaged)
	assert.Equal(t, "the file of its film is gone", v.Damaged[0].Why)

	damaged := func(v making.Verified) (n int) { // the film made again had the same file
		for _, d := range v.Damaged {
			if d.Render.ID == r.ID {
				n++
			}
		}
		return n
	}
	// It is counted until it is whole, and made again once at a time.
	for range 2 {
		v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
		require.NoError(t, err)
		assert.Equal(t, 1, damaged(v), "of this film")
	}
	var open int64
	require.NoError(t, s.Store.DB.Model(&store.Render{}).Where("again_of = ? AND state = 'waiting'", r.ID).
		Count(&open).Error)
	assert.EqualValues(t, 1, open)

	// Other tools: another file takes the place of the one that is gone, with a word, and its link
	// shows it.
	_, token, err := s.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		RenderID: r.ID,
		Title:    "Film",
		Days:     3,
	})
	require.NoError(t, err)
	require.NoError(t, s.Store.DB.Model(&store.Render{}).Where("id = ?", r.ID).Updates(map[string]any{
		"tools":  "older tools",
		"sha256": made.Poster,
	}).Error)
	other, err := s.Making.Renders.Again(ctx, id, r.ID)
	require.NoError(t, err)
	require.NoError(t, s.Making.Attempts.Film(ctx, making.Film{RenderID: other.ID}, "w", true))
	assert.Contains(t, of(other.ID).Differs, "it was made with older tools, now with")
	now := of(r.ID)
	assert.Empty(t, now.Damage)
	assert.Equal(t, *of(other.ID).SHA256, *now.SHA256)
	assert.Contains(t, now.Differs, "its file was damaged (the file of its film is gone) and was replaced "+
		"by one made anew: it was made with older tools")
	w, err := s.Delivery.Links.Open(ctx, token, 0)
	require.NoError(t, err)
	there, err := s.Blobs.Exists(ctx, *w.Render.SHA256)
	require.NoError(t, err)
	assert.True(t, there, "no link is left on a film that is gone")
	v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	assert.Zero(t, damaged(v))

	// A film whose file came back by itself, as a backup was brought in, is whole.
	require.NoError(t, s.Store.DB.Model(&store.Render{}).Where("id = ?", r.ID).Update("damage", "gone").Error)
	v, err = s.Making.Checks.Verify(ctx, true, 0, 0)
	require.NoError(t, err)
	assert.Zero(t, damaged(v))
	assert.Empty(t, of(r.ID).Damage)
	_, err = s.Making.Renders.Again(ctx, id+1, r.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

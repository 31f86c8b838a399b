package pressing_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/disc/player"
	"nelko/internal/house/housetest"
	"nelko/internal/pressing"
	"nelko/internal/store"
)

// An HD disc is stepped through by its films.
func TestAnHDDisc(t *testing.T) {
	h := housetest.Open(t)
	order := housetest.Order(t, h).ID
	housetest.Bring(t, h, order, map[string][]byte{
		"a.jpg":     housetest.Photo(t, 1),
		"b.jpg":     housetest.Photo(t, 2),
		"song.flac": housetest.Song(t, 9),
	})
	pennant, err := h.Shelf.Themes.Get("pennant") // whose opening is short
	require.NoError(t, err)
	housetest.Edit(t, h, order, edit.SetTheme{
		Theme:   pennant.ID,
		Version: pennant.Content,
		Name:    pennant.Name,
	})
	housetest.Edit(t, h, order, housetest.ToMusic())
	housetest.Caption(t, h, order, "At sea")
	n := pressing.New{DiscSetting: store.DiscSetting{
		Kind:      store.HDVideo,
		Name:      "HD",
		Blank:     discs.BD25.Name,
		Subtitles: "on",
		Every:     1,
	}}
	m := made(t, h, order, n)
	require.NotNil(t, m.Image, m.Error)
	st, err := h.Pressing.Stepper.Step(ctx, m.DeliveryID)
	require.NoError(t, err)
	assert.Len(t, st.Guide.Titles[0].Chapters, 2)
	var b bytes.Buffer
	require.NoError(t, h.Pressing.Stepper.ShowTitle(ctx, st, 1, 2, true, &b))
	assert.NotEmpty(t, frameAt(t, b.Bytes(), 1).Bounds())
}

// Films of a client's two orders on one disc that plays at once and goes round:
// its menu has a button for each and one for both, and paper lists them.
func TestFilmsOfTwoOrders(t *testing.T) {
	h := housetest.Open(t)
	first, second := housetest.Ready(t, h), housetest.Ready(t, h)
	o, err := store.One[store.Order](h.Store.DB, "id = ?", first)
	require.NoError(t, err)
	siblings, err := h.Pressing.Siblings(ctx, o)
	require.NoError(t, err)
	require.Len(t, siblings, 1)
	assert.Equal(t, second, siblings[0].ID)
	n := dvd("Both")
	n.Profiles, n.Orders, n.PlayFirst, n.Loop, n.Subtitles = []string{profile.DVDNTSCNarrow.Name},
		[]int64{first, second}, true, true, ""
	m := made(t, h, first, n)
	require.NotNil(t, m.Image, m.Error)
	assert.Equal(t, 2, m.Films())
	assert.Equal(t, "DVD NTSC 4:3 on DVD 4.7 GB, 2 films", m.Describe())
	st, err := h.Pressing.Stepper.Step(ctx, m.DeliveryID)
	require.NoError(t, err)
	assert.Equal(t, player.Place{Title: 1}, st.Guide.First)
	require.Len(t, st.Guide.Pages, 1)
	buttons := st.Guide.Pages[0].Buttons
	require.Len(t, buttons, 3)
	assert.Equal(t, []player.Place{{Title: 1}, {Title: 2}, {Title: 1}}, []player.Place{buttons[0].To,
		buttons[1].To, buttons[2].To})
	assert.Equal(t, []player.Place{{Page: 1}}, buttons[1].Then, "one film by itself leads back")
	assert.Equal(t, []player.Place{{Title: 2}, {Title: 1}}, buttons[2].Then, "both go round")
	var sleeve bytes.Buffer
	require.NoError(t, h.Pressing.Prints.Sleeve(ctx, m.DeliveryID, &sleeve))

	// Two presses are two copies, counted on; what waits can be cancelled.
	require.NoError(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 1))
	require.NoError(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 1))
	open, _, err := h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	require.Len(t, open, 2)
	assert.Equal(t, []int{1, 2}, []int{open[0].Copy, open[1].Copy})
	require.NoError(t, h.Pressing.Burner.CancelBurn(ctx, open[0].ID))
	open, over, err := h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	assert.Len(t, open, 1)
	assert.Equal(t, store.BurnCancelled, over[0].State)
	assert.Zero(t, over[0].Percent())
	assert.Error(t, h.Pressing.Burner.Copies(ctx, m.DeliveryID, 51))
	_, err = h.Pressing.Discs.Make(ctx, first, pressing.New{
		DiscSetting: n.DiscSetting,
		Orders:      []int64{first, 999},
	})
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// Films are shared out to discs in their order, none lost, none divided, and no
// disc over its capacity or with more films than it has room for.
func TestFilmsAreSharedOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		seconds := rapid.SliceOfN(rapid.Float64Range(20, 5400), 1, 250).Draw(t, "films")
		kind := rapid.SampledFrom([]store.DiscKind{store.DVDVideo, store.HDVideo, store.DataDisc}).
			Draw(t, "kind")
		set := store.DiscSetting{Kind: kind, Blank: discs.DVD5.Name, Menu: rapid.Bool().Draw(t, "menu")}
		if kind == store.HDVideo {
			set.Blank = discs.BD25.Name
		}
		parts, err := pressing.Divide(set, seconds)
		require.NoError(t, err)
		next := 0
		for _, p := range parts {
			assert.LessOrEqual(t, len(p), 99)
			var sum float64
			for _, i := range p {
				assert.Equal(t, next, i)
				sum += seconds[i]
				next++
			}
			if kind == store.DVDVideo {
				assert.Less(t, sum*float64(discs.DVD.Least)*1000/8, float64(discs.DVD5.Bytes()))
			}
		}
		assert.Equal(t, len(seconds), next)
	})
	_, err := pressing.Divide(store.DiscSetting{
		Kind:  store.DVDVideo,
		Blank: discs.DVD5.Name,
	}, []float64{9 * 3600})
	assert.ErrorContains(t, err, "too long")
}

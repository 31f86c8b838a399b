package house_test

import (
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/orders"
	"nelko/internal/store/storetest"
	"nelko/themes/themestest"
)

// A theme, a way of encoding, a setting or an order that cannot be read keeps the studio neither
// from starting nor from its other work, and is told of; an order whose theme is gone opens.
func TestWhatCannotBeReadIsPutAside(t *testing.T) {
	s, b := storetest.Open(t), storetest.Blobs(t)
	dir := filepath.Dir(themestest.Zip(t, "charter.zip", themestest.Same))
	h := housetest.On(t, s, b, house.Settings{Themes: dir})
	o, well := housetest.Order(t, h), housetest.Order(t, h)
	choose := func(h *house.House, id string) {
		t.Helper()
		th, err := h.Shelf.Themes.Get(id)
		require.NoError(t, err)
		_, err = h.Orders.Edits.Do(t.Context(), o.ID, edit.SetTheme{
			Theme:   th.ID,
			Version: th.Content,
			Name:    th.Name,
		}, nil)
		require.NoError(t, err)
	}
	choose(h, "charter")
	broken := housetest.Order(t, h)
	for _, spoil := range []string{
		`INSERT INTO profiles (name, position, setting, own) VALUES ('Mine', 3, '{"video": 7}', true)`,
		`UPDATE studio SET mails = '[1]', mark = 'kept'`,
		`UPDATE revisions SET packed = 'no document'::bytea, base = NULL WHERE slideshow_id IN (SELECT id FROM slideshows WHERE order_id = ` + strconv.FormatInt(broken.ID, 10) + `)`,
		`UPDATE orders SET step_kind = '' WHERE id = ` + strconv.FormatInt(broken.ID, 10),
		`UPDATE orders SET details = '[]' WHERE id = ` + strconv.FormatInt(broken.ID, 10),
		`DELETE FROM theme_versions WHERE theme = 'charter'`,
	} {
		require.NoError(t, s.DB.Exec(spoil).Error, spoil)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "charter.zip"), []byte("no zip"), 0o600))

	h = housetest.On(t, s, b, house.Settings{Themes: dir})
	aside, err := h.Shelf.Asides(t.Context())
	require.NoError(t, err)
	var what []string
	for _, a := range aside {
		what = append(what, a.What)
		assert.NotEmpty(t, a.Why)
	}
	assert.Equal(t, []string{"What clients are written", "The theme in charter.zip",
		"The way of encoding Mine"}, what)
	st, err := h.Shelf.Studio(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "kept", st.Mark, "the other settings are as they were")
	sheet, err := h.Orders.Days.DaySheet(t.Context(), orders.Query{})
	require.NoError(t, err)
	require.Len(t, sheet.Orders, 3)
	for _, x := range sheet.Orders {
		assert.Equal(t, x.ID == broken.ID, x.StepText == "This order cannot be read", x.ID)
		assert.Equal(t, "The Gannets", x.Client)
	}
	assert.Empty(t, housetest.Load(t, h, well.ID).ThemeLost)

	d := housetest.Load(t, h, o.ID)
	assert.NotEmpty(t, d.ThemeLost)
	assert.Equal(t, plan.Stops, d.Checks[0].Weight)
	assert.Equal(t, "theme", d.Checks[0].Field)
	_, err = h.Orders.Edits.Do(t.Context(), o.ID, edit.Details{Values: map[string]string{"names": "Terns"}},
		nil)
	assert.ErrorContains(t, err, "The theme “charter” of this film cannot be read")
	_, err = h.Making.Renders.Begin(t.Context(), o.ID, "")
	assert.ErrorContains(t, err, "charter")
	choose(h, "waypoint")
	assert.Empty(t, housetest.Load(t, h, o.ID).ThemeLost)
}

package runs_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// The day sheet's line of a Run counts as its sheet does, however much is kept; once a change was
// heard of, what was counted before is not said again, and who hears of nothing keeps nothing.
func TestTheLineCountsAsTheSheet(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 3)
	agree := func(when string) *runs.Standing {
		lines, err := h.Runs.Sheets.Lines(ctx, false)
		require.NoError(t, err)
		require.Len(t, lines, 1)
		assert.Equal(t, sheet(t, h, r.ID).Standing(), *lines[0].Stands, when)
		return lines[0].Stands
	}
	rename := func(n int, name string) {
		s := sheet(t, h, r.ID)
		_, err := h.Runs.Cells.Set(ctx, r.ID, "Typed", []runs.Cell{{s.Rows[n].ID, names, name}}, nil)
		require.NoError(t, err)
	}
	assert.Equal(t, "3 rows to look at", agree("at first").Asks())
	rename(0, "")
	assert.Equal(t, "1 row needs you", agree("nothing is kept by who hears nothing").Asks())

	h.Runs.Sheets.Hear(store.Event{})
	agree("heard")
	before := h.Store.Statements()
	agree("kept")
	assert.LessOrEqual(t, h.Store.Statements()-before, int64(30),
		"the sheet is read once, for the comparison")
	rename(1, "")
	lines, err := h.Runs.Sheets.Lines(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, "1 row needs you", lines[0].Stands.Asks(), "the change was not heard of yet")
	h.Runs.Sheets.Hear(store.Event{What: store.RunChanged, ID: r.ID + 1})
	h.Runs.Sheets.Hear(store.Event{What: store.RunChanged, ID: r.ID})
	assert.Equal(t, "2 rows need you", agree("another Run's change is none of this").Asks())
}

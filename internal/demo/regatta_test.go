package demo

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/list"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
)

// The demo's Run has twenty-four crews and the exceptions it promises, and its
// folders are called so that each finds its row.
func TestTheRegatta(t *testing.T) {
	h := housetest.Open(t)
	require.NoError(t, beginRun(context.Background(), h))
	run, err := store.One[store.Run](h.Store.DB, "name = ?", runName)
	require.NoError(t, err)
	s, err := h.Runs.Sheets.Sheet(context.Background(), run.ID)
	require.NoError(t, err)
	require.Len(t, s.Rows, 24)
	assert.Equal(t, "names missing", s.Rows[nameless].Needs[list.DetailRole("names")])
	assert.Equal(t, "4", s.Rows[longer].Value(list.Pace))
	assert.Equal(t, "O’Neill & Daughters", s.Rows[16].Details["names"])
	assert.Equal(t, "Saltmere Lantern Regatta", s.Pattern.Doc.Details["place"])

	var named []list.Named
	for _, r := range s.Rows {
		named = append(named, list.Named{Key: r.RunKey, Names: []string{r.Client}})
	}
	var folders []string
	for i, c := range crews {
		folders = append(folders, fmt.Sprintf("%02d %s", i+1, c.name))
	}
	for i, m := range list.Folders(folders, named) {
		assert.Equal(t, list.Exact, m.Sure, folders[i])
		assert.Equal(t, i, m.Row)
	}
	// Whoever has done away with it is not made another.
	require.NoError(t, h.Store.DB.Model(&store.Run{}).Where("id = ?", run.ID).Update("name", "Another").Error)
	require.NoError(t, Painter{House: h}.Make(context.Background(), Make{Run: true, Number: -1}))
}

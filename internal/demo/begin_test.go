package demo_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/demo"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
)

// The demo's orders are there at once, their making is queued, and beginning
// again or in a studio that is in use does nothing.
func TestBegin(t *testing.T) {
	s := housetest.Open(t)
	count := func(table string) (n int64) {
		require.NoError(t, s.Store.DB.Table(table).Count(&n).Error)
		return n
	}
	for range 2 {
		require.NoError(t, demo.Begin(context.Background(), s))
		assert.Equal(t, int64(1), count("users"))
		assert.GreaterOrEqual(t, count("orders"), int64(8))
		assert.Greater(t, count("river_job"), count("orders"), "painting for most, films for some")
	}
	st, err := store.One[store.Studio](s.Store.DB, "id = 1")
	require.NoError(t, err)
	assert.True(t, st.Demo)
	_, err = s.Accounts.SignIn(context.Background(), demo.Email, demo.Password)
	assert.NoError(t, err)

	// The last order has no material: it is made at once, twice without harm.
	for range 2 {
		require.NoError(t, demo.Painter{House: s}.Make(context.Background(), demo.Make{Number: 8}))
	}
	require.NoError(t, demo.Painter{House: s}.Make(context.Background(), demo.Make{Number: 99, Finish: true}))
}

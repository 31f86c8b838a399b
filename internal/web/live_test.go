package web_test

import (
	"bufio"
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/store"
)

// A page is told when its order changes, also by another process, and not
// when another does; while nothing happens the database hears nothing; when
// the server stops its connection ends.
func TestPagesAreTold(t *testing.T) {
	v := open(t)
	res, _ := v.get("/events?order=1")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode, "strangers hear nothing")
	v.signIn("wren@studio.example")
	mine, other := housetest.Order(t, v.studio), housetest.Order(t, v.studio)
	listening, stop := context.WithCancel(ctx)
	defer stop()
	go v.studio.Store.Listen(listening, func(e store.Event) { v.server.Hear(e) })

	r, err := http.NewRequest("GET", v.URL+"/events?order=1", nil)
	require.NoError(t, err)
	require.EqualValues(t, 1, mine.ID)
	answer, err := v.client.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	assert.Equal(t, "text/event-stream", answer.Header.Get("Content-Type"))
	told, over := make(chan struct{}, 99), make(chan struct{})
	go func() {
		defer close(over)
		lines := bufio.NewScanner(answer.Body)
		for lines.Scan() {
			if strings.HasPrefix(lines.Text(), "event: changed") {
				told <- struct{}{}
			}
		}
	}()
	hears := func(within time.Duration) bool {
		select {
		case <-told:
			return true
		case <-time.After(within):
			return false
		}
	}
	require.True(t, hears(10*time.Second), "at once, for what was missed before")
	for hears(time.Second) { // whatever the orders' opening told
	}
	before := v.studio.Store.Statements()
	assert.False(t, hears(time.Second))
	assert.Equal(t, before, v.studio.Store.Statements(), "statements while nothing happens")

	// By another process: by way of the database alone.
	require.NoError(t, store.Tell(v.studio.Store.DB, store.Event{What: store.OrderChanged, ID: other.ID}))
	assert.False(t, hears(time.Second))
	require.NoError(t, store.Tell(v.studio.Store.DB, store.Event{What: store.OrderChanged, ID: mine.ID}))
	assert.True(t, hears(10*time.Second))
	v.server.StopEvents()
	select {
	case <-over:
	case <-time.After(10 * time.Second):
		t.Fatal("the connection goes on")
	}
}

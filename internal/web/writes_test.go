package web_test

import (
	"context"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// Who asks for a page or a file changes nothing (RFC 9110, 9.2.1: GET is safe), whatever route
// it has. What is counted of a client's looks is, and so is where a host sends back to.
func TestWhoOnlyLooksWritesNothing(t *testing.T) {
	v := open(t)
	id := housetest.Ready(t, v.studio)
	housetest.Rendered(t, v.studio, id)
	_, err := v.studio.Runs.Lists.Open(ctx, runs.New{Name: "Run", Due: time.Now()}, nil)
	require.NoError(t, err)
	v.signIn("wren@studio.example")
	var mu sync.Mutex
	var wrote []string
	hear := func(ctx context.Context, sql string) {
		mu.Lock()
		defer mu.Unlock()
		if store.ActorOf(ctx).Request != "" {
			wrote = append(wrote, strings.Join(strings.Fields(sql), " "))
		}
	}
	store.OnWrite.Store(&hear)
	defer store.OnWrite.Store(nil)
	found := 0
	for _, r := range routes(t, v) {
		if r[0] != http.MethodGet || r[1] == "/events" || r[1] == "/settings/host/back" {
			continue
		}
		wrote = nil
		res, _ := v.get(r[1])
		if res.StatusCode == http.StatusOK {
			found++
		}
		mu.Lock()
		assert.Empty(t, wrote, "%s", r[1])
		mu.Unlock()
	}
	assert.Greater(t, found, 40, "pages that were shown")
	wrote = nil
	v.post("/orders", "client", "Ada", "event", "Wedding", "due", "2027-05-01")
	assert.NotEmpty(t, wrote, "a change is heard")
}

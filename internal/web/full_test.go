package web_test

import (
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

// With no room for the database, a change is refused in words that say so, what
// was there can be looked at, and once there is room the same server goes on.
func TestNoRoomForTheDatabase(t *testing.T) {
	if os.Getenv(storetest.Env) == "" {
		t.Skip(storetest.Env, " is not set; run ./test db")
	}
	small := storetest.Small(t, "160m")
	out, err := exec.Command("../../scripts/pg", "start", small).Output()
	require.NoError(t, err, "%s", out)
	t.Cleanup(func() { assert.NoError(t, exec.Command("../../scripts/pg", "stop", small).Run()) })
	t.Setenv(storetest.Env, strings.TrimSpace(string(out)))

	v := open(t)
	v.signIn("mara@studio.example")
	o := housetest.Order(t, v.studio)
	page := fmt.Sprintf("/orders/%d", o.ID)
	head := func(client string) (*http.Response, string) {
		return v.post(page+"/head", "client", client, "event", "A christening", "due", "2026-12-24")
	}
	filler := storetest.Fill(t, small)

	var taken string
	refused := false
	for i := 0; i < 3000 && !refused; i++ { // until the room within the tables is used up too
		client := fmt.Sprintf("%d %s", i, strings.Repeat("Ōtautahi ", 10))
		res, said := head(client)
		if res.StatusCode < 400 {
			taken = client
			continue
		}
		refused = true
		assert.Equal(t, http.StatusInsufficientStorage, res.StatusCode)
		assert.Contains(t, said, "disk is full")
	}
	require.True(t, refused, "the disk was not full")
	kept, err := store.One[store.Order](v.studio.Store.DB, "id = ?", o.ID)
	require.NoError(t, err)
	if taken != "" {
		assert.Equal(t, strings.TrimSpace(taken), kept.Client,
			"what was acknowledged is there, what was refused is not")
	}
	res, body := v.get(page)
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, body, kept.Client)

	require.NoError(t, os.Remove(filler))
	res, _ = head("Once there is room")
	assert.Less(t, res.StatusCode, 400)
	_, body = v.get(page)
	assert.Contains(t, body, "Once there is room")
}

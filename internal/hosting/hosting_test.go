package hosting_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/hosting"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/standin"
	"nelko/internal/store"
)

var ctx = context.Background()

// signedIn is a studio signed in at a host of its own, as a browser does it.
func signedIn(t *testing.T) (*house.House, *standin.Host) {
	h := housetest.Open(t)
	host := &standin.Host{Dir: t.TempDir()}
	server := httptest.NewServer(host)
	t.Cleanup(server.Close)
	host.Base = server.URL
	h.Hosting.Host, h.Hosting.Back, h.Hosting.Piece = server.URL, "http://studio.example/settings/host/back",
		50_000
	signIn(t, h)
	return h, host
}

func signIn(t *testing.T, h *house.House) {
	t.Helper()
	address, state, verifier := h.Hosting.SignIn()
	code := agree(t, address, state, "yes")
	require.NotEmpty(t, code)
	assert.Error(t, h.Hosting.SignedIn(ctx, code, "someone else's verifier"),
		"without the proof key (RFC 7636, 4.6)")
	require.NoError(t, h.Hosting.SignedIn(ctx, agree(t, address, state, "yes"), verifier))
}

// agree answers the host's question in a browser's place and gives the code.
func agree(t *testing.T, address, state, answer string) string {
	u, err := url.Parse(address)
	require.NoError(t, err)
	q := u.Query()
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	a, err := c.Get(address)
	require.NoError(t, err)
	a.Body.Close()
	require.Equal(t, http.StatusOK, a.StatusCode)
	a, err = c.PostForm(address, url.Values{
		"redirect_uri":   {q.Get("redirect_uri")},
		"state":          {q.Get("state")},
		"code_challenge": {q.Get("code_challenge")},
		"answer":         {answer},
	})
	require.NoError(t, err)
	a.Body.Close()
	back, err := a.Location()
	require.NoError(t, err)
	assert.Equal(t, state, back.Query().Get("state"))
	return back.Query().Get("code")
}

// sent puts a film on the host and works on it as the queue would, and tells
// how it ended and how often it failed or was put off on the way.
func sent(t *testing.T, h *house.House, order int64) (f hosting.Film, errs, waits int) {
	t.Helper()
	require.NoError(t, h.Hosting.Put(ctx, order, hosting.New{
		Title:      "The Gannets",
		Note:       "At sea",
		Tags:       "regatta, sea",
		Visibility: "unlisted",
	}))
	for range 200 {
		list, err := h.Hosting.Films(ctx, order)
		require.NoError(t, err)
		if f = list[0]; f.State != store.DeliveryWaiting {
			return f, errs, waits
		}
		wait, err := h.Hosting.Send(ctx, hosting.Send{DeliveryID: f.DeliveryID})
		if err != nil {
			errs++
		} else if wait > 0 {
			waits++
			time.Sleep(min(wait, 20*time.Millisecond))
		}
	}
	t.Fatal("it never ends")
	return f, errs, waits
}

// A film reaches the host in each of the ways hosts work and fail, whole, or
// its failure is told in the host's words and tried again by hand.
func TestFilmsReachTheHost(t *testing.T) {
	h, host := signedIn(t)
	order := housetest.Ready(t, h)
	r := housetest.Rendered(t, h, order)
	require.Greater(t, r.Size, int64(120_000), "several pieces")

	for fails, expects := range map[standin.HostFailure]func(errs, waits int){
		standin.HostWorks:   func(errs, _ int) { assert.Zero(t, errs) },
		standin.HostExpires: func(errs, _ int) { assert.Zero(t, errs, "tokens are renewed") },
		standin.HostIsBusy:  func(errs, waits int) { assert.Zero(t, errs); assert.Greater(t, waits, 3) },
		standin.HostBreaks:  func(errs, _ int) { assert.Positive(t, errs) },
		standin.HostCuts:    func(errs, _ int) { assert.Greater(t, errs, 3) },
		standin.HostLoses:   func(_, waits int) { assert.Positive(t, waits) },
	} {
		host.Tell(fails)
		f, errs, waits := sent(t, h, order)
		require.Equal(t, store.DeliveryDone, f.State, "%s: %s", fails, f.Error)
		expects(errs, waits)
		v := host.Videos()[0]
		assert.Equal(t, "The Gannets", v.Title)
		assert.Equal(t, []string{"regatta", "sea"}, v.Tags)
		assert.Equal(t, "unlisted", v.Visibility)
		assert.Equal(t, f.Address, v.Address, "kept")
		in, err := os.Open(filepath.Join(host.Dir, v.ID+".film"))
		require.NoError(t, err)
		got, err := store.SumOf(in)
		in.Close()
		require.NoError(t, err)
		assert.Equal(t, *r.SHA256, got, "%s: not a byte is lost or twice", fails)
		a, err := http.Get(f.Address)
		require.NoError(t, err)
		a.Body.Close()
		assert.Equal(t, http.StatusOK, a.StatusCode)
		assert.Equal(t, r.Size, a.ContentLength)
	}
	for fails, says := range map[standin.HostFailure]string{
		standin.HostIsFull:  "no more films can be put here today",
		standin.HostRefuses: "films of this title are not shown here",
		standin.HostFails:   "could not work on it: the film cannot be read",
	} {
		host.Tell(fails)
		f, _, _ := sent(t, h, order)
		assert.Equal(t, store.DeliveryFailed, f.State)
		assert.Contains(t, f.Error, says)
	}
	host.Tell(standin.HostRevokes)
	f, _, _ := sent(t, h, order)
	assert.Contains(t, f.Error, "an owner signs in again")
	a, err := h.Hosting.Account(ctx)
	require.NoError(t, err)
	assert.NotEmpty(t, a.Broken)
	host.Tell(standin.HostWorks)
	signIn(t, h)
	require.NoError(t, h.Hosting.Again(ctx, f.DeliveryID))
	_, err = h.Hosting.Send(ctx, hosting.Send{DeliveryID: f.DeliveryID})
	require.NoError(t, err)
	list, err := h.Hosting.Films(ctx, order)
	require.NoError(t, err)
	assert.Equal(t, store.DeliveryDone, list[0].State, "it is taken up again")
}

func TestFilmsForTheHostAreChecked(t *testing.T) {
	h, _ := signedIn(t)
	o := housetest.Order(t, h)
	for says, n := range map[string]hosting.New{
		"needs a title":    {Visibility: "public"},
		"who may see":      {Title: "x"},
		"no finished film": {Title: "x", Visibility: "public"},
		"The note may":     {Title: "x", Visibility: "public", Note: strings.Repeat("x", 6000)},
	} {
		assert.ErrorContains(t, h.Hosting.Put(ctx, o.ID, n), says)
	}
	address, state, _ := h.Hosting.SignIn()
	assert.Empty(t, agree(t, address, state, "no"))
	require.NoError(t, h.Hosting.SignOut(ctx))
	assert.ErrorContains(t, h.Hosting.Put(ctx, o.ID, hosting.New{
		Title:      "x",
		Visibility: "public",
	}), "not signed in")
}

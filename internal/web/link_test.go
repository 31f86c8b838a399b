package web_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
	"nelko/internal/web"
)

// The link page: a client without an account watches parts of the film,
// downloads it if that is allowed, and is told when the link is closed.
func TestLinkPage(t *testing.T) {
	v := open(t)
	o := housetest.Order(t, v.studio)
	film := bytes.Repeat([]byte("film"), 1000)
	sha, size, err := v.studio.Blobs.Put(ctx, bytes.NewReader(film))
	require.NoError(t, err)
	poster, _, err := v.studio.Blobs.Put(ctx, bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	now := time.Now()
	r := store.Render{
		OrderID:     o.ID,
		SlideshowID: 1,
		Revision:    1,
		Profile:     "MP4",
		State:       store.RenderDone,
		SHA256:      &sha,
		Poster:      &poster,
		Size:        size,
		Seconds:     61,
		FinishedAt:  &now,
	}
	require.NoError(t, v.studio.Store.DB.Create(&r).Error)
	link := func(download bool) (store.Link, string) {
		l, token, err := v.studio.Delivery.Links.MakeLink(ctx, o.ID, delivery.NewLink{
			RenderID:     r.ID,
			Title:        "Gannets <3",
			Days:         9,
			Downloadable: download,
		})
		require.NoError(t, err)
		return l, "/watch/" + token
	}
	l, at := link(true)
	res, body := v.get(at)
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, body, "Gannets &lt;3")
	assert.Contains(t, body, "Download MP4, 1 MB")
	assert.Equal(t, "no-referrer", res.Header.Get("Referrer-Policy"))
	res, body = v.do("GET", at+"/film.mp4", nil, "Range", "bytes=4-11")
	assert.Equal(t, http.StatusPartialContent, res.StatusCode)
	assert.Equal(t, "filmfilm", body)
	assert.Equal(t, "bytes 4-11/4000", res.Header.Get("Content-Range"))
	res, _ = v.get(at + "/film.mp4?download=1")
	assert.Equal(t, `attachment; filename="The Gannets - Regatta.mp4"`, res.Header.Get("Content-Disposition"))
	res, _ = v.get(at + "/poster.jpg")
	assert.Equal(t, "image/jpeg", res.Header.Get("Content-Type"))
	res, _ = v.do("POST", at+"/played", nil)
	assert.Equal(t, http.StatusNoContent, res.StatusCode)
	got, err := store.One[store.Link](v.studio.Store.DB, "id = ?", l.ID)
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 1}, []int64{got.Views, got.Downloads})

	_, locked := link(false)
	_, body = v.get(locked)
	assert.NotContains(t, body, "Download MP4")
	res, _ = v.get(locked + "/film.mp4?download=1")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	res, _ = v.get("/watch/guess")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	require.NoError(t, v.studio.Delivery.Links.Close(ctx, o.ID, l.ID))
	for _, p := range []string{"", "/film.mp4", "/poster.jpg"} {
		res, body = v.get(at + p)
		assert.Equal(t, http.StatusGone, res.StatusCode)
		assert.Contains(t, body, "Ask Our studio for a new link")
	}
}

func TestHealthAndMetrics(t *testing.T) {
	v := open(t)
	res, body := v.get("/healthz")
	assert.Equal(t, "200 OK ok\n", res.Status+" "+body)
	mark := filepath.Join(v.studio.Blobs.Folders()[0], store.MarkName)
	require.NoError(t, os.Rename(mark, mark+".aside"))
	res, body = v.get("/healthz")
	assert.Equal(t, http.StatusServiceUnavailable, res.StatusCode)
	assert.Contains(t, body, store.ErrAway.Error())
	v.signIn("mara@studio.example")
	_, body = v.get("/")
	assert.Contains(t, body, "What needs it waits", "said on every page")
	require.NoError(t, os.Rename(mark+".aside", mark))
	_, body = v.get("/")
	assert.NotContains(t, body, "What needs it waits")
	res, _ = v.get("/metrics")
	assert.Equal(t, http.StatusNotFound, res.StatusCode, "not on the address clients reach")
	const token = "guessed-token-of-a-link"
	v.get("/watch/" + token)
	for i := range 30 {
		v.do(fmt.Sprintf("METHOD%d", i), "/healthz", nil)
	}
	figures := httptest.NewServer(web.Metrics())
	defer figures.Close()
	r, err := http.Get(figures.URL + "/metrics")
	require.NoError(t, err)
	defer r.Body.Close()
	b, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	body = string(b)
	assert.Contains(t, body, `nelko_http_request_seconds_count{method="GET",route="/healthz",status="200"}`)
	assert.Contains(t, body, `method="GET",route="/watch/{token}",status="404"`)
	assert.NotContains(t, body, token, "metrics hold no tokens")
	assert.NotContains(t, body, "METHOD1", "nor methods as strangers name them")
	assert.Contains(t, body, `method="other"`)
	v.studio.Store.Close()
	res, _ = v.get("/healthz")
	assert.Equal(t, http.StatusServiceUnavailable, res.StatusCode)
	res, body = v.get("/watch/x")
	assert.Equal(t, http.StatusServiceUnavailable, res.StatusCode)
	assert.Contains(t, body, "Nothing that was kept is lost")
}

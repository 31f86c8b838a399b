package web_test

import (
	"encoding/base64"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/store"
	"nelko/internal/web"
)

// What a client's page has begun to send counts at once, whatever became of it, and in however
// many requests at a time it is begun.
func TestWhatIsOnItsWayCounts(t *testing.T) {
	v := open(t)
	o := housetest.Order(t, v.studio)
	p, err := v.studio.Intake.Pages.OpenPage(t.Context(), o.ID, intake.Limits{Files: 5, GB: 2, Days: 1})
	require.NoError(t, err)
	begin := func(size int) int {
		meta := "filename " + base64.StdEncoding.EncodeToString([]byte("a.jpg")) + ",page " +
			base64.StdEncoding.EncodeToString([]byte(p.Token))
		res, _ := v.do("POST", "/bring-uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Length",
			fmt.Sprint(size), "Upload-Metadata", meta)
		return res.StatusCode
	}
	var wg sync.WaitGroup
	var taken atomic.Int32
	for range 12 {
		wg.Go(func() {
			if begin(10) == http.StatusCreated {
				taken.Add(1)
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 5, taken.Load(), "as many files as the page takes")

	p, err = v.studio.Intake.Pages.OpenPage(t.Context(), o.ID, intake.Limits{Files: 50, GB: 1, Days: 1})
	require.NoError(t, err)
	assert.Equal(t, http.StatusCreated, begin(700<<20))
	assert.Equal(t, http.StatusUnprocessableEntity, begin(700<<20), "as many bytes as it takes")
	assert.Equal(t, http.StatusCreated, begin(100<<20))

	// What was refused counts too, for a day, and is gone then.
	m := store.Media{
		OrderID:      &o.ID,
		UploadID:     "r",
		Name:         "r.jpg",
		ClientPageID: &p.ID,
		State:        store.Refused,
		Reason:       "no photo",
		Size:         200 << 20,
		SHA256:       strings.Repeat("0", 64),
	}
	require.NoError(t, v.studio.Store.DB.Exec("INSERT INTO blobs (sha256, size) VALUES (?, 1)",
		m.SHA256).Error)
	require.NoError(t, v.studio.Store.DB.Create(&m).Error)
	assert.Equal(t, http.StatusUnprocessableEntity, begin(100<<20))
	n, err := v.studio.Intake.Pages.ForgetRefused(t.Context(), false)
	require.NoError(t, err)
	assert.Zero(t, n, "not before a day is over")
	require.NoError(t, v.studio.Store.DB.Exec(
		"UPDATE media SET created_at = now() - interval '25 hours' WHERE id = ?", m.ID).Error)
	n, err = v.studio.Intake.Pages.ForgetRefused(t.Context(), true)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	n, err = v.studio.Intake.Pages.ForgetRefused(t.Context(), false)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	assert.Equal(t, http.StatusCreated, begin(100<<20))
}

// A connection by which nothing comes of a file any more is ended, by whichever door, and
// whether anybody reads it or not.
func TestSilentUploadsEnd(t *testing.T) {
	v := open(t)
	v.serve(web.Config{SilentFor: 400 * time.Millisecond})
	v.signIn("wren@studio.example")
	o := housetest.Order(t, v.studio)
	p, err := v.studio.Intake.Pages.OpenPage(t.Context(), o.ID, intake.UsualLimits)
	require.NoError(t, err)
	base64ed := func(s string) string { return base64.StdEncoding.EncodeToString([]byte(s)) }
	create := func(at, to, id string) string {
		res, _ := v.do("POST", at, nil, "Tus-Resumable", "1.0.0", "Upload-Length", "1000", "Upload-Metadata",
			"filename "+base64ed("a.jpg")+","+to+" "+base64ed(id))
		require.Equal(t, http.StatusCreated, res.StatusCode)
		where, err := url.Parse(res.Header.Get("Location"))
		require.NoError(t, err)
		return where.Path
	}
	for _, request := range []string{
		"PATCH " + create("/uploads/", "order", fmt.Sprint(o.ID)),
		"PATCH " + create("/bring-uploads/", "page", p.Token),
		"PATCH /bring-uploads/nothing",
		"POST /bring-uploads/",
		"POST /orders/open",
		"POST /music",
	} {
		v.hangsUp(request, "Tus-Resumable: 1.0.0\r\nUpload-Offset: 0\r\nContent-Type: "+
			"application/offset+octet-stream\r\nContent-Length: 1000\r\n\r\nabc")
	}
}

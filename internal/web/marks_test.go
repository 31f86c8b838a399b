package web_test

import (
	"bytes"
	"fmt"
	"html"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/house/housetest"
	"nelko/internal/shelf"
	"nelko/internal/store"
)

// What stands on drafts and films is set in the settings; a render keeps the
// mark it was begun with.
func TestMarksOverTheWeb(t *testing.T) {
	v, order := filled(t)
	_, page := v.get("/settings")
	assert.Contains(t, page, `value="Draft"`)
	res, _ := v.post("/settings/studio", "name", "Osprey Quay", "watermark", "Only to look at", "mark",
		"osprey quay")
	require.Equal(t, 303, res.StatusCode)
	w := v.load(order)
	assert.Equal(t, [2]string{"Only to look at", "osprey quay"}, [2]string{w.Settings.Watermark,
		w.Settings.Mark})
	res, body := v.post("/settings/studio", "name", "Osprey Quay", "mark", strings.Repeat("o", 80))
	assert.Equal(t, 422, res.StatusCode)
	assert.Contains(t, body, "at most 60")
	r, err := v.studio.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	v.post("/settings/studio", "name", "Osprey Quay", "mark", "")
	assert.Empty(t, v.load(order).Settings.Mark)
	assert.Equal(t, "Only to look at", v.load(order).Settings.Watermark, "what was not sent stays")
	kept := v.load(order).Renders[0]
	assert.Equal(t, r.ID, kept.ID)
	assert.Equal(t, "osprey quay", kept.Mark)
}

// A picture as the mark is sent in the settings, and taken away there.
func TestMarkPictureOverTheWeb(t *testing.T) {
	v, order := filled(t)
	send := func(name string, b []byte) (int, string) {
		var body bytes.Buffer
		m := multipart.NewWriter(&body)
		part, err := m.CreateFormFile("picture", name)
		require.NoError(t, err)
		_, err = part.Write(b)
		require.NoError(t, err)
		require.NoError(t, m.Close())
		res, page := v.do("POST", "/settings/mark", &body, "Content-Type", m.FormDataContentType())
		return res.StatusCode, page
	}
	code, page := send("notes.txt", []byte("no picture"))
	assert.Equal(t, 422, code)
	assert.Contains(t, page, "notes.txt cannot be the mark")
	code, page = send("huge.jpg", make([]byte, shelf.MaxMarkBytes+2<<20))
	assert.Equal(t, 422, code)
	assert.Contains(t, page, "larger than 8 MB")
	res, page := v.post("/settings/mark", "picture", "")
	assert.Equal(t, 422, res.StatusCode)
	assert.Contains(t, page, "Choose a picture")
	res, _ = v.get("/settings/mark")
	assert.Equal(t, 404, res.StatusCode)

	code, _ = send("sign.jpg", housetest.Photo(t, 4))
	assert.Equal(t, 303, code)
	_, page = v.get("/settings")
	assert.Contains(t, page, `alt="The studio’s mark"`)
	res, _ = v.get("/settings/mark")
	assert.Equal(t, "image/jpeg", res.Header.Get("Content-Type"))
	r, err := v.studio.Making.Renders.Begin(ctx, order, "")
	require.NoError(t, err)
	res, _ = v.post("/settings/mark", "remove", "1")
	assert.Equal(t, 303, res.StatusCode)
	w := v.load(order)
	assert.Nil(t, w.Settings.MarkPicture)
	require.Equal(t, r.ID, w.Renders[0].ID)
	require.NotNil(t, w.Renders[0].MarkPicture, "a render keeps the mark it was begun with")
	assert.Equal(t, 300, w.Renders[0].MarkPicture.W)
}

// Findings are marked as meant and pointed out again; media get stars.
func TestMeantAndStarsOverTheWeb(t *testing.T) {
	v, order := filled(t)
	w := v.load(order)
	status, _ := v.edit(order, "again", "slide", string(w.Doc.Slides[1].ID))
	require.Equal(t, 200, status)
	_, page := v.get(fmt.Sprintf("/orders/%d/check", order))
	require.Contains(t, page, "is shown on slides 2, 3")
	key := html.UnescapeString(regexp.MustCompile(`name="key" value="(twice:[^"]+)"`).
		FindStringSubmatch(page)[1])
	res, body := v.post(fmt.Sprintf("/orders/%d/meant", order), "key", key, "meant", "1", "leaf", "check")
	assert.Equal(t, 200, res.StatusCode)
	assert.Contains(t, body, "1 marked as meant")
	status, _ = v.edit(order, "caption", "slide", string(w.Doc.Slides[2].ID), "caption", "Elsewhere")
	require.Equal(t, 200, status)
	assert.True(t, v.load(order).Meant[key], "it stays meant when the film is changed elsewhere")
	_, body = v.post(fmt.Sprintf("/orders/%d/meant", order), "key", key, "leaf", "check")
	assert.NotContains(t, body, "marked as meant")
	for _, bad := range []string{"", strings.Repeat("x", 500)} {
		res, _ = v.post(fmt.Sprintf("/orders/%d/meant", order), "key", bad, "meant", "1")
		assert.Equal(t, 422, res.StatusCode)
	}
	id := w.Media[0].ID
	for _, c := range []struct {
		stars  string
		status int
	}{{"5", 200}, {"-1", 200}, {"6", 422}, {"many", 422}} {
		res, _ = v.post(fmt.Sprintf("/orders/%d/media/%d/stars", order, id), "stars", c.stars, "leaf",
			"material")
		assert.Equal(t, c.status, res.StatusCode, c.stars)
	}
	res, _ = v.post(fmt.Sprintf("/orders/%d/media/%d/stars", order+1, id), "stars", "3")
	assert.Equal(t, 404, res.StatusCode)
	for _, m := range v.load(order).Media {
		if m.ID == id {
			assert.Equal(t, -1, m.Stars)
		}
	}
	res, body = v.get("/find?q=zz-nobody")
	assert.Equal(t, 200, res.StatusCode)
	assert.JSONEq(t, "[]", body)
	_, body = v.get("/find?q=" + url.QueryEscape(v.load(order).Order.Client))
	assert.Contains(t, body, fmt.Sprintf("/orders/%d", order))
}

// The history is a page: any step is gone back to, two are compared.
func TestHistoryOverTheWeb(t *testing.T) {
	v, order := filled(t)
	first := v.load(order).Slideshow.Head
	id := string(v.load(order).Doc.Slides[1].ID)
	status, _ := v.edit(order, "caption", "slide", id, "caption", "At <noon>")
	require.Equal(t, 200, status)
	status, _ = v.edit(order, "captionnames", "slide", id)
	require.Equal(t, 200, status)
	_, page := v.get(fmt.Sprintf("/orders/%d/history?compare=%d", order, first))
	assert.Contains(t, page, "Captioned 1 slide from file names")
	assert.Contains(t, page, "1 slide changed (2)")
	head := v.load(order).Slideshow.Head
	res, _ := v.post(fmt.Sprintf("/orders/%d/history/%d", order, first), "base", fmt.Sprint(head))
	assert.Equal(t, 303, res.StatusCode)
	_, page = v.get(fmt.Sprintf("/orders/%d", order))
	assert.Contains(t, page, "The film is as it was after step")
	assert.Empty(t, v.load(order).Doc.Slides[1].Caption)
	res, _ = v.post(fmt.Sprintf("/orders/%d/history/%d", order, 999), "base", fmt.Sprint(first))
	assert.Equal(t, 404, res.StatusCode)
	res, _ = v.get(fmt.Sprintf("/orders/%d/history?compare=999", order))
	assert.Equal(t, 404, res.StatusCode)
}

// An order is had as files, opened of its zip, and captioned from subtitles.
func TestOrderAsFiles(t *testing.T) {
	v, order := filled(t)
	at := fmt.Sprintf("/orders/%d/", order)
	res, _ := v.get(at + "captions.srt")
	assert.Equal(t, 404, res.StatusCode, "no captions yet")
	words := "1\n00:00:05,500 --> 00:00:07,500\nOff they go\n\n2\n09:00:00,000 --> 09:00:01,000\nLong after\n"
	res, body := v.post(at+"subtitles", "subtitles", words, "base", fmt.Sprint(v.load(order).Slideshow.Head))
	require.Equal(t, 200, res.StatusCode, body)
	assert.Contains(t, body, "1 slide captioned. Left out, where there is no slide: 1 subtitle.")
	for _, ending := range []string{"srt", "vtt"} {
		res, body = v.get(at + "captions." + ending)
		assert.Equal(t, 200, res.StatusCode)
		assert.Contains(t, body, "Off they go")
	}
	for _, bad := range []string{"", "Dear studio", "1\n09:00:00,000 --> 09:00:01,000\nLong after\n"} {
		res, _ = v.post(at+"subtitles", "subtitles", bad, "base", fmt.Sprint(v.load(order).Slideshow.Head))
		assert.Equal(t, 422, res.StatusCode, "%q", bad)
	}
	id := string(v.load(order).Doc.Slides[1].ID)
	status, _ := v.edit(order, "lines", "slide", id, "lines", "0.5-2 One\n2,5– Two")
	require.Equal(t, 200, status)
	assert.Equal(t, []doc.Line{{
		From: 0.5,
		To:   2,
		Text: "One",
	}, {From: 2.5, Text: "Two"}}, v.load(order).Doc.Slides[1].Lines)
	for _, bad := range []string{"One", "1-x Two", "3-2 Backwards"} {
		status, _ = v.edit(order, "lines", "slide", id, "lines", bad)
		assert.Equal(t, 422, status, bad)
	}
	for file, begins := range map[string]string{
		"cut.otio":          "{",
		"contact-sheet.pdf": "%PDF",
		"running-order.pdf": "%PDF",
		"order.zip":         "PK",
	} {
		res, body = v.get(at + file)
		assert.Equal(t, 200, res.StatusCode, file)
		assert.True(t, strings.HasPrefix(body, begins), file)
		assert.Contains(t, res.Header.Get("Content-Disposition"), "attachment")
	}
	_, body = v.get(at + "order.zip")
	var form bytes.Buffer
	m := multipart.NewWriter(&form)
	part, err := m.CreateFormFile("zip", "order.zip")
	require.NoError(t, err)
	_, err = part.Write([]byte(body))
	require.NoError(t, err)
	require.NoError(t, m.Close())
	send := func(b []byte) *http.Response {
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, v.URL+"/orders/open", bytes.NewReader(b))
		require.NoError(t, err)
		req.Header.Set("Content-Type", m.FormDataContentType())
		res, err := v.client.Do(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		return res
	}
	res = send(form.Bytes())
	assert.Equal(t, 303, res.StatusCode)
	assert.NotEqual(t, fmt.Sprintf("/orders/%d", order), res.Header.Get("Location"))
	assert.Equal(t, 422, send([]byte("nothing")).StatusCode)
}

// A link nobody was told of is found, until one of the order's links was mailed
// or watched.
func TestNobodyTold(t *testing.T) {
	v, order := filled(t)
	r := housetest.Rendered(t, v.studio, order)
	check := func() string {
		_, body := v.get(fmt.Sprintf("/orders/%d/check", order))
		return body
	}
	assert.NotContains(t, check(), "Nobody has been told")
	d := store.Delivery{
		OrderID:   order,
		Kind:      store.LinkDelivery,
		Title:     "Film",
		State:     store.DeliveryDone,
		CreatedAt: time.Now(),
	}
	require.NoError(t, v.studio.Store.DB.Create(&d).Error)
	require.NoError(t, v.studio.Store.DB.Exec(
		"INSERT INTO delivery_renders (delivery_id, render_id) VALUES (?, ?)", d.ID, r.ID).Error)
	l := store.Link{
		DeliveryID: d.ID,
		TokenHash:  []byte("x"),
		ExpiresAt:  time.Now().Add(time.Hour),
		CreatedAt:  time.Now(),
	}
	require.NoError(t, v.studio.Store.DB.Create(&l).Error)
	assert.Contains(t, check(), "Nobody has been told")
	require.NoError(t, v.studio.Store.DB.Model(&l).Update("views", 1).Error)
	assert.NotContains(t, check(), "Nobody has been told")
}

package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"mime/multipart"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/list"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/listfile"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// list sends a form with a list in it.
func (v *site) list(path, name, content string, form ...string) (*http.Response, string) {
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for i := 0; i+1 < len(form); i += 2 {
		require.NoError(v.t, m.WriteField(form[i], form[i+1]))
	}
	f, err := m.CreateFormFile("list", name)
	require.NoError(v.t, err)
	_, err = f.Write([]byte(content))
	require.NoError(v.t, err)
	require.NoError(v.t, m.Close())
	return v.do("POST", path, &b, "Content-Type", m.FormDataContentType())
}

// said is what a script is told.
func (v *site) said(res *http.Response, body string) (kind, text string) {
	v.t.Helper()
	require.Equal(v.t, http.StatusOK, res.StatusCode, body)
	var s struct{ Kind, Text string }
	require.NoError(v.t, json.Unmarshal([]byte(body), &s))
	return s.Kind, s.Text
}

func (v *site) cells(run int64, title string, cells ...runs.Cell) (kind, text string) {
	b, err := json.Marshal(map[string]any{"title": title, "cells": cells})
	require.NoError(v.t, err)
	res, body := v.do("POST", fmt.Sprintf("/runs/%d/cells", run), bytes.NewReader(b), "Content-Type",
		"application/json")
	return v.said(res, body)
}

func TestANewRun(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	res, body := v.list("/runs", "crews.csv", "Key,Names\n1,\"never closed\n", "name", "Regatta", "due",
		"2026-12-24")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "crews.csv cannot be read: row 2, column")
	assert.Contains(t, body, `value="Regatta"`, "what was typed is still there")
	res, body = v.list("/runs", "crews.csv", "Key,Names\n1,A\n", "due", "soon")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "is not a date")
	res, _ = v.list("/runs", "Lantern Regatta.csv", "Key,Names\n1,<b>A</b>\n2,B\n", "due", "2026-12-24")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, body = v.get(res.Header.Get("Location"))
	assert.Contains(t, body, "<h1 class=\"truncate\">Lantern Regatta</h1>", "called as the list is")
	assert.Contains(t, body, "&lt;b&gt;A&lt;/b&gt;")
	assert.NotRegexp(t, `<script[^>]*>[^<]|\son\w+=|\sstyle=`, body, "no inline script or style")
	_, body = v.get("/")
	assert.Contains(t, body, `data-run="1"`)
	assert.NotContains(t, body, "data-order", "a Run is one line of the day sheet")
	_, body = v.get("/?words=lantern")
	assert.Contains(t, body, "data-order", "and its rows are found by words")
	for _, path := range []string{"/runs/9", "/runs/9/out", "/runs/9/proofread", "/runs/x/films.zip"} {
		res, _ := v.get(path)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
	}
	res, body = v.do("POST", "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Length", "3",
		"Upload-Metadata", "filename YS5qcGc=,run OQ==")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, body)
}

// A page of the sheet gets only what differs from what it has drawn.
func TestTheSheetIsDrawnWhereItDiffers(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	v.list("/runs", "Regatta.csv", "Key,Names\n1,A\n2,B\n3,C\n", "due", "2026-12-24")
	_, body := v.get("/runs/1")
	seen := func(body string) string {
		return regexp.MustCompile(`data-seen="([^"]+)"`).FindStringSubmatch(body)[1]
	}
	now := seen(body)
	res, _ := v.post("/runs/1/live", "seen", now)
	assert.Equal(t, http.StatusNoContent, res.StatusCode)
	s, err := v.studio.Runs.Sheets.Sheet(ctx, 1)
	require.NoError(t, err)
	kind, text := v.cells(1, "Typed", runs.Cell{OrderID: s.Rows[1].ID, Role: "detail:names", To: "B two"})
	assert.Equal(t, []string{"good", ""}, []string{kind, text})
	res, body = v.post("/runs/1/live", "seen", now)
	assert.Contains(t, body, "B two")
	assert.NotContains(t, body, fmt.Sprintf("row-%d", s.Rows[0].ID))
	now = res.Header.Get("X-Seen")
	res, _ = v.post("/runs/1/live", "seen", now)
	assert.Equal(t, http.StatusNoContent, res.StatusCode)
	// Rows that came are drawn with all others.
	require.NoError(t, v.studio.Runs.Lists.Bring(ctx, 1, *mustRead(t, "Key,Names\n1,A\n2,B two\n3,C\n4,D\n"),
		nil))
	v.post("/runs/1/agree")
	_, body = v.post("/runs/1/live", "seen", now)
	assert.Equal(t, 4, strings.Count(body, "<tr id="))
	// A column that is put to use, and another theme, give other columns: the headings come with
	// the cells and stand over them, in what is sent as on the page.
	columns := func(body string) (heading, cells []string) {
		_, sheet, found := strings.Cut(body, `<thead id="runcolumns">`)
		require.True(t, found, "the headings are sent with the rows: %s", body)
		head, rest, _ := strings.Cut(sheet, "</thead>")
		row, _, _ := strings.Cut(rest[strings.Index(rest, "<tr id="):], "</tr>")
		role := regexp.MustCompile(`<t[hd][^>]* data-role="([^"]+)"`)
		for _, m := range role.FindAllStringSubmatch(head, -1) {
			heading = append(heading, m[1])
		}
		for _, m := range role.FindAllStringSubmatch(row, -1) {
			cells = append(cells, m[1])
		}
		return heading, cells
	}
	for _, change := range []func(){
		func() {
			require.NoError(t, v.studio.Runs.Lists.Bring(ctx, 1,
				*mustRead(t, "Key,Names,Town\n1,A,Saltmere\n2,B two,Tern\n3,C,Tern\n4,D,Tern\n"), nil))
			v.post("/runs/1/agree")
		},
		func() {
			v.post("/runs/1/roles", "role-0", "key", "role-1", "detail:names", "role-2", "detail:place")
			v.post("/runs/1/agree")
		},
	} {
		_, page := v.get("/runs/1")
		now = seen(page)
		change()
		_, body = v.post("/runs/1/live", "seen", now)
		heading, cells := columns(body)
		assert.Equal(t, heading, cells)
		_, page = v.get("/runs/1")
		heading, cells = columns(page)
		assert.Equal(t, heading, cells)
	}
	v.post("/runs/1/roles", "role-0", "key", "role-1", "detail:names", "role-2", "unused")
	v.post("/runs/1/agree")

	kind, text = v.cells(1, "Typed", runs.Cell{
		OrderID: s.Rows[0].ID,
		Role:    "key",
		To:      "2",
	}, runs.Cell{OrderID: s.Rows[0].ID, Role: "detail:names", To: "A two"})
	assert.Equal(t, "bad", kind)
	assert.Contains(t, text, `1 cell not changed. 1: Another row has the key "2".`)
	res, body = v.do("POST", "/runs/1/undo", nil)
	kind, text = v.said(res, body)
	assert.Equal(t, []string{"good", "Undone: Typed"}, []string{kind, text})
	res, body = v.do("POST", "/runs/1/cells", strings.NewReader("{"), "Content-Type", "application/json")
	kind, _ = v.said(res, body)
	assert.Equal(t, "bad", kind)
	res, _ = v.do("POST", "/runs/7/cells",
		strings.NewReader(`{"title":"x","cells":[{"order":1,"role":"key","to":"x"}]}`), "Content-Type",
		"application/json", "HX-Request", "true")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
}

// What goes out: names, mail, links, cards; and moments to proofread.
func TestWhatGoesOutOfARun(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	v.list("/runs", "Regatta.csv", "Key,Names,Date,E-mail\n1,A & B,x,a@saltmere.example\n2,C,x,\n", "due",
		"2026-12-24")
	h := v.studio
	for name, b := range map[string][]byte{
		"s.flac":  housetest.Song(t, 14),
		"1/a.jpg": housetest.Photo(t, 1),
		"2/b.jpg": housetest.Photo(t, 2),
	} {
		require.NoError(t, h.Runs.Material.Receive(ctx, 1, name, name, bytes.NewReader(b), nil))
	}
	require.NoError(t, h.Runs.Material.Sort(ctx, runs.Sort{RunID: 1}))
	var media []store.Media
	require.NoError(t, h.Store.DB.Find(&media).Error)
	for _, m := range media {
		require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	}
	var all []store.Order
	require.NoError(t, h.Store.DB.Find(&all).Error)
	for range 2 {
		for _, o := range all {
			require.NoError(t, h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
		}
		_, err := h.Runs.Patterns.Tend(ctx, runs.Tend{RunID: 1})
		require.NoError(t, err)
	}
	s, err := h.Runs.Sheets.Sheet(ctx, 1)
	require.NoError(t, err)
	for _, at := range []string{"opening", "closing", "slide-2", "slide-99", "0.5", "nonsense"} {
		res, b := v.get(fmt.Sprintf("/orders/%d/moment?at=%s&revision=%d&w=320", s.Rows[0].ID, at,
			s.Rows[0].Head))
		require.Equal(t, http.StatusOK, res.StatusCode, at)
		assert.True(t, strings.HasPrefix(b, "\xff\xd8"), at)
	}
	res, body := v.get("/runs/1/proofread.pdf?of=strip")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.True(t, strings.HasPrefix(body, "%PDF"))
	res, body = v.get("/runs/1/cards.pdf")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "Make the links first")
	res, _ = v.get("/runs/1/films.zip")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	res, body = v.post("/runs/1/names", "file_names", "{counter} {nmaes}")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "there is no {nmaes}")
	v.post("/runs/1/names", "file_names", "{counter} of all {names}", "back", "/runs/1/out")
	res, body = v.post("/runs/1/mail", "subject", "{name}", "text", "x")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "no field {name}")
	v.post("/runs/1/mail", "subject", "{names}: your film", "text", "Dear {names},\r\nhere it is: {link}")
	_, body = v.get("/runs/1/out")
	assert.Contains(t, body, "1 of all A &amp; B.mp4")
	assert.Contains(t, body, "A &amp; B: your film")
	assert.Contains(t, body, "Dear A &amp; B,\nhere it is: /watch/…", "as this row will get it")
	assert.Contains(t, body, "its film is not rendered (1, 2)")
	res, body = v.post("/runs/1/go", "act", "dance")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, body)
	res, _ = v.post("/runs/1/go", "act", "render", "back", "//evil.example")
	assert.Equal(t, "/runs/1", res.Header.Get("Location"))
	// Nobody works here: it says that it goes on, can be stopped, and is not begun twice.
	_, body = v.get("/runs/1/acts")
	assert.Contains(t, body, "Queueing films: 0 of 2 rows done. It goes on when this window is closed.")
	assert.Contains(t, body, `action="/runs/1/stop"`)
	res, body = v.post("/runs/1/go", "act", "render")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "being done already")
	v.post("/runs/1/stop", "which", "1")
	_, body = v.get("/runs/1/out")
	assert.Contains(t, body, "Stopped after 0 of 2 rows.")
	v.post("/runs/1/seen", "which", "1")
	_, body = v.get("/runs/1/acts")
	assert.NotContains(t, body, "Stopped")
	res, body = v.post("/runs/1/go", "act", "render", "rows", "x")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, body)
	_, body = v.get("/runs/1/estimate")
	assert.Contains(t, body, "2 films, 0:14.0 each, ")
	v.post("/runs/1/go", "act", "render")
	require.NoError(t, h.Runs.Acts.Act(ctx, runs.Acting{ActID: 2}))
	_, body = v.get("/runs/1")
	assert.Contains(t, body, "2 films: 2 rendering")
	v.post("/runs/1/pause")
	_, body = v.get("/runs/1")
	assert.Contains(t, body, "the Run is paused")
	v.post("/runs/1/cancel")
	_, body = v.get("/runs/1")
	assert.Contains(t, body, "2 films: 1 ready, 1 e-mail missing")
	v.post("/runs/1/archive")
	_, body = v.get("/")
	assert.NotContains(t, body, "data-run")
	_, body = v.get("/runs?which=archived")
	assert.Contains(t, body, "data-run")
}

func mustRead(t *testing.T, csv string) *list.Table {
	tb, err := listfile.Read(t.Context(), "Regatta.csv", []byte(csv))
	require.NoError(t, err)
	return &tb
}

// A row's page says what it is in its Run and gives its own parts back; the
// pattern's page says so too, and is seen as another row.
func TestRowsAndPatternAsOrders(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	v.list("/runs", "Regatta.csv", "Key,Names\n1,A\n2,B\n3,C\n", "due", "2026-12-24")
	s, err := v.studio.Runs.Sheets.Sheet(ctx, 1)
	require.NoError(t, err)
	pattern := fmt.Sprintf("/orders/%d", *s.PatternID)
	_, body := v.get(pattern)
	assert.Contains(t, body, "Pattern of <a href=\"/runs/1\">Regatta</a>")
	assert.Contains(t, body, "<option value=\""+fmt.Sprint(s.Rows[1].ID)+"\">2 B</option>")
	assert.Contains(t, body, "Give it to the rows", "it was made a pattern since")
	middle := fmt.Sprintf("/orders/%d", s.Rows[1].ID)
	_, body = v.get(middle)
	assert.Contains(t, body, fmt.Sprintf(`href="/orders/%d" rel="prev"`, s.Rows[0].ID))
	assert.Contains(t, body, fmt.Sprintf(`href="/orders/%d" rel="next"`, s.Rows[2].ID))
	assert.Contains(t, body, "all as the pattern has it")
	_, body = v.get(middle + "/material")
	assert.Contains(t, body, fmt.Sprintf(`href="/orders/%d/material" rel="prev"`, s.Rows[0].ID),
		"on the same leaf")

	d := housetest.Load(t, v.studio, s.Rows[1].ID)
	v.post(middle+"/edit/pace", "base", fmt.Sprint(d.Slideshow.Head), "pace", "3")
	_, body = v.get(middle)
	require.Contains(t, body, "fit ×")
	assert.NotContains(t, body, "all as the pattern has it")
	res, _ := v.post(middle+"/as-pattern", "part", "fit")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	_, body = v.get(middle)
	assert.Contains(t, body, "all as the pattern has it")
	res, _ = v.post(pattern+"/as-pattern", "part", "fit")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "a pattern follows none")

	res, _ = v.post("/runs/1/see", "order", fmt.Sprint(s.Rows[2].ID), "back", pattern)
	assert.Equal(t, pattern, res.Header.Get("Location"))
	assert.Equal(t, "C", housetest.Load(t, v.studio, *s.PatternID).Order.Details["names"])
	res, body = v.post("/runs/1/see", "order", fmt.Sprint(*s.PatternID))
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "no such row")
	res, body = v.post(pattern + "/delete")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "put the Run away instead")
	res, body = v.get("/runs/1/impact")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, body, "none of them made yet")
	v.post("/runs/1/give")
	_, body = v.get(pattern)
	assert.Contains(t, body, "Back to the rows")
}

// How a list is read can be changed; a Run can wait for its list.
func TestHowAListIsRead(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	res, _ := v.post("/runs", "name", "Later", "due", "2026-12-24")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, body := v.get("/runs/1")
	assert.Contains(t, body, "No rows yet")
	require.NoError(t, v.studio.Runs.Material.Receive(ctx, 1, "u1", "quay.jpg",
		bytes.NewReader(housetest.Photo(t, 1)),
		nil))
	_, body = v.get("/runs/1")
	assert.Contains(t, body, "1 file waits for the list already")
	res, body = v.list("/runs/1/list", "photo.csv", "\x00\x01\x02")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "it is no text")
	v.post("/runs/1/list", "pasted", "Boot\tTrainer\nGannets\tB. Reed\n")
	_, body = v.get("/runs/1")
	assert.Contains(t, body, "pasted, tab; kept and not used: Boot, Trainer")
	res, body = v.post("/runs/1/roles", "role-0", "detail:names", "role-1", "detail:names")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "Two columns cannot both be the Names")
	res, _ = v.post("/runs/1/roles", "role-0", "detail:names")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "a column is missing")
	v.post("/runs/1/roles", "role-0", "detail:names", "role-1", "client")
	v.post("/runs/1/agree")
	s, err := v.studio.Runs.Sheets.Sheet(ctx, 1)
	require.NoError(t, err)
	require.Len(t, s.Rows, 1)
	assert.Equal(t, []string{"Gannets", "Gannets", "B. Reed"}, []string{s.Rows[0].RunKey,
		s.Rows[0].Details["names"], s.Rows[0].Client})
	assert.Zero(t, s.Aside, "read otherwise it is the same row")
}

package web_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/store"
)

// filmed is an order with a film in two sizes, all made.
func (v *site) filmed() int64 {
	v.studio.Delivery.BaseURL = "http://films.example"
	id := housetest.Ready(v.t, v.studio)
	small, err := profile.Film.Own(profile.Change{Name: "Small", Lines: 120})
	require.NoError(v.t, err)
	require.NoError(v.t, v.studio.Shelf.Profiles.KeepProfile(ctx, small))
	v.studio.Shelf.Forget()
	all, err := v.studio.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{"Small", "MP4"}})
	require.NoError(v.t, err)
	for _, i := range []int{1, 0} { // the small one is drawn with the other
		require.NoError(v.t, v.studio.Making.Attempts.Film(ctx, making.Film{RenderID: all[i].ID}, "test",
			true))
	}
	r, err := store.One[store.Render](v.studio.Store.DB, "id = ?", all[0].ID)
	require.NoError(v.t, err)
	assert.Equal(v.t, []any{store.RenderDone, false}, []any{r.State, r.Main}, r.Error)
	assert.NotZero(v.t, r.FramesKept)
	assert.Zero(v.t, r.FramesTotal, "all was drawn with the large one")
	return id
}

func (v *site) link(id int64, n delivery.NewLink) string {
	n.Title, n.Days = "Gannets", 9
	_, token, err := v.studio.Delivery.Links.MakeLink(ctx, id, n)
	require.NoError(v.t, err)
	return "/watch/" + token
}

// A client's page plays the size the line carries: a list of sizes, each with
// its list of fragments, which are parts of one file (RFC 8216). Lists name
// nothing but their own.
func TestStreaming(t *testing.T) {
	v := open(t)
	id := v.filmed()
	at := v.link(id, delivery.NewLink{Note: "With <love>"})
	res, body := v.get(at)
	assert.Contains(t, body, `data-stream="`+at+`/stream.m3u8"`)
	assert.Contains(t, body, "With &lt;love&gt;")
	// What plays before any player is there: the first piece of the smallest size,
	// with the decoder's settings before it, in one request.
	first := regexp.MustCompile(`data-first="([^"]+)" data-first-list="([^"]+)" data-opening="(\d+)"`).
		FindStringSubmatch(body)
	require.NotNil(t, first)
	_, pieces := v.get(first[2])
	at0 := regexp.MustCompile(`#EXT-X-BYTERANGE:(\d+)@(\d+)`).FindStringSubmatch(pieces)
	assert.Equal(t, first[3], fmt.Sprint(number(t, at0[1])+number(t, at0[2])))
	_, opening := v.do("GET", first[1], nil, "Range", fmt.Sprintf("bytes=0-%d", number(t, first[3])-1))
	assert.Len(t, opening, number(t, first[3]))
	for _, box := range []string{"ftyp", "moov", "avcC", "moof", "mdat"} {
		assert.Equal(t, 1, strings.Count(opening, box), "%s (ISO/IEC 14496-12 and -15)", box)
	}
	assert.NotContains(t, body, "/vendor/hls.light.min.js\" defer", "no player stands in its way")
	assert.Equal(t, "noindex, nofollow, noarchive", res.Header.Get("X-Robots-Tag"))
	res, body = v.get(at + "/stream.m3u8")
	assert.Equal(t, "application/vnd.apple.mpegurl", res.Header.Get("Content-Type"))
	lists := regexp.MustCompile(
		`(?m)^#EXT-X-STREAM-INF:BANDWIDTH=(\d+),AVERAGE-BANDWIDTH=(\d+),RESOLUTION=\d+x\d+,CODECS="avc1\.[0-9a-f]{6},mp4a\.40\.2"\n(\d+/list\.m3u8)$`).FindAllStringSubmatch(body, -1)
	require.Len(t, lists, 2, body)
	for _, l := range lists {
		res, list := v.get(at + "/" + l[3])
		assert.Equal(t, http.StatusOK, res.StatusCode)
		assert.True(t, strings.HasPrefix(list, "#EXTM3U"))
		assert.Contains(t, list, "#EXT-X-ENDLIST")
		for line := range strings.Lines(list) {
			if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
				assert.Equal(t, "film.m4s", line)
			}
		}
		res, part := v.do("GET", at+"/"+strings.TrimSuffix(l[3], "list.m3u8")+"film.m4s", nil, "Range",
			"bytes=4-7")
		assert.Equal(t, http.StatusPartialContent, res.StatusCode)
		assert.Equal(t, "ftyp", part, "it begins like every such file (ISO/IEC 14496-12)")
	}
	res, _ = v.get(at + "/999/list.m3u8")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	res, body = v.get(at + "/look.css")
	assert.Equal(t, "text/css; charset=utf-8", res.Header.Get("Content-Type"))
	assert.Regexp(t, `background:#[0-9a-f]{6}}.*color:#[0-9a-f]{6}`, body)

	// A film of before there were streams plays whole, and is the first to be
	// downloaded.
	require.NoError(t, v.studio.Store.DB.Exec("UPDATE renders SET stream = NULL WHERE main").Error)
	_, body = v.get(v.link(id, delivery.NewLink{Downloadable: true}))
	assert.NotContains(t, body, "data-stream")
	assert.Regexp(t, `(?s)Download MP4.*Download Small`, body)

	// A poster of another moment.
	sha, err := v.studio.Looking.Poster(ctx, id, 3)
	require.NoError(t, err)
	chosen := v.link(id, delivery.NewLink{Poster: sha})
	res, _ = v.get(chosen + "/poster.jpg")
	assert.Equal(t, `"small-`+sha+`"`, res.Header.Get("ETag"))
	assert.Less(t, res.ContentLength, int64(40_000), "small, for a poor line")
	_, err = v.studio.Looking.Poster(ctx, id, 3000)
	assert.ErrorContains(t, err, "the film lasts")
}

func number(t *testing.T, s string) int {
	n, err := strconv.Atoi(s)
	require.NoError(t, err)
	return n
}

// A password opens the link it is for and no other, is not asked for again, and
// cannot be tried for ever. Nothing of the film is shown without it.
func TestLinkPassword(t *testing.T) {
	v := open(t)
	id := v.filmed()
	at, other := v.link(id, delivery.NewLink{Password: "lantern"}),
		v.link(id, delivery.NewLink{Password: "lantern"})
	for _, path := range []string{"", "/film.mp4", "/poster.jpg", "/stream.m3u8", "/look.css",
		"/captions.vtt"} {
		res, body := v.get(at + path)
		assert.Equal(t, http.StatusUnauthorized, res.StatusCode, path)
		assert.NotContains(t, body, "Gannets")
	}
	res, body := v.post(at+"/password", "password", "wrong")
	assert.Equal(t, http.StatusUnauthorized, res.StatusCode)
	assert.Contains(t, body, "That is not the password")
	res, _ = v.post(at+"/password", "password", "lantern")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	c := res.Header.Get("Set-Cookie")
	for _, want := range []string{"HttpOnly", "SameSite=Lax", "Path=" + at} {
		assert.Contains(t, c, want)
	}
	res, _ = v.get(at)
	assert.Equal(t, http.StatusOK, res.StatusCode)
	res, _ = v.get(at + "/film.mp4")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	res, _ = v.get(other)
	assert.Equal(t, http.StatusUnauthorized, res.StatusCode, "the other link's own")
	last := 0
	for range 12 {
		res, _ = v.post(other+"/password", "password", "guess")
		last = res.StatusCode
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
	// Who guesses is slowed, from where he does, and nobody else who has the address.
	proxied := v.behind("127.0.0.0/8")
	proxied.client = proxied.browser()
	unlock := func(from, password string) int {
		form := url.Values{"password": {password}}.Encode()
		res, _ := proxied.do("POST", other+"/password", strings.NewReader(form), "Content-Type",
			"application/x-www-form-urlencoded", "X-Forwarded-For", from)
		return res.StatusCode
	}
	for range 15 {
		last = unlock("192.0.2.7", "guess")
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
	assert.Equal(t, http.StatusSeeOther, unlock("192.0.2.8", "lantern"))
	var stored string
	require.NoError(t, v.studio.Store.DB.Raw("SELECT string_agg(password_hash, ' ') FROM links").
		Scan(&stored).Error)
	assert.NotContains(t, stored, "lantern")
	_, _, err := v.studio.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title:    "x",
		Days:     3,
		Password: "abc",
	})
	assert.ErrorContains(t, err, "at least 4")
}

// As many devices as allowed open a link, and they again and again.
func TestLinkDevices(t *testing.T) {
	v := open(t)
	at := v.link(v.filmed(), delivery.NewLink{Devices: 2})
	var got []int
	first := v.client
	for range 3 {
		v.client = v.browser()
		res, _ := v.get(at)
		got = append(got, res.StatusCode)
		if res.StatusCode == http.StatusOK {
			res, _ = v.get(at + "/film.mp4")
			assert.Equal(t, http.StatusOK, res.StatusCode)
			first = v.client
		}
	}
	assert.Equal(t, []int{200, 200, 403}, got)
	v.client = first
	res, _ := v.get(at)
	assert.Equal(t, http.StatusOK, res.StatusCode, "a device that was there before")
}

// Only what may be shown elsewhere is described to other sites (oEmbed 1.0,
// 2.3.4.2), and only sites the studio names may show it (CSP Level 3,
// frame-ancestors).
func TestEmbedding(t *testing.T) {
	v := open(t)
	id := v.filmed()
	site := "https://www.studio.example"
	v.signIn("wren@studio.example")
	res, body := v.post("/settings/studio", "name", "Our studio", "sites", site+
		" https://evil.example;script-src")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "is no site")
	v.post("/settings/studio", "name", "Our studio", "sites", site)
	shown, not := v.link(id, delivery.NewLink{Embed: true}), v.link(id, delivery.NewLink{})
	res, body = v.get(shown)
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'",
		"the page itself is not shown elsewhere")
	assert.Contains(t, body, "application/json+oembed")
	res, _ = v.get(shown + "/embed")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors "+site)
	assert.NotContains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	res, _ = v.get(not + "/embed")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	ask := func(at string, more string) (int, map[string]any) {
		res, body := v.get("/oembed?url=" + url.QueryEscape("http://films.example"+at) + more)
		var m map[string]any
		_ = json.Unmarshal([]byte(body), &m) // not JSON where it is refused
		return res.StatusCode, m
	}
	code, m := ask(shown, "&maxwidth=240")
	assert.Equal(t, 200, code)
	assert.Equal(t, []any{"1.0", "video", "Gannets", 240.0, 135.0}, []any{m["version"], m["type"], m["title"],
		m["width"], m["height"]})
	_, m = ask(shown, "")
	assert.Equal(t, []any{320.0, 180.0}, []any{m["width"], m["height"]}, "the file’s")
	assert.Contains(t, m["html"], `<iframe src="http://films.example`+shown+
		`/embed" width="320" height="180"`)
	for _, at := range []string{not, "/watch/guess", ""} {
		code, _ = ask(at, "")
		assert.Equal(t, 404, code)
	}
	code, _ = ask(shown, "&format=xml")
	assert.Equal(t, 501, code)
}

// The proof on the client's page and on the order's: what is written comes to
// the other side; what is wrong with it is told and nothing of it lost.
func TestProofPages(t *testing.T) {
	v := open(t)
	v.studio.Delivery.BaseURL = "http://films.example"
	id := housetest.Ready(t, v.studio)
	v.signIn("wren@studio.example")
	order := v.order(id)
	res, body := v.post(order+"/proof", "title", "Gannets", "days", "30", "note", "Have a look")
	require.Equal(t, http.StatusOK, res.StatusCode, body)
	at := "/watch/" + regexp.MustCompile(`http://films\.example/watch/([\w-]+)`).FindStringSubmatch(body)[1]
	operator := v.client
	v.client = v.browser()
	_, body = v.get(at)
	assert.Contains(t, body, "The draft is being made")
	r, err := store.One[store.Render](v.studio.Store.DB, "profile = ?", profile.Proof.Name)
	require.NoError(t, err)
	require.NoError(t, v.studio.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "test", true))
	_, body = v.get(at)
	assert.Contains(t, body, "Have a look")
	assert.Contains(t, body, "Approve the film")
	assert.NotContains(t, body, "Download")
	res, body = v.post(at+"/remarks", "who", "", "text", "Longer, please", "seconds", "4.2")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "Write your name")
	res, _ = v.post(at+"/remarks", "who", "Zoë <b>", "text", "Longer, please", "seconds", "4.2")
	assert.Equal(t, at+"#t=4.20", res.Header.Get("Location"))
	_, body = v.get(at)
	assert.Contains(t, body, "Zoë &lt;b&gt;")

	v.client = operator
	_, body = v.get(order + "/deliveries")
	assert.Contains(t, body, "Longer, please")
	var remark string
	require.NoError(t, v.studio.Store.DB.Raw("SELECT id FROM remarks").Scan(&remark).Error)
	// It stands on its slide in the running order, and beside what can be changed.
	_, body = v.get(order)
	assert.Regexp(t, `<g class="remark"><title>Zoë &lt;b&gt;: Longer, please</title>`, body)
	slide := v.text("SELECT slide FROM remarks")
	_, body = v.get(order + "/margin?slide=" + slide)
	assert.Contains(t, body, `data-said="`+remark+`"`)
	assert.Contains(t, body, "/remarks/"+remark+"/tick")
	_, body = v.get(order + "/margin")
	assert.NotContains(t, body, "data-said", "of another slide")
	v.post(order+"/remarks/"+remark+"/answer", "text", "We will")
	v.post(order+"/remarks/"+remark+"/tick", "done", "1")
	_, body = v.get(order + "/deliveries")
	assert.Contains(t, body, "✓ done")
	_, body = v.get(order + "/check")
	assert.NotContains(t, body, "Longer, please", "ticked off")
	_, body = v.get(order)
	assert.NotContains(t, body, `class="remark"`)
	v.client = v.browser()
	_, body = v.get(at)
	assert.Contains(t, body, "We will")
	res, body = v.post(at+"/approve", "who", "Zoë", "render", "99")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "has changed while you were looking")
	res, _ = v.post(at+"/approve", "who", "Zoë", "render",
		v.text("SELECT id FROM renders WHERE profile = 'Proof'"))
	assert.Equal(t, at+"#approval", res.Header.Get("Location"))
	v.client = operator
	_, body = v.get(order + "/deliveries")
	assert.Contains(t, body, "approved by Zoë")
	housetest.Edit(t, v.studio, id, edit.Details{Values: map[string]string{"names": "Others",
		"date": "2026"}})
	_, body = v.get(order + "/deliveries")
	assert.Contains(t, body, "changed since")
}

func (v *site) order(id int64) string {
	return "/orders/" + v.text("SELECT id FROM orders WHERE id = ?", id)
}

func (v *site) text(sql string, args ...any) (s string) {
	require.NoError(v.t, v.studio.Store.DB.Raw(sql, args...).Scan(&s).Error)
	return s
}

// Profiles of the studio's own are made of shipped ones, can be chosen on every
// order, and go again; what cannot be is told.
func TestOwnProfiles(t *testing.T) {
	v := open(t)
	id := housetest.Ready(t, v.studio)
	v.signIn("wren@studio.example")
	res, body := v.post("/settings/profiles", "name", "Feed", "base", "MP4", "shape", "4:5", "lines", "120",
		"rate", "25", "crf", "28", "about", "for feeds")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode, body)
	v.studio.Shelf.Forget()
	_, body = v.get(v.order(id) + "/deliveries")
	assert.Contains(t, body, `value="Feed"`)
	assert.Contains(t, body, "120 × 150")
	for what, form := range map[string][]string{
		"is a shipped profile":           {"name", "MP4", "base", "MP4"},
		"frame of a disc is fixed":       {"name", "x", "base", "DVD PAL 16:9", "lines", "480"},
		"either a quality or a bit rate": {"name", "x", "base", "MP4", "crf", "20", "kbps", "900"},
		"many":                           {"name", "x", "base", "MP4", "lines", "many"},
		"There is no profile":            {"name", "x", "base", "none"},
	} {
		res, body := v.post("/settings/profiles", form...)
		assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, what)
		assert.Contains(t, body, what)
	}
	_, body = v.post(v.order(id)+"/renders", "profile", "Feed", "profile", "Sound", "profile", "Poster")
	assert.NotContains(t, body, "Not rendered")
	var all []store.Render
	require.NoError(t, v.studio.Store.DB.Order("id").Find(&all).Error)
	require.Len(t, all, 3)
	for _, r := range all {
		require.NoError(t, v.studio.Making.Attempts.Film(ctx, making.Film{RenderID: r.ID}, "test", true))
	}
	_, body = v.get(v.order(id) + "/deliveries")
	for _, want := range []string{"Feed, 0:15", "Sound, 0:15", "film.mp3", "film.jpg"} {
		assert.Contains(t, body, want)
	}
	res, _ = v.post("/settings/profiles/forget", "name", "Feed")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	v.studio.Shelf.Forget()
	_, body = v.get("/settings")
	assert.NotContains(t, body, `value="Feed"`)
	res, body = v.post(v.order(id)+"/renders", "profile", "Mail")
	assert.Equal(t, http.StatusOK, res.StatusCode, body)
	r, err := store.One[store.Render](v.studio.Store.DB, "profile = 'Mail'")
	require.NoError(t, err)
	assert.NotEqual(t, profile.Film.Video.Kbps, r.Setting.Video.Kbps,
		"the bit rate is worked out for this film")
}

// The list of deliveries is filtered and sends again; letters in the studio's
// own words are kept whole or told what is wrong with them.
func TestDeliveryListAndLetters(t *testing.T) {
	v := open(t)
	id := v.filmed()
	v.signIn("wren@studio.example")
	v.link(id, delivery.NewLink{})
	require.NoError(t, v.studio.Store.DB.Exec("UPDATE orders SET client_email = 'zoe@client.example'").Error)
	_, body := v.get("/deliveries?kind=link&words=gann")
	assert.Contains(t, body, "Gannets")
	assert.Contains(t, body, "not watched yet")
	for _, none := range []string{"kind=proof", "which=failed", "words=nobody"} {
		_, body = v.get("/deliveries?" + none)
		assert.Contains(t, body, "No delivery is like that", none)
	}
	again := v.order(id) + "/deliveries/" + v.text("SELECT id FROM deliveries") + "/again"
	res, _ := v.post(again)
	assert.Equal(t, "/deliveries", res.Header.Get("Location"))
	_, body = v.get("/deliveries")
	assert.Contains(t, body, "mail to zoe@client.example waits")
	res, _ = v.post(v.order(id) + "/deliveries/999/again")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)

	res, body = v.post("/settings/letters", "link-subject", "Your film", "link-text", "It is there.")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "needs {link}")
	res, _ = v.post("/settings/letters", "link-subject", "Your film", "link-text", "Dear {client}: {link}")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, body = v.get("/settings")
	assert.Contains(t, body, "Dear {client}: {link}")
	assert.Contains(t, body, "in your words")
}

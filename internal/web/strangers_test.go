package web_test

import (
	"encoding/base64"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/web"
)

// Redirects after signing in stay here, however they are written (OWASP ASVS 4.0.3,
// 5.1.5).
func TestNobodyIsLedAway(t *testing.T) {
	v := open(t)
	who := []string{"wren@studio.example", "mara@studio.example"} // in turn: tries of one are limited
	for next, want := range map[string]string{
		"/orders/1?x=2#y":       "/orders/1?x=2#y",
		"//evil.example":        "/",
		"/\t/evil.example":      "/",
		"/\n/evil.example":      "/",
		`/\evil.example`:        "/",
		`\/evil.example`:        "/",
		"https://evil.example/": "/",
		"javascript:alert(1)":   "/",
		"/%5cevil.example":      "/",
		"/%09/evil.example":     "/",
		"evil.example":          "/",
		"":                      "/",
	} {
		who[0], who[1] = who[1], who[0]
		res, _ := v.post("/signin", "email", who[0], "password", "a long password", "next", next)
		assert.Equal(t, want, res.Header.Get("Location"), "%q", next)
		v.post("/signout")
		v.client = v.browser()
	}
}

// What is no text is said so, in addresses and in fields, and never is a fault of the
// server; folders list nothing (ASVS 4.3.2), HEAD is answered where GET is, no other
// site's scripts are let in (14.5.3), and nothing is for search engines.
func TestOddRequestsAreAnsweredInWords(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	o := housetest.Order(t, v.studio)
	for _, path := range []string{"/find?q=%00", "/find?q=%ff%fe", "/orders/1%00", "/music?text=%00",
		"/find?q=%zz"} {
		res, body := v.get(path)
		assert.Equal(t, http.StatusBadRequest, res.StatusCode, path)
		assert.NotContains(t, body, "server", path)
	}
	page := fmt.Sprintf("/orders/%d", o.ID)
	for _, text := range []string{"a\x00b", "a\xffb"} {
		res, body := v.post(page+"/head", "client", text, "event", "E", "due", "2026-12-24")
		assert.Equal(t, http.StatusBadRequest, res.StatusCode)
		assert.Contains(t, body, "no text")
	}
	for path, want := range map[string]int{
		"/static/" + version(t, v) + "/":                  404,
		"/static/" + version(t, v) + "/scripts/":          404,
		"/static/" + version(t, v) + "/scripts/order.mjs": 200,
		page:      200,
		"/signin": 200,
	} {
		res, _ := v.do("HEAD", path, nil)
		assert.Equal(t, want, res.StatusCode, path)
		assert.Contains(t, res.Header.Get("X-Robots-Tag"), "noindex", path)
	}
	for _, path := range []string{"/uploads/", "/uploads/none", "/uploads/..%2f..%2fetc%2fpasswd",
		"/uploads/a+b", page} {
		for _, method := range []string{"HEAD", "PATCH", "OPTIONS"} {
			res, body := v.do(method, path, nil, "Tus-Resumable", "1.0.0", "Origin", "https://evil.example",
				"Upload-Offset", "0", "Content-Type", "application/offset+octet-stream")
			assert.Empty(t, res.Header.Get("Access-Control-Allow-Origin"), "%s %s", method, path)
			assert.Less(t, res.StatusCode, 500, "%s %s", method, path)
			assert.NotContains(t, body, v.studio.Blobs.Cache(), "no path of ours is told")
			assert.NotContains(t, body, "/tmp", "no path of ours is told")
			if method == "HEAD" && strings.HasPrefix(path, "/uploads/") && path != "/uploads/" {
				assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
			}
		}
	}
	res, _ := v.do("POST", "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Concat",
		"final;/uploads/a /uploads/b", "Upload-Metadata", "order MQ==")
	assert.GreaterOrEqual(t, res.StatusCode, 400, "files are not put together of others")
	assert.Less(t, res.StatusCode, 500)
}

// version is the part of the addresses of styles and scripts that says which.
func version(t *testing.T, v *site) string {
	_, body := v.get("/")
	_, after, ok := strings.Cut(body, "/static/")
	assert.True(t, ok)
	out, _, _ := strings.Cut(after, "/")
	return out
}

// Who changes the password goes on here and is out everywhere else.
func TestAPasswordIsChangedByItsOwner(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	elsewhere := v.client
	v.client = v.browser()
	v.signIn("wren@studio.example")
	_, body := v.get("/account")
	assert.Contains(t, body, "wren@studio.example")
	res, body := v.post("/account/password", "present", "a wrong password", "password",
		"oars over slack water")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "not your present password")
	res, body = v.post("/account/password", "present", "a long password", "password", "wren wren wren")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "name that everybody knows")
	res, _ = v.post("/account/password", "present", "a long password", "password", "oars over slack water")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	res, _ = v.get("/")
	assert.Equal(t, http.StatusOK, res.StatusCode, "this session goes on")
	here := v.client
	v.client = elsewhere
	res, _ = v.get("/")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode, "the other is over")
	v.client = here
	res, _ = v.post("/account/sessions")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)

	res, body = v.post("/settings/users/1", "name", "Wren", "role", "operator")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "only owner")
	res, _ = v.post("/settings/users/2", "name", "Mara Q.", "role", "operator", "disabled", "true")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	v.client = v.browser()
	res, _ = v.post("/signin", "email", "mara@studio.example", "password", "a long password")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
}

// serve has the site answered by a server that is set otherwise.
func (v *site) serve(c web.Config) {
	c.House, c.BaseURL, c.UploadDir = v.studio, "http://films.example", v.t.TempDir()
	h, err := web.New(c)
	require.NoError(v.t, err)
	srv := httptest.NewServer(h)
	v.t.Cleanup(func() { srv.Close(); h.Close() })
	v.Server = srv
}

// hangsUp sends the beginning of a request, by whoever is signed in, and waits for the server to
// end the connection.
func (v *site) hangsUp(request, rest string) {
	u, err := url.Parse(v.URL)
	require.NoError(v.t, err)
	c, err := net.Dial("tcp", u.Host)
	require.NoError(v.t, err)
	defer c.Close()
	cookie := ""
	for _, k := range v.client.Jar.Cookies(u) {
		cookie += k.Name + "=" + k.Value + "; "
	}
	fmt.Fprintf(c, "%s HTTP/1.1\r\nHost: x\r\nCookie: %s\r\n%s", request, cookie, rest)
	require.NoError(v.t, c.SetReadDeadline(time.Now().Add(20*time.Second)))
	_, err = io.ReadAll(c)
	assert.NoError(v.t, err, "%s: the server hangs up", request)
}

// A request that never comes to its end is ended, and one that is too large is
// not read (ASVS 11.1.4); what is done with one that came may take its time.
func TestRequestsComeWithinTime(t *testing.T) {
	v := open(t)
	v.serve(web.Config{ReadWithin: 300 * time.Millisecond})
	v.signIn("wren@studio.example")
	for _, path := range []string{"/signin", "/orders", "/settings/studio"} {
		v.hangsUp("POST "+path, "Content-Type: application/x-www-form-urlencoded\r\nContent-Length: "+
			"100\r\n\r\nname=")
	}
	res, _ := v.do("POST", "/settings/studio", strings.NewReader("name="+strings.Repeat("x", 5<<20)),
		"Content-Type", "application/x-www-form-urlencoded")
	assert.GreaterOrEqual(t, res.StatusCode, 400)
	assert.NotEqual(t, strings.Repeat("x", 5<<20), v.text("SELECT name FROM studio"))
	// A kept connection is none the worse for a deadline of before.
	for range 3 {
		res, _ := v.post("/settings/keeping", "keep_deleted", "30", "keep_archived", "0", "keep_trail", "730")
		require.Equal(t, http.StatusSeeOther, res.StatusCode)
		time.Sleep(400 * time.Millisecond)
		res, _ = v.get("/")
		require.Equal(t, http.StatusOK, res.StatusCode)
	}
}

// Six presses at once make one render.
func TestSixPressesMakeOneRender(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	id := housetest.Ready(t, v.studio)
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() { v.post(fmt.Sprintf("/orders/%d/renders", id), "profile", "MP4") })
	}
	wg.Wait()
	assert.Equal(t, "1", v.text("SELECT count(*) FROM renders"))
	assert.Equal(t, "1", v.text("SELECT count(*) FROM river_job WHERE kind = 'render'"))
}

// Every text that is typed has a length: none that is too long is kept, and each
// is refused in words (ASVS 5.1.3, 5.1.4).
func TestEveryTextHasALength(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	id := housetest.Ready(t, v.studio)
	housetest.Rendered(t, v.studio, id)
	_, err := v.studio.Runs.Lists.Open(ctx, runs.New{Name: "Run", Due: time.Now()}, nil)
	require.NoError(t, err)
	link := v.link(id, delivery.NewLink{Title: "Regatta", Days: 30})
	o := fmt.Sprintf("/orders/%d", id)
	d := housetest.Load(t, v.studio, id)
	slide := string(d.Doc.Slides[0].ID)
	long := strings.Repeat("long words ", 9000)
	for _, f := range [][]string{
		{"/orders", "client", long, "event", "x", "due", "2030-01-01"},
		{"/orders", "client", "x", "event", long, "due", "2030-01-01"},
		{"/orders", "client", "x", "event", "x", "due", "2030-01-01", "client_email", long},
		{"/orders", "client", "x", "event", "x", "due", "2030-01-01", "detail-names", long},
		{o + "/head", "client", long, "event", "x", "due", "2030-01-01"},
		{o + "/edit/details", "base", "1", "detail-names", long},
		{o + "/edit/caption", "base", "1", "slide", slide, "caption", long},
		{o + "/links", "title", long, "days", "30"},
		{o + "/links", "title", "x", "days", "30", "note", long},
		{o + "/links", "title", "x", "days", "30", "password", long},
		{o + "/proof", "title", long, "days", "30"},
		{o + "/presets", "name", long},
		{o + "/transitions", "name", long},
		{"/settings/studio", "name", long},
		{"/settings/studio", "name", "x", "mark", long},
		{"/settings/studio", "name", "x", "watermark", long},
		{"/settings/studio", "name", "x", "contact", long},
		{"/settings/studio", "name", "x", "credits", long},
		{"/settings/studio", "name", "x", "folder", "file:///" + long},
		{"/settings/studio", "name", "x", "file_names", long},
		{"/settings/studio", "name", "x", "sites", "https://" + strings.ReplaceAll(long, " ", "")},
		{"/settings/studio", "name", "x", "photos", "davs://a/" + long},
		{"/settings/users", "name", long, "email", "a@studio.example", "password", "gravel lantern heron",
			"role", "operator"},
		{"/settings/users", "name", "x", "email", strings.ReplaceAll(long, " ", "") + "@studio.example",
			"password", "gravel lantern heron", "role", "operator"},
		{"/settings/users", "name", "x", "email", "b@studio.example", "password", long, "role", "operator"},
		{"/settings/profiles", "name", long, "base", "MP4"},
		{"/settings/profiles", "name", "x", "about", long, "base", "MP4"},
		{"/settings/letters", "link-subject", long, "link-text", "x {link}"},
		{"/settings/letters", "link-subject", "x", "link-text", long + "{link}"},
		{"/account/password", "present", "a long password", "password", long},
		{link + "/remarks", "who", long, "text", "x", "at", "1"},
		{link + "/remarks", "who", "x", "text", long, "at", "1"},
		{link + "/approve", "name", long},
		{"/signin", "email", long, "password", long},
	} {
		res, body := v.post(f[0], f[1:]...)
		assert.Less(t, res.StatusCode, 500, "%s %s: %.200s", f[0], f[1], body)
	}
	var columns []struct{ TableName, ColumnName string }
	require.NoError(t, v.studio.Store.DB.Raw("SELECT c.table_name, c.column_name FROM "+
		"information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name) "+
		"WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND c.data_type IN ('text', "+
		"'jsonb', 'character varying')").Scan(&columns).Error)
	require.Greater(t, len(columns), 60)
	for _, c := range columns {
		kept := v.text(fmt.Sprintf("SELECT count(*) FROM %q WHERE %q::text LIKE '%%long words long words "+
			"long words long words long words long words long words long words long words long words long "+
			"words long words long words long words long words long words long words long words long words "+
			"long words long words long words long words long words long words long words long words long "+
			"words%%'", c.TableName, c.ColumnName))
		assert.Equal(t, "0", kept, "%s.%s", c.TableName, c.ColumnName)
	}
}

// An upload for which there is no room is told so before a byte of it is sent.
func TestNoRoomForAnUpload(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	id := housetest.Order(t, v.studio).ID
	meta := fmt.Sprintf("filename %s,order %s", base64.StdEncoding.EncodeToString([]byte("a.jpg")),
		base64.StdEncoding.EncodeToString(fmt.Append(nil, id)))
	free := store.Free(t.TempDir())
	for size, want := range map[int64]int{
		1000:                      http.StatusCreated,
		min(free+(1<<20), 19<<30): http.StatusInsufficientStorage,
	} {
		if size > 1000 && size <= free {
			t.Log("this disk has room for the largest upload")
			continue
		}
		res, body := v.do("POST", "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Length",
			fmt.Sprint(size), "Upload-Metadata", meta)
		assert.Equal(t, want, res.StatusCode, body)
	}
}

package web_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
	"nelko/internal/web"
)

var ctx = context.Background()

// site is a served studio and a browser of sorts.
type site struct {
	*httptest.Server
	studio *house.House
	server *web.Server
	client *http.Client
	t      *testing.T
}

func open(t *testing.T) *site {
	s := housetest.Open(t)
	_, err := s.Accounts.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Owner)
	require.NoError(t, err)
	_, err = s.Accounts.Add(ctx, "mara@studio.example", "Mara", "a long password", store.Operator)
	require.NoError(t, err)
	h, err := web.New(web.Config{
		House:     s,
		BaseURL:   "http://films.example",
		UploadDir: t.TempDir(),
		StandIns:  true,
	})
	require.NoError(t, err)
	srv := httptest.NewServer(h)
	t.Cleanup(func() { srv.Close(); h.Close() })
	v := &site{Server: srv, studio: s, server: h, t: t}
	v.client = v.browser()
	return v
}

func (v *site) browser() *http.Client {
	jar, err := cookiejar.New(nil)
	require.NoError(v.t, err)
	return &http.Client{
		Jar:           jar,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

func (v *site) do(method, path string, body io.Reader, header ...string) (*http.Response, string) {
	v.t.Helper()
	r, err := http.NewRequest(method, v.URL+path, body)
	require.NoError(v.t, err)
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	res, err := v.client.Do(r)
	require.NoError(v.t, err)
	defer res.Body.Close()
	b, err := io.ReadAll(res.Body)
	require.NoError(v.t, err)
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/html") {
		// As a browser sees it: where a template's lines end is no matter.
		return res, indented.ReplaceAllString(string(b), " ")
	}
	return res, string(b)
}

// indented is where a line of a template goes on in the next.
var indented = regexp.MustCompile(`\s*\n[ \t]+`)

func (v *site) get(path string) (*http.Response, string) {
	return v.do("GET", path, nil, "Accept", "text/html")
}

func (v *site) post(path string, form ...string) (*http.Response, string) {
	f := url.Values{}
	for i := 0; i+1 < len(form); i += 2 {
		f.Add(form[i], form[i+1])
	}
	return v.do("POST", path, strings.NewReader(f.Encode()), "Content-Type",
		"application/x-www-form-urlencoded")
}

func (v *site) signIn(email string) {
	v.t.Helper()
	res, _ := v.post("/signin", "email", email, "password", "a long password")
	require.Equal(v.t, http.StatusSeeOther, res.StatusCode)
}

func TestSignIn(t *testing.T) {
	v := open(t)
	res, _ := v.get("/orders/1?x=2")
	assert.Equal(t, "/signin?next=%2Forders%2F1%3Fx%3D2", res.Header.Get("Location"))
	res, body := v.post("/signin", "email", "wren@studio.example", "password", "wrong password")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "do not belong together")
	res, _ = v.post("/signin", "email", "wren@studio.example", "password", "a long password", "next",
		"//evil.example/")
	assert.Equal(t, "/", res.Header.Get("Location"), "redirects stay here")
	cookies := map[string]http.SameSite{}
	for _, c := range res.Cookies() {
		assert.True(t, c.HttpOnly, c.Name)
		cookies[c.Name] = c.SameSite
	}
	assert.Equal(t, map[string]http.SameSite{
		"nelko":        http.SameSiteLaxMode,
		"nelko_device": http.SameSiteStrictMode,
	}, cookies)
	res, body = v.get("/")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, body, "Day sheet")
	csp := res.Header.Get("Content-Security-Policy")
	assert.Contains(t, csp, "default-src 'none'; script-src 'self'; style-src 'self'")
	assert.NotContains(t, csp, "unsafe")
	assert.NotRegexp(t, `<script[^>]*>[^<]|\son\w+=|\sstyle=`, body, "no inline script or style")
	v.post("/signout")
	res, _ = v.get("/")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
}

func TestSignInTriesAreLimited(t *testing.T) {
	v := open(t)
	last := 0
	for range 12 {
		res, _ := v.post("/signin", "email", "wren@studio.example", "password", "guess guess guess")
		last = res.StatusCode
	}
	assert.Equal(t, http.StatusTooManyRequests, last)
	res, _ := v.post("/signin", "email", "mara@studio.example", "password", "a long password")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode, "another account can still sign in")
}

// Strangers may send what they like to the one form they reach: only a small
// URL-encoded one is read, and before anything else looks at it.
func TestSignInReadsOnlySmallForms(t *testing.T) {
	v := open(t)
	read := &countingReader{left: 64 << 20}
	r, err := http.NewRequest("POST", v.URL+"/signin", read)
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	res, err := v.client.Do(r)
	if err == nil { // else the server hung up while it was still being sent
		res.Body.Close()
		assert.Equal(t, http.StatusRequestEntityTooLarge, res.StatusCode)
	}
	assert.Less(t, read.sent.Load(), int64(8<<20), "it is not read to its end")
	for _, kind := range []string{"multipart/form-data; boundary=x", "text/plain", ""} {
		res, _ := v.do("POST", "/signin",
			strings.NewReader("email=wren%40studio.example&password=a+long+password"), "Content-Type", kind)
		assert.Equal(t, http.StatusUnsupportedMediaType, res.StatusCode, kind)
	}
	v.signIn("wren@studio.example")
}

// countingReader gives so many bytes and counts them.
type countingReader struct {
	left int64
	sent atomic.Int64
}

func (c *countingReader) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, io.EOF
	}
	n := int(min(int64(len(p)), c.left))
	for i := range n {
		p[i] = 'a'
	}
	c.left -= int64(n)
	c.sent.Add(int64(n))
	return n, nil
}

// A session that was left alone for days is over; using it keeps it.
func TestSessionsEndWhenLeftAlone(t *testing.T) {
	v := open(t)
	now := time.Now()
	v.studio.Orders.Now = func() time.Time { return now }
	v.signIn("wren@studio.example")
	for range 4 {
		now = now.Add(2 * 24 * time.Hour)
		res, _ := v.get("/")
		assert.Equal(t, http.StatusOK, res.StatusCode)
	}
	now = now.Add(4 * 24 * time.Hour)
	res, _ := v.get("/")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
}

// A form on another site cannot act here (Fetch Metadata, as
// http.CrossOriginProtection checks it).
func TestOtherSitesCannotAct(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	res, _ := v.do("POST", "/orders", strings.NewReader("client=A&event=B&due=2026-12-01"),
		"Content-Type", "application/x-www-form-urlencoded", "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
}

func TestRoles(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	res, body := v.get("/settings")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	assert.Contains(t, body, "Only an owner")
	res, _ = v.post("/settings/users", "email", "x@studio.example", "password", "a long password", "role",
		"owner")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
	v.client = v.browser()
	v.signIn("wren@studio.example")
	res, _ = v.post("/settings/studio", "name", "Osprey Quay")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, body = v.get("/settings")
	assert.Contains(t, body, "Osprey Quay")
	res, body = v.post("/settings/users", "email", "new@studio.example", "name", "New", "password", "short",
		"role", "operator")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "at least 12 characters")
	res, _ = v.post("/settings/users", "email", "new@studio.example", "name", "New", "password",
		"a long password", "role", "operator")
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
}

func TestNewOrderKeepsWhatWasTyped(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	res, body := v.post("/orders", "client", "The Gannets", "event", "", "due", "2026-12-01", "detail-names",
		"<b>Gannets</b>", "theme", "tideline")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "The event is missing")
	assert.Contains(t, body, `value="The Gannets"`)
	assert.Contains(t, body, "&lt;b&gt;Gannets")
	res, body = v.post("/orders", "client", "A", "event", "B", "due", "31.12.2026")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, body, "is not a date")
	res, _ = v.post("/orders", "client", "The Gannets", "event", "Regatta", "due", "2026-12-01",
		"detail-names", "Gannets", "theme", "tideline")
	assert.Equal(t, "/orders/1", res.Header.Get("Location"))
	_, body = v.get("/orders/1")
	assert.Contains(t, body, "Missing: Date")
	_, body = v.get("/")
	assert.Contains(t, body, "no pictures yet")
	for _, path := range []string{"/queue", "/deliveries", "/standins", "/orders/new"} {
		res, _ := v.get(path)
		assert.Equal(t, http.StatusOK, res.StatusCode, path)
	}
	for _, path := range []string{"/orders/99", "/orders/x", "/media/9/thumb", "/renders/9/film.mp4",
		"/nowhere"} {
		res, body := v.get(path)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
		assert.Contains(t, body, "Not here", path)
	}
}

// A file sent in two pieces by the tus protocol (tus.io, version 1.0.0), the
// line breaking in between, arrives whole and once.
func TestUploadInPieces(t *testing.T) {
	v := open(t)
	o := housetest.Order(t, v.studio)
	photo := housetest.Photo(t, 1)
	meta := func(order any) string {
		e := base64.StdEncoding.EncodeToString
		return "filename " + e([]byte("größe 1.jpg")) + ",order " + e([]byte(fmt.Sprint(order)))
	}
	create := func(order any) *http.Response {
		res, _ := v.do("POST", "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Length",
			strconv.Itoa(len(photo)), "Upload-Metadata", meta(order))
		return res
	}
	assert.Equal(t, http.StatusUnauthorized, create(o.ID).StatusCode, "only for those signed in")
	v.signIn("mara@studio.example")
	assert.Equal(t, http.StatusUnprocessableEntity, create(99).StatusCode)
	res := create(o.ID)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	at, err := url.Parse(res.Header.Get("Location"))
	require.NoError(t, err)
	patch := func(from, to int) int {
		res, _ := v.do("PATCH", at.Path, bytes.NewReader(photo[from:to]), "Tus-Resumable", "1.0.0",
			"Upload-Offset", strconv.Itoa(from), "Content-Type", "application/offset+octet-stream")
		return res.StatusCode
	}
	half := len(photo) / 2
	assert.Equal(t, http.StatusNoContent, patch(0, half))
	assert.Equal(t, http.StatusConflict, patch(0, half), "the first half again")
	w, err := v.studio.Orders.Load(ctx, o.ID)
	require.NoError(t, err)
	assert.Empty(t, w.Media, "not there until it is whole")
	assert.Equal(t, http.StatusNoContent, patch(half, len(photo)))
	require.Eventually(t, func() bool {
		w, err = v.studio.Orders.Load(ctx, o.ID)
		return err == nil && len(w.Media) == 1
	}, 10*time.Second, 10*time.Millisecond, "stored in the background")
	assert.Equal(t, "größe 1.jpg", w.Media[0].Name)
	assert.Equal(t, int64(len(photo)), w.Media[0].Size)
	require.Eventually(t, func() bool {
		res, _ = v.do("HEAD", at.Path, nil, "Tus-Resumable", "1.0.0")
		return res.StatusCode == http.StatusNotFound
	}, 10*time.Second, 10*time.Millisecond, "handed over and gone")
}

func TestEditsOverTheWeb(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	o := housetest.Order(t, v.studio)
	housetest.Bring(t, v.studio, o.ID, map[string][]byte{
		"a.jpg":     housetest.Photo(t, 1),
		"b.jpg":     housetest.Photo(t, 2),
		"song.flac": housetest.Song(t, 20),
	})
	page := fmt.Sprintf("/orders/%d", o.ID)
	_, body := v.get(page)
	head := regexp.MustCompile(`name="base" value="(\d+)"`).FindStringSubmatch(body)[1]
	assert.Contains(t, body, "music 0:20.0")
	assert.Contains(t, body, `role="listbox"`)

	res, body := v.post(page+"/edit/pace", "base", head, "pace", "5")
	assert.Equal(t, http.StatusOK, res.StatusCode)
	head = regexp.MustCompile(`name="base" value="(\d+)"`).FindStringSubmatch(body)[1]
	res, body = v.post(page+"/edit/fit", "base", head)
	assert.Equal(t, http.StatusOK, res.StatusCode)
	assert.Contains(t, body, "ends with the music, to the frame")
	mara := v.client
	v.client = v.browser()
	v.signIn("wren@studio.example")
	res, body = v.post(page+"/edit/pace", "base", head, "pace", "3")
	assert.Equal(t, http.StatusConflict, res.StatusCode)
	assert.Contains(t, body, "Mara changed this slideshow meanwhile (fitted to the music)")
	v.client = mara
	res, body = v.post(page+"/edit/fit", "base", head)
	assert.Equal(t, http.StatusOK, res.StatusCode, "nobody conflicts with herself")
	now := regexp.MustCompile(`name="base" value="(\d+)"`).FindStringSubmatch(body)[1]
	assert.NotEqual(t, head, now, "and the present state comes with the answer")
	for path, form := range map[string][]string{
		"pace":   {"pace", "three"},
		"linger": {"linger", "0"},
		"pin":    {"pin", "NaN", "slide", "s3"},
		"remove": {"slide", "s999"},
		"move":   {"slide", "s1"},
	} {
		res, body := v.post(page+"/edit/"+path, append([]string{"base", now}, form...)...)
		assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, path)
		assert.Contains(t, body, "notice-bad", path)
	}
	res, _ = v.post(page+"/edit/explode", "base", now)
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	res, _ = v.post(page+"/edit/pace", "base", now, "pace", "3,5")
	assert.Equal(t, http.StatusOK, res.StatusCode, "a comma may be the decimal sign")
	w, err := v.studio.Orders.Load(ctx, o.ID)
	require.NoError(t, err)
	assert.Equal(t, doc.Fit{
		Mode:        doc.AtPace,
		PaceSeconds: 3.5,
		Shortest:    doc.UsualShortest,
		Longest:     doc.UsualLongest,
	}, w.Doc.Fit)
	res, _ = v.post(page+"/undo", "base", fmt.Sprint(w.Slideshow.Head))
	assert.Equal(t, http.StatusOK, res.StatusCode)

	// Nothing new: nothing is sent; something new: only what changed.
	_, body = v.get(page)
	seen := regexp.MustCompile(`data-seen="([\w.]+)"`).FindStringSubmatch(body)[1]
	res, _ = v.get(page + "/live?seen=" + seen)
	assert.Equal(t, http.StatusNoContent, res.StatusCode)
	w, err = v.studio.Orders.Load(ctx, o.ID)
	require.NoError(t, err)
	_, err = v.studio.Orders.Edits.Edit(ctx, o.ID, w.Slideshow.Head, edit.Recast{Seed: 3}, nil)
	require.NoError(t, err)
	_, body = v.get(page + "/live?seen=" + seen)
	assert.Contains(t, body, `id="work"`)
	assert.NotContains(t, body, `id="deliveries"`)

	for _, wrong := range []string{"", "&r=", "&r=0", "&r=9999", "&r=-1"} {
		res, _ = v.get(page + "/frame?n=40&w=200" + wrong)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, "revision %q", wrong)
	}
	res, body = v.get(page + "/frame?n=40&w=200&r=" + now)
	assert.Equal(t, "image/jpeg", res.Header.Get("Content-Type"))
	assert.Equal(t, "\xff\xd8", body[:2])
	w, err = v.studio.Orders.Load(ctx, o.ID)
	require.NoError(t, err)
	_, body = v.get(page + "/margin?slide=" + string(w.Doc.Slides[1].ID) + "&frame=70")
	assert.Contains(t, body, "Slide 2, pictures")
	assert.Contains(t, body, "0:00:02:10")
	for _, m := range w.Media {
		want := http.StatusOK
		if m.Kind == doc.SongMedia {
			want = http.StatusNotFound
		}
		res, _ = v.get(fmt.Sprintf("/media/%d/thumb", m.ID))
		assert.Equal(t, want, res.StatusCode, m.Name)
	}
}

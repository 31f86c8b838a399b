package standin

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/disc"
	"nelko/internal/store/storetest"
)

var ctx = context.Background()

// A drive burns what it is given onto a blank that is large enough, once, takes
// its time, and keeps it to be read back.
func TestDrive(t *testing.T) {
	d := &Drive{Store: storetest.Open(t), Dir: t.TempDir()}
	image := bytes.Repeat([]byte("sector of a film"), 3*step/16)
	burn := func() (told []int64, err error) {
		err = d.Burn(ctx, bytes.NewReader(image), int64(len(image)), func(done int64) {
			told = append(told, done)
		})
		return told, err
	}
	require.NoError(t, d.Set(ctx, func(t *Tray) { t.Speed = int64(len(image)) * 10 }))
	began := time.Now()
	told, err := burn()
	require.NoError(t, err)
	assert.GreaterOrEqual(t, time.Since(began), 90*time.Millisecond, "as long as a drive of that speed")
	assert.Equal(t, []int64{step, 2 * step, 3 * step}, told)
	r, err := d.Read(ctx)
	require.NoError(t, err)
	back, err := io.ReadAll(r)
	require.NoError(t, err)
	require.NoError(t, r.Close())
	assert.Equal(t, image, back)

	_, err = burn()
	assert.ErrorContains(t, err, "no blank", "it is burned already")
	require.NoError(t, d.Set(ctx, func(t *Tray) { t.PutIn(disc.Blank{Name: "CD", Sectors: 10}) }))
	_, err = burn()
	assert.ErrorContains(t, err, "the blank holds 0 MB, the image has 3 MB")
	require.NoError(t, d.Eject(ctx))
	tray, err := d.Tray(ctx)
	require.NoError(t, err)
	assert.Equal(t, disc.Tray{Open: true, Blank: "CD", Bytes: 10 * disc.Sector}, tray)
	_, err = burn()
	assert.ErrorContains(t, err, "no blank")
	require.NoError(t, d.Set(ctx, func(t *Tray) { t.PutIn(disc.DVD5); t.Fails = BadSector }))
	_, err = burn()
	require.NoError(t, err, "burning goes well, and reading back does not")
	r, err = d.Read(ctx)
	require.NoError(t, err)
	back, err = io.ReadAll(r)
	require.NoError(t, err)
	assert.NotEqual(t, image, back)
	assert.Len(t, back, len(image))
	require.NoError(t, d.Set(ctx, func(t *Tray) { t.PutIn(disc.DVD5); t.Fails = Dies }))
	told, err = burn()
	assert.ErrorIs(t, err, ErrSpoiled)
	assert.Equal(t, []int64{step}, told)
	ended, cancel := context.WithCancel(ctx)
	cancel()
	require.NoError(t, d.Set(ctx, func(t *Tray) { t.PutIn(disc.DVD5); t.Fails = Works; t.Speed = 1 }))
	assert.ErrorIs(t, d.Burn(ended, bytes.NewReader(image), int64(len(image)), func(int64) {}),
		context.Canceled)
}

// browser speaks with a host.
type browser struct {
	t     *testing.T
	host  *Host
	base  string
	token string
}

func (b *browser) do(method, path string, body io.Reader, header ...string) (*http.Response, map[string]any) {
	r, err := http.NewRequest(method, b.base+path, body)
	require.NoError(b.t, err)
	r.Header.Set("Authorization", "Bearer "+b.token)
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	a, err := c.Do(r)
	require.NoError(b.t, err)
	defer a.Body.Close()
	var said map[string]any
	_ = json.NewDecoder(a.Body).Decode(&said) // pages are none
	return a, said
}

func (b *browser) form(path string, form url.Values) (*http.Response, map[string]any) {
	return b.do("POST", path, strings.NewReader(form.Encode()), "Content-Type",
		"application/x-www-form-urlencoded")
}

func visit(t *testing.T) *browser {
	h := &Host{Dir: t.TempDir()}
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	h.Base = s.URL
	return &browser{t, h, s.URL, ""}
}

// The proof key of RFC 7636, appendix B: a verifier and its challenge.
const (
	verifier  = "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk"
	challenge = "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM"
)

func (b *browser) code() string {
	a, _ := b.form("/authorize", url.Values{
		"redirect_uri":   {"http://studio.example/back"},
		"state":          {"s"},
		"code_challenge": {challenge},
		"answer":         {"yes"},
	})
	require.Equal(b.t, http.StatusFound, a.StatusCode)
	to, err := a.Location()
	require.NoError(b.t, err)
	return to.Query().Get("code")
}

// The sign-in is that of RFC 6749 with RFC 7636: a code is good once, and only
// with its verifier; a refresh token is good once (RFC 6749, 6).
func TestHostSignsIn(t *testing.T) {
	b := visit(t)
	a, _ := b.do("GET", "/authorize?response_type=token", nil)
	assert.Equal(t, http.StatusBadRequest, a.StatusCode, "the implicit flow")
	a, _ = b.do("GET", "/authorize?response_type=code", nil)
	assert.Equal(t, http.StatusBadRequest, a.StatusCode, "no proof key")
	exchange := func(code, verifier string) (int, map[string]any) {
		a, said := b.form("/token", url.Values{
			"grant_type":    {"authorization_code"},
			"code":          {code},
			"code_verifier": {verifier},
		})
		return a.StatusCode, said
	}
	status, said := exchange(b.code(), verifier+"x")
	assert.Equal(t, []any{http.StatusBadRequest, "invalid_grant"}, []any{status, said["error"]})
	code := b.code()
	status, said = exchange(code, verifier)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, "Bearer", said["token_type"])
	again, _ := exchange(code, verifier)
	assert.Equal(t, http.StatusBadRequest, again, "good once")
	fresh := url.Values{"grant_type": {"refresh_token"}, "refresh_token": {said["refresh_token"].(string)}}
	a, renewed := b.form("/token", fresh)
	assert.Equal(t, http.StatusOK, a.StatusCode)
	assert.NotEqual(t, said["access_token"], renewed["access_token"])
	a, _ = b.form("/token", fresh)
	assert.Equal(t, http.StatusBadRequest, a.StatusCode)
	a, said = b.do("GET", "/videos/x", nil)
	assert.Equal(t, []any{http.StatusUnauthorized, "invalid_token"}, []any{a.StatusCode, said["error"]})
	b.token = renewed["access_token"].(string)
	a, _ = b.do("GET", "/videos/x", nil)
	assert.Equal(t, http.StatusNotFound, a.StatusCode)
	// What it knows survives a restart.
	other := &Host{Dir: b.host.Dir}
	r := httptest.NewRequest("GET", "/videos/x", nil)
	r.Header.Set("Authorization", "Bearer "+b.token)
	w := httptest.NewRecorder()
	other.ServeHTTP(w, r)
	assert.Equal(t, http.StatusNotFound, w.Code, "signed in still")
}

// Films come in pieces by tus 1.0: a piece at another offset than the film's is
// a conflict, and the film is watched once it was worked on.
func TestHostTakesPieces(t *testing.T) {
	b := visit(t)
	b.host.Takes = 30 * time.Millisecond
	a, said := b.form("/token", url.Values{
		"grant_type":    {"authorization_code"},
		"code":          {b.code()},
		"code_verifier": {verifier},
	})
	require.Equal(t, http.StatusOK, a.StatusCode)
	b.token = said["access_token"].(string)
	for _, bad := range []string{`{}`, `{"title":"x"}`, `{"title":"","size":5}`, `no json`} {
		a, _ := b.do("POST", "/videos", strings.NewReader(bad))
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode, bad)
	}
	_, film := b.do("POST", "/videos",
		strings.NewReader(`{"title":"Gannets","size":10,"visibility":"private","tags":["sea"]}`))
	up := strings.TrimPrefix(film["upload"].(string), b.base)
	piece := func(at, bytes, kind string) (int, string) {
		a, _ := b.do("PATCH", up, strings.NewReader(bytes), "Upload-Offset", at, "Content-Type", kind)
		return a.StatusCode, a.Header.Get("Upload-Offset")
	}
	const tus = "application/offset+octet-stream"
	status, at := piece("0", "01234", tus)
	assert.Equal(t, []any{http.StatusNoContent, "5"}, []any{status, at})
	for _, bad := range [][2]string{{"0", tus}, {"7", tus}, {"x", tus}, {"5", "text/plain"}} {
		status, _ = piece(bad[0], "56789", bad[1])
		assert.Equal(t, http.StatusConflict, status, bad)
	}
	a, _ = b.do("HEAD", up, nil)
	assert.Equal(t, []string{"5", "10", "1.0.0"}, []string{a.Header.Get("Upload-Offset"),
		a.Header.Get("Upload-Length"), a.Header.Get("Tus-Resumable")})
	status, at = piece("5", "56789 and more than was told", tus)
	assert.Equal(t, []any{http.StatusNoContent, "10"}, []any{status, at}, "no more than was told")
	state := func() any {
		_, said := b.do("GET", "/videos/"+film["id"].(string), nil)
		return said["state"]
	}
	assert.Equal(t, "processing", state())
	watch := strings.TrimPrefix(film["address"].(string), b.base)
	a, _ = b.do("GET", watch, nil)
	assert.Equal(t, http.StatusNotFound, a.StatusCode)
	require.Eventually(t, func() bool { return state() == "ready" }, time.Second, 10*time.Millisecond)
	a, err := http.Get(b.base + watch)
	require.NoError(t, err)
	got, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	a.Body.Close()
	assert.Equal(t, "0123456789", string(got))
	a, _ = b.do("HEAD", "/uploads/none", nil)
	assert.Equal(t, http.StatusNotFound, a.StatusCode)
	for _, f := range HostFailures {
		b.host.Tell(f.ID)
		assert.Equal(t, f.ID, b.host.Told())
	}
}

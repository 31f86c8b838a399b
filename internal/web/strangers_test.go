package web_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/house/housetest"
)

// Redirects after signing in stay here, however they are written (OWASP ASVS 4.0.3,
// 5.1.5).
func TestNobodyIsLedAway(t *testing.T) {
	v := open(t)
	who := []string{"wren@studio.example", "mara@studio.example"} // in turn: tries of one are limited
	for next, want := range map[string]string{
		"/orders/1?x=2#y": "/orders/1?x=2#y", "//evil.example": "/", "/\t/evil.example": "/", "/\n/evil.example": "/", `/\evil.example`: "/", `\/evil.example`: "/",
		"https://evil.example/": "/", "javascript:alert(1)": "/", "/%5cevil.example": "/", "/%09/evil.example": "/", "evil.example": "/", "": "/",
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
	for _, path := range []string{"/find?q=%00", "/find?q=%ff%fe", "/orders/1%00", "/music?text=%00", "/find?q=%zz"} {
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
	for path, want := range map[string]int{"/static/" + version(t, v) + "/": 404, "/static/" + version(t, v) + "/scripts/": 404, "/static/" + version(t, v) + "/scripts/order.mjs": 200, page: 200, "/signin": 200} {
		res, _ := v.do("HEAD", path, nil)
		assert.Equal(t, want, res.StatusCode, path)
		assert.Contains(t, res.Header.Get("X-Robots-Tag"), "noindex", path)
	}
	for _, path := range []string{"/uploads/", "/uploads/none", "/uploads/..%2f..%2fetc%2fpasswd", "/uploads/a+b", page} {
		for _, method := range []string{"HEAD", "PATCH", "OPTIONS"} {
			res, body := v.do(method, path, nil, "Tus-Resumable", "1.0.0", "Origin", "https://evil.example", "Upload-Offset", "0", "Content-Type", "application/offset+octet-stream")
			assert.Empty(t, res.Header.Get("Access-Control-Allow-Origin"), "%s %s", method, path)
			assert.Less(t, res.StatusCode, 500, "%s %s", method, path)
			assert.NotContains(t, body, v.studio.Blobs.Cache(), "no path of ours is told")
			assert.NotContains(t, body, "/tmp", "no path of ours is told")
			if method == "HEAD" && strings.HasPrefix(path, "/uploads/") && path != "/uploads/" {
				assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
			}
		}
	}
	res, _ := v.do("POST", "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Concat", "final;/uploads/a /uploads/b", "Upload-Metadata", "order MQ==")
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
	res, body := v.post("/account/password", "present", "a wrong password", "password", "oars over slack water")
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

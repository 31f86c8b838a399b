package web_test

import (
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/accounts"
	"nelko/internal/web"
	"nelko/internal/web/page"
)

// behind is the same studio behind a proxy at this machine's loopback address.
func (v *site) behind(proxies string) *site {
	list, err := page.ParseProxies(proxies)
	require.NoError(v.t, err)
	h, err := web.New(web.Config{
		House:     v.studio,
		BaseURL:   "http://films.example",
		UploadDir: v.t.TempDir(),
		Proxies:   list,
	})
	require.NoError(v.t, err)
	srv := httptest.NewServer(h)
	v.t.Cleanup(func() { srv.Close(); h.Close() })
	b := &site{Server: srv, studio: v.studio, server: h, t: v.t}
	b.client = b.browser()
	return b
}

// signInFrom tries to sign in from an address behind the proxy.
func (v *site) signInFrom(forwarded, email, password string) int {
	v.t.Helper()
	res, _ := v.do("POST", "/signin", strings.NewReader(url.Values{
		"email":    {email},
		"password": {password},
	}.Encode()), "Content-Type", "application/x-www-form-urlencoded", "X-Forwarded-For", forwarded)
	return res.StatusCode
}

// Failures are counted by account and address together, right passwords not at
// all; whoever guesses from many addresses is stopped for the account, and its
// owner still comes in from a browser that is known (ASVS 2.2.1). Whom a proxy
// asks for is believed of trusted proxies only.
func TestGuessingIsStoppedAndOwnersAreNot(t *testing.T) {
	const wren, right = "wren@studio.example", "a long password"
	v := open(t).behind("127.0.0.0/8, 10.0.0.0/8")
	for range 20 {
		require.Equal(t, http.StatusSeeOther, v.signInFrom("192.0.2.1", wren, right),
			"what is right is no guess")
	}
	owner := v.client
	v.client = v.browser()
	for i := range 10 {
		require.Equal(t, http.StatusUnprocessableEntity, v.signInFrom("192.0.2.7, 10.1.2.3", wren,
			fmt.Sprint("guess number ", i)))
	}
	assert.Equal(t, http.StatusTooManyRequests, v.signInFrom("192.0.2.7", wren, right),
		"from there no more, even by luck")
	assert.Equal(t, http.StatusTooManyRequests, v.signInFrom("198.51.100.9, 192.0.2.7", wren, right),
		"what a client puts before its own address counts for nothing")
	assert.Equal(t, http.StatusSeeOther, v.signInFrom("192.0.2.7", "mara@studio.example", right),
		"another account")
	v.client = v.browser()
	assert.Equal(t, http.StatusSeeOther, v.signInFrom("192.0.2.8", wren, right), "another address")
	v.client = v.browser()
	for i := range 89 {
		require.Equal(t, http.StatusUnprocessableEntity, v.signInFrom(fmt.Sprintf("203.0.113.%d", i), wren,
			"guess from everywhere"), i)
	}
	v.signInFrom("203.0.113.200", wren, "guess from everywhere")
	assert.Equal(t, http.StatusTooManyRequests, v.signInFrom("203.0.113.201", wren, right),
		"whoever it is: the browser is not known")
	v.client = owner
	assert.Equal(t, http.StatusSeeOther, v.signInFrom("203.0.113.202", wren, right),
		"the owner's own browser")

	// One address alone does not use up what all have: it is stopped before.
	v.client = v.browser()
	for range 150 {
		v.signInFrom("192.0.2.77", "mara@studio.example", "guess after guess")
	}
	assert.Equal(t, http.StatusSeeOther, v.signInFrom("192.0.2.78", "mara@studio.example", right))

	// Many at once are no fewer.
	v.client = v.browser()
	v.client = v.browser()
	var mu sync.Mutex
	answers := map[int]int{}
	var wg sync.WaitGroup
	for range 30 {
		wg.Go(func() {
			res, err := http.PostForm(v.URL+"/signin", url.Values{
				"email":    {"mara@studio.example"},
				"password": {"all at once"},
			})
			if err == nil {
				res.Body.Close()
				mu.Lock()
				answers[res.StatusCode]++
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	assert.Equal(t, 10, answers[http.StatusUnprocessableEntity])

	// Without trusted proxies the address is whoever connects.
	direct := open(t)
	for i := range 10 {
		direct.signInFrom(fmt.Sprintf("192.0.2.%d", i), wren, "guess guess guess")
	}
	assert.Equal(t, http.StatusTooManyRequests, direct.signInFrom("192.0.2.99", wren, "guess guess guess"))
	_, err := page.ParseProxies("10.0.0.0/8, nonsense")
	assert.Error(t, err)
	list, err := page.ParseProxies("192.0.2.1,::1")
	require.NoError(t, err)
	assert.Equal(t, []netip.Prefix{netip.MustParsePrefix("192.0.2.1/32"), netip.MustParsePrefix("::1/128")},
		list)
}

// A second step is set up, asked for, taken once, and forgotten by an owner; and
// each session is seen and ended by itself (ASVS 2.8.4, 3.3.4).
func TestSecondStepAndSessions(t *testing.T) {
	v := open(t)
	now := time.Now()
	v.studio.Orders.Now = func() time.Time { return now }
	v.signIn("mara@studio.example")
	res, _ := v.post("/account/second/begin")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, page := v.get("/account")
	secret := regexp.MustCompile(`id="secret">([A-Z2-7]+)<`).FindStringSubmatch(page)
	require.NotNil(t, secret)
	res, png := v.get("/account/second.png")
	assert.Equal(t, "image/png", res.Header.Get("Content-Type"))
	assert.True(t, strings.HasPrefix(png, "\x89PNG"))
	code := func() string {
		c, err := totp.GenerateCode(secret[1], now)
		require.NoError(t, err)
		return c
	}
	res, page = v.post("/account/second", "code", "000000x")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, page)
	res, page = v.post("/account/second", "code", code())
	require.Equal(t, http.StatusOK, res.StatusCode)
	codes := regexp.MustCompile(`select-all">([a-z2-7-]{19}) ?<`).FindAllStringSubmatch(page, -1)
	require.Len(t, codes, 10)
	res, _ = v.get("/account/second.png")
	assert.Equal(t, http.StatusNotFound, res.StatusCode, "shown while it is set up")

	first := v.client
	v.client = v.browser()
	res, _ = v.post("/signin", "email", "mara@studio.example", "password", "a long password", "next", "/runs")
	require.Equal(t, "/signin/code", res.Header.Get("Location"))
	res, _ = v.get("/")
	assert.Equal(t, "/signin?next=%2F", res.Header.Get("Location"), "not in yet")
	res, _ = v.post("/signin/code", "code", code())
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "that code was taken")
	now = now.Add(time.Minute)
	res, _ = v.post("/signin/code", "code", code())
	require.Equal(t, "/runs", res.Header.Get("Location"))
	v.client = v.browser()
	v.post("/signin", "email", "mara@studio.example", "password", "a long password")
	res, _ = v.post("/signin/code", "code", codes[0][1])
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	v.client = v.browser()
	v.post("/signin", "email", "mara@studio.example", "password", "a long password")
	for range 8 {
		res, _ = v.post("/signin/code", "code", "123456")
	}
	assert.Equal(t, http.StatusTooManyRequests, res.StatusCode)
	now = now.Add(11 * time.Minute)
	res, _ = v.post("/signin/code", "code", codes[1][1])
	assert.Equal(t, "/signin", res.Header.Get("Location"), "too late: the password comes first again")
	res, _ = v.get("/signin/code")
	assert.Equal(t, "/signin", res.Header.Get("Location"))

	// Three sessions; one of the others is ended.
	v.client = first
	_, page = v.get("/account")
	names := regexp.MustCompile(`name="session" value="([^"]+)"`).FindAllStringSubmatch(page, -1)
	require.Len(t, names, 2, page)
	assert.Contains(t, page, "9 recovery codes are left")
	v.post("/account/session", "session", names[0][1])
	_, page = v.get("/account")
	assert.Len(t, regexp.MustCompile(`name="session" value="`).FindAllString(page, -1), 1)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	v.client = &http.Client{Jar: jar, CheckRedirect: first.CheckRedirect}
	v.signIn("wren@studio.example")
	v.post("/account/session", "session", names[1][1])
	v.client = first
	_, page = v.get("/account")
	assert.Len(t, regexp.MustCompile(`name="session" value="`).FindAllString(page, -1), 1,
		"nobody else's can be ended")

	// An owner forgets the step of somebody whose authenticator is lost.
	v.client = &http.Client{Jar: jar, CheckRedirect: first.CheckRedirect}
	mara := v.text("SELECT id FROM users WHERE email = 'mara@studio.example'")
	res, _ = v.post("/settings/users/"+mara, "name", "Mara", "role", "operator", "act", "second")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	v.client = v.browser()
	res, _ = v.post("/signin", "email", "mara@studio.example", "password", "a long password")
	assert.Equal(t, "/", res.Header.Get("Location"))
	v.client = &http.Client{Jar: jar, CheckRedirect: first.CheckRedirect}
	v.post("/settings/users/"+mara, "name", "Mara", "role", "operator", "disabled", "true")
	res, _ = v.post("/settings/users/"+mara, "name", "Mara", "role", "operator", "disabled", "true", "act",
		"remove")
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, page = v.get("/settings")
	assert.NotContains(t, page, "mara@studio.example")
}

// Questions about passkeys cost nobody anything: whoever asks many keeps no one from signing in,
// nor leaves a session.
func TestAskingForPasskeysLocksNobodyOut(t *testing.T) {
	v := open(t)
	var err error
	v.studio.Accounts.Party, err = accounts.NewParty("https://films.example")
	require.NoError(t, err)
	for range 200 {
		res, body := v.post("/signin/passkey/begin")
		require.Equal(t, http.StatusOK, res.StatusCode, body)
	}
	assert.Equal(t, "0", v.text("SELECT count(*)::text FROM sessions"))
	last := 0
	for range 80 {
		res, _ := v.do("POST", "/signin/passkey", strings.NewReader("{}"), "Content-Type", "application/json")
		last = res.StatusCode
	}
	assert.Equal(t, http.StatusTooManyRequests, last, "wrong answers are counted")
	v.signIn("mara@studio.example")
}

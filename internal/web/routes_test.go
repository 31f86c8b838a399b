package web_test

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What anybody may ask for: by a token that is guessed wrong it gives nothing.
var anybody = []string{"/static/", "/healthz", "/watch/", "/bring/", "/bring-uploads", "/signin", "/signout",
	"/oembed", "/standins/host", "/standins/photos"}

// parameter is a part of a route's pattern that stands for anything, or for one of some words.
var parameter = regexp.MustCompile(`\{\w+(:([^}|]*)[^}]*)?\}`)

// routes are an address for each route, by its method.
func routes(t *testing.T, v *site) (out [][2]string) {
	err := v.server.EachRoute(func(method, pattern string) {
		path := parameter.ReplaceAllStringFunc(pattern, func(p string) string {
			if word := parameter.FindStringSubmatch(p)[2]; word != "" {
				return word
			}
			return "1"
		})
		if slices.Contains([]string{"GET", "POST", "PATCH", "DELETE", "PUT"}, method) {
			out = append(out, [2]string{method, strings.ReplaceAll(path, "*", "x")})
		}
	})
	require.NoError(t, err)
	require.Greater(t, len(out), 180)
	return out
}

func public(path string) bool {
	return slices.ContainsFunc(anybody, func(p string) bool { return strings.HasPrefix(path, p) })
}

// Every route there is, whoever made it: a stranger gets nothing of the studio, an operator
// everything but the settings, and nobody a fault of the server.
func TestEveryRouteAsksWhoIsThere(t *testing.T) {
	v := open(t)
	all := routes(t, v)
	ask := func(r [2]string) (int, string) {
		res, body := v.do(r[0], r[1], nil, "Accept", "text/html")
		assert.Less(t, res.StatusCode, 500, "%s %s: %s", r[0], r[1], body)
		return res.StatusCode, res.Header.Get("Location")
	}
	for _, r := range all {
		status, to := ask(r)
		switch {
		case !public(r[1]):
			signIn := status == http.StatusUnauthorized || status == http.StatusSeeOther &&
				strings.HasPrefix(to, "/signin")
			assert.True(t, signIn, "a stranger at %s %s: %d", r[0], r[1], status)
		case strings.HasPrefix(r[1], "/watch/") || strings.HasPrefix(r[1], "/bring"):
			assert.GreaterOrEqual(t, status, 400, "a stranger without a token at %s %s", r[0], r[1])
		}
	}
	asks := 0
	v.signIn("mara@studio.example")
	for _, r := range all {
		if public(r[1]) || r[1] == "/events" || strings.HasPrefix(r[1], "/account") {
			continue // streams without end, and what ends one's own session
		}
		status, to := ask(r)
		asks++
		assert.False(t, status == http.StatusUnauthorized || strings.HasPrefix(to, "/signin"),
			"an operator at %s %s: %d", r[0], r[1], status)
		forOwners := strings.HasPrefix(r[1], "/settings") || strings.HasPrefix(r[1], "/standins/tell")
		assert.Equal(t, forOwners, status == http.StatusForbidden, "an operator at %s %s: %d", r[0], r[1],
			status)
	}
	assert.Greater(t, asks, 150)
	assert.Equal(t, "Our studio", v.text("SELECT name FROM studio"), "an operator changed no setting")
}

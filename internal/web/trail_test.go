package web_test

import (
	"bytes"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/store"
)

// Everything that somebody does is in the trail, with who it was and by which
// request (ASVS 7.1.3, 7.1.4, 7.2.1, 7.2.2), no secret is (7.1.1), and owners
// alone see it.
func TestTrail(t *testing.T) {
	v := open(t)
	v.post("/signin", "email", "wren@studio.example", "password", "not the password, a secret")
	v.post("/signin", "email", "stray-secret", "password", "whatever it is")
	v.signIn("wren@studio.example")
	id := housetest.Ready(t, v.studio)
	order := store.Asked{OrderID: id, Most: 1000}
	before, err := v.studio.Store.Trail(ctx, order)
	require.NoError(t, err)
	for _, d := range before {
		assert.Equal(t, "the program", d.Who, "nobody was at a page: %+v", d)
	}
	wren := housetest.Load(t, v.studio, id)
	d, err := v.studio.Accounts.Check(ctx, "wren@studio.example", "a long password")
	require.NoError(t, err)
	_, err = v.studio.Orders.Edits.Edit(store.As(ctx, &store.Actor{
		UserID: &d.ID,
		Who:    d.Name,
	}), id, wren.Slideshow.Head, edit.Recast{}, &d.ID)
	require.NoError(t, err)
	path := fmt.Sprintf("/orders/%d", id)
	res, _ := v.post(path+"/undo", "base", strconv.Itoa(housetest.Load(t, v.studio, id).Slideshow.Head))
	require.Less(t, res.StatusCode, 400)
	res, body := v.post(path+"/head", "client", "Ann", "event", "Regatta", "due", "2027-01-02",
		"client_email", "ann@saltmere.example")
	require.Less(t, res.StatusCode, 400, body)
	housetest.Rendered(t, v.studio, id)
	_, token, err := v.studio.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{Title: "Regatta", Days: 30})
	require.NoError(t, err)
	stranger := *v
	stranger.client = v.browser()
	stranger.get("/watch/" + token)
	res, _ = stranger.post("/watch/" + token + "/played")
	require.Less(t, res.StatusCode, 400)
	v.post("/settings/studio", "name", "Quay Pictures")
	v.post("/settings/users", "name", "Teal", "email", "teal@studio.example", "password",
		"gravel lantern heron", "role", "operator")
	_, err = v.studio.Intake.In.Receive(store.As(ctx, &store.Actor{
		UserID: &d.ID,
		Who:    d.Name,
	}), id, "more", "more.jpg", bytes.NewReader(housetest.Photo(t, 9)))
	require.NoError(t, err)
	v.post(path + "/delete")
	v.post("/signout")

	all, err := v.studio.Store.Trail(ctx, store.Asked{Most: 1000})
	require.NoError(t, err)
	by := map[string][]string{}
	for _, d := range all {
		by[d.What] = append(by[d.What], d.Who)
		for _, secret := range []string{token, "a secret", "stray-secret", "gravel lantern"} {
			assert.NotContains(t, d.Words, secret)
		}
		if d.Who == "Wren" && d.What == store.DidSettings {
			assert.Equal(t, "127.0.0.1", d.Address)
			assert.NotEmpty(t, d.Request)
		}
	}
	for what, who := range map[string]string{
		store.DidSignIn:   "Wren",
		store.DidSignOut:  "Wren",
		store.DidRefuse:   "a stranger",
		store.DidEdit:     "Wren",
		store.DidOrder:    "Wren",
		store.DidUpload:   "Wren",
		store.DidRender:   "the program",
		store.DidLink:     "the program",
		store.DidWatch:    "a client",
		store.DidSettings: "Wren",
		store.DidAccount:  "Wren",
		store.DidDelete:   "Wren",
	} {
		assert.Contains(t, by[what], who, what)
	}
	assert.Len(t, by[store.DidRefuse], 2)
	assert.Len(t, by[store.DidEdit], 2, "an edit, and taking it back")

	v.signIn("wren@studio.example")
	_, page := v.get("/settings/trail?what=sign-in+refused")
	assert.Contains(t, page, "The password was not that of wren@studio.example")
	assert.Equal(t, 2, strings.Count(page, "a stranger"))
	_, page = v.get("/settings/trail?order=" + strings.TrimPrefix(path, "/orders/") + "&user=0&from=&to=")
	assert.Contains(t, page, "Deleted the order")
	assert.NotContains(t, page, "Sign-out")
	res, _ = v.get("/settings/trail?from=yesterday")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	_, page = v.get("/settings/trail?to=2001-01-01")
	assert.Contains(t, page, "Nothing of that kind")
	v.post("/signout")
	v.signIn("mara@studio.example")
	res, _ = v.get("/settings/trail")
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
}

package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/delivery"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/pressing"
	"nelko/internal/standin"
	"nelko/internal/store"
)

// A disc of files is made from the order's page, stepped through from its own
// image, printed for, burned, and listed with what became of it.
func TestDiscsOverTheWeb(t *testing.T) {
	v := open(t)
	v.signIn("wren@studio.example")
	id := housetest.Ready(t, v.studio)
	r := housetest.Rendered(t, v.studio, id)
	_, page := v.get(v.order(id) + "/deliveries")
	assert.Contains(t, page, "fits at 8.0 Mbit/s")
	res, said := v.post(v.order(id)+"/discs", "leaf", "deliveries", "on", "dvd/DVD 4.7 GB", "name", "",
		"standard", "DVD PAL 16:9")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, said, "The disc needs a name")
	res, said = v.post(v.order(id)+"/discs", "leaf", "deliveries", "on", "data/DVD 4.7 GB", "name", "Gannets",
		"size", "MP4")
	assert.Equal(t, http.StatusOK, res.StatusCode, said)
	assert.Contains(t, said, "MP4 on DVD 4.7 GB")
	var disc store.Disc
	require.NoError(t, v.studio.Store.DB.First(&disc).Error)
	assert.Equal(t, r.ID, disc.Setting.Titles[0].RenderID, "what is there already is not rendered again")
	at := fmt.Sprintf("/discs/%d", disc.DeliveryID)
	res, _ = v.get(at + "/")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "not made yet")
	_, err := v.studio.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: disc.DeliveryID})
	require.NoError(t, err)

	_, page = v.get(at + "/")
	assert.Contains(t, page, at+"/files/index.html")
	res, page = v.get(at + "/files/index.html")
	assert.Contains(t, page, "The%20Gannets.mp4")
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'self'")
	res, film := v.do("GET", at+"/files/The%20Gannets.mp4", nil, "Range", "bytes=0-99")
	assert.Equal(t, http.StatusPartialContent, res.StatusCode)
	assert.Len(t, film, 100)
	res, _ = v.get(at + "/files/none")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	for _, name := range []string{"face.pdf", "sleeve.pdf"} {
		res, pdf := v.get(at + "/" + name)
		assert.Equal(t, http.StatusOK, res.StatusCode, pdf)
		assert.True(t, strings.HasPrefix(pdf, "%PDF-"), name)
	}
	res, _ = v.get(at + "/image.iso")
	assert.Contains(t, res.Header.Get("Content-Disposition"), "Gannets.iso")

	act := v.order(id) + at + "/"
	res, said = v.post(act+"burn", "leaf", "deliveries", "copies", "two")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, said, `&#34;two&#34; is not a number`)
	v.post(act+"burn", "leaf", "deliveries", "copies", "2")
	_, page = v.get("/burner")
	assert.Equal(t, 2, strings.Count(page, `data-state="waiting"`))
	open, _, err := v.studio.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	v.post(fmt.Sprintf("/burner/%d/cancel", open[1].ID))
	v.studio.Pressing.Drive = &standin.Drive{Store: v.studio.Store, Dir: t.TempDir()}
	v.post("/standins/drive", "do", "open")
	_, err = v.studio.Pressing.Burner.Burn(ctx, pressing.Burn{BurnID: open[0].ID})
	require.NoError(t, err)
	_, page = v.get("/burner")
	assert.Contains(t, page,
		"The drawer is open: put in a blank DVD 4.7 GB and close the drawer; write “Gannets” on it.")
	v.post("/standins/drive", "do", "put", "blank", "DVD 4.7 GB")
	_, err = v.studio.Pressing.Burner.Burn(ctx, pressing.Burn{BurnID: open[0].ID})
	require.NoError(t, err)
	_, page = v.get("/burner")
	assert.Contains(t, page, "✓ burned and read back")
	_, page = v.get("/deliveries")
	assert.Contains(t, page, "1 copy burned and read back")
	_, page = v.get(fmt.Sprintf("/deliveries/%d", disc.DeliveryID))
	for _, step := range []string{"To be made: MP4 on DVD 4.7 GB", "The image is made",
		"2 copies to be burned", "Copy 2 cancelled", "Copy 1 burned and read back"} {
		assert.Contains(t, page, step)
	}
	v.post(fmt.Sprintf("%s/deliveries/%d/again", v.order(id), disc.DeliveryID))
	open, _, err = v.studio.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	assert.Len(t, open, 1, "the same again")
	v.post(act+"close", "leaf", "deliveries")
	_, page = v.get(v.order(id) + "/deliveries")
	assert.Contains(t, page, "taken back")
}

// What is wanted of an order is said in its head and stands there.
func TestWhatIsWanted(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	id := housetest.Order(t, v.studio).ID
	form := []string{"client", "The Gannets", "event", "Regatta", "due", "2026-12-24"}
	res, _ := v.post(v.order(id)+"/head", append(form, "wants", "disc", "wants", "link")...)
	require.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, page := v.get(v.order(id))
	assert.Contains(t, page, "wants link and disc")
	assert.Equal(t, 2, strings.Count(page, `name="wants" value="link" checked`)+
		strings.Count(page, `name="wants" value="disc" checked`))
	res, page = v.post(v.order(id)+"/head", append(form, "wants", "pigeon")...)
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, page, "no delivery by")
	v.post(v.order(id)+"/head", form...)
	_, page = v.get(v.order(id))
	assert.NotContains(t, page, "wants link", "any way")
}

// All rows of a Run get discs, or one set of discs together, and proofs, each
// act saying beforehand what it leaves out.
func TestARunGoesOut(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	v.list("/runs", "Regatta.csv", "Key,Names,Wants\n1,A,DVD\n2,B,link\n", "due", "2026-12-24")
	_, page := v.get("/runs/1/out")
	assert.Contains(t, page, "Make 0 discs, one a row")
	assert.Contains(t, page, "left out: ")
	said := func(act string, form ...string) string {
		res, body := v.do("POST", "/runs/1/"+act,
			strings.NewReader(url.Values{"back": {"/runs/1/out"}}.Encode()+"&"+strings.Join(form, "&")),
			"Content-Type", "application/x-www-form-urlencoded")
		if res.StatusCode == http.StatusSeeOther {
			_, body = v.get(res.Header.Get("Location"))
		}
		return body
	}
	assert.Contains(t, said("discs", "on=dvd/DVD+4.7+GB", "standard=DVD+PAL+16:9", "menu=true"),
		"0 discs being made; 2 rows left out: ")
	assert.Contains(t, said("alldiscs", "on=dvd/DVD+4.7+GB", "standard=DVD+PAL+16:9"),
		"No row is ready for a disc")
	assert.Contains(t, said("all"), "No film of the Run is made")
	assert.Contains(t, said("go", "act=proof"), "0 proofs being made")
	assert.Contains(t, said("go", "act=burn"), "0 copies to be burned")
	res, _ := v.get("/runs/1/faces.pdf")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "nothing to print on yet")
}

// A DVD's page is stepped through with its menu's buttons, which say where they
// lead; what plays comes from the image.
func TestSteppingThroughADVD(t *testing.T) {
	v := open(t)
	v.signIn("mara@studio.example")
	id := housetest.Ready(t, v.studio)
	disc, err := v.studio.Pressing.Discs.Make(ctx, id, pressing.New{DiscSetting: store.DiscSetting{
		Kind:     store.DVDVideo,
		Name:     "Gannets",
		Blank:    "DVD 4.7 GB",
		Profiles: []string{"DVD NTSC 4:3"},
		Menu:     true,
	}})
	require.NoError(t, err)
	_, page := v.get(v.order(id) + "/deliveries")
	assert.Contains(t, page, "its films are being rendered · fits at 8.0 Mbit/s")
	x, _, err := v.studio.Pressing.Find(ctx, disc)
	require.NoError(t, err)
	require.NoError(t, v.studio.Making.Attempts.Film(ctx, making.Film{RenderID: x.Setting.Titles[0].RenderID},
		"test",
		true))
	_, err = v.studio.Pressing.Images.Press(ctx, pressing.Press{DeliveryID: disc})
	require.NoError(t, err)
	at := fmt.Sprintf("/discs/%d", disc)
	_, page = v.get(at + "/")
	assert.Contains(t, page, `data-first="page 1"`)
	assert.Contains(t, page, `data-then="title 1,page 1"`)
	assert.Contains(t, page, `data-w="720" data-h="480"`)
	assert.Contains(t, page, "aspect-[4/3]")
	for _, path := range []string{"/page/1", "/title/1?chapter=1"} {
		res, film := v.get(at + path)
		assert.Equal(t, "video/mp4", res.Header.Get("Content-Type"))
		assert.Contains(t, film[:12], "ftyp")
	}
	for _, path := range []string{"/page/2", "/title/2", "/title/1?chapter=9", "/files/index.html"} {
		res, _ := v.get(at + path)
		assert.Equal(t, http.StatusNotFound, res.StatusCode, path)
	}
}

// One link shows several films as cards; each plays in its own sizes, and a
// card to hand out carries the address.
func TestSeveralFilmsOnALink(t *testing.T) {
	v := open(t)
	id := v.filmed()
	other := housetest.Ready(t, v.studio)
	r := housetest.Rendered(t, v.studio, other)
	at := v.link(id, delivery.NewLink{Also: []int64{r.ID}, Downloadable: true})
	_, page := v.get(at)
	assert.Equal(t, 2, strings.Count(page, "/card.jpg"))
	assert.Contains(t, page, `data-stream="`+at+`/stream.m3u8"`)
	_, page = v.get(at + fmt.Sprintf("?film=%d", r.ID))
	stream := regexp.MustCompile(`data-stream="([^"]+)"`).FindStringSubmatch(page)[1]
	assert.Equal(t, fmt.Sprintf("%s/stream.m3u8?film=%d", at, r.ID), stream)
	_, list := v.get(stream)
	assert.Contains(t, list, fmt.Sprintf("\n%d/list.m3u8", r.ID))
	assert.Equal(t, 1, strings.Count(list, "list.m3u8"), "its own sizes only")
	for _, path := range []string{fmt.Sprintf("/%d/list.m3u8", r.ID), fmt.Sprintf("/%d/card.jpg", r.ID),
		fmt.Sprintf("/film.mp4?film=%d", r.ID)} {
		res, _ := v.get(at + path)
		assert.Equal(t, http.StatusOK, res.StatusCode, path)
	}
	res, _ := v.get(at + "/99/card.jpg")
	assert.Equal(t, http.StatusNotFound, res.StatusCode)

	v.signIn("wren@studio.example")
	address := v.studio.Delivery.Address(strings.TrimPrefix(at, "/watch/"))
	_, pdf := v.post(v.order(id)+"/card.pdf", "address", address)
	assert.True(t, strings.HasPrefix(pdf, "%PDF-"))
	for _, wrong := range []string{address + "x", "http://elsewhere.example/watch/x", ""} {
		res, _ := v.post(v.order(id)+"/card.pdf", "address", wrong)
		assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, wrong)
	}
	res, _ = v.post(v.order(other)+"/card.pdf", "address", address)
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "another order's")
	_, said := v.post(v.order(id)+"/links", "leaf", "deliveries", "title", "Two", "days", "5", "also",
		fmt.Sprint(r.ID))
	assert.Contains(t, said, `<svg class="code"`)
	_, err := v.studio.Making.Renders.Begin(ctx, other, "")
	require.NoError(t, err)
	_, _, err = v.studio.Delivery.Links.MakeLink(ctx, id, delivery.NewLink{
		Title: "x",
		Days:  1,
		Also:  []int64{r.ID + 1},
	})
	assert.ErrorContains(t, err, "not rendered yet")
}

// The owner signs in at the video host in a browser; answers that were not
// asked for sign nobody in.
func TestSigningInAtTheHost(t *testing.T) {
	v := open(t)
	host := &standin.Host{Dir: t.TempDir()}
	server := httptest.NewServer(host)
	defer server.Close()
	host.Base = server.URL
	v.studio.Hosting.Host, v.studio.Hosting.Back = server.URL, v.URL+"/settings/host/back"
	v.signIn("wren@studio.example")
	_, page := v.get("/settings")
	assert.Contains(t, page, "Not signed in at")
	_, page = v.post("/settings/host/in")
	to := strings.ReplaceAll(regexp.MustCompile(`href="(` + server.URL + `/authorize[^"]+)"`).
		FindStringSubmatch(page)[1], "&amp;", "&")
	require.NotEmpty(t, to)
	res, page := v.get("/settings/host/back?code=x&state=guessed")
	assert.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	assert.Contains(t, page, "belongs to no sign-in")
	_, page = v.post("/settings/host/in")
	to = strings.ReplaceAll(regexp.MustCompile(`href="(` + server.URL + `/authorize[^"]+)"`).
		FindStringSubmatch(page)[1], "&amp;", "&")
	u, err := url.Parse(to)
	require.NoError(t, err)
	q := u.Query()
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	a, err := c.PostForm(to, url.Values{
		"redirect_uri":   {q.Get("redirect_uri")},
		"state":          {q.Get("state")},
		"code_challenge": {q.Get("code_challenge")},
		"answer":         {"yes"},
	})
	require.NoError(t, err)
	a.Body.Close()
	res, _ = v.get(strings.TrimPrefix(a.Header.Get("Location"), v.URL))
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	_, page = v.get("/settings")
	assert.Contains(t, page, "Signed in at "+server.URL)
	id := housetest.Ready(t, v.studio)
	housetest.Rendered(t, v.studio, id)
	_, page = v.post(v.order(id)+"/host", "leaf", "deliveries", "title", "Gannets", "visibility", "private")
	assert.Contains(t, page, "0.0 of ")
	v.post("/settings/host/out")
	_, page = v.get("/settings")
	assert.Contains(t, page, "Not signed in at")
}

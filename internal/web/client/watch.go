package client

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/profile"
	"nelko/internal/core/raster"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/looking"
	"nelko/internal/making"
	"nelko/internal/proofs"
	"nelko/internal/store"
	"nelko/internal/token"
	"nelko/internal/web/page"
)

// The cookies of a link: that its password was told, and the device's own
// number where devices are counted. Both are for this link's address only.
const (
	keyCookie    = "nelko_key"
	deviceCookie = "nelko_device"
)

func (p *pages) setCookie(w http.ResponseWriter, r *http.Request, name, value string, until time.Time) {
	http.SetCookie(w, &http.Cookie{
		Name:     name,
		Value:    value,
		Path:     "/watch/" + chi.URLParam(r, "token"),
		Expires:  until,
		HttpOnly: true,
		SameSite: http.SameSiteLaxMode,
		Secure:   p.HTTPS(),
	})
}

// addressIsKey keeps an address that opens a page by itself from being passed
// on.
func addressIsKey(w http.ResponseWriter) {
	w.Header().Set("Referrer-Policy", "no-referrer")
}

// watched finds the film behind a link, or tells the client kindly why not,
// and nothing else.
func (p *pages) watched(w http.ResponseWriter, r *http.Request) (delivery.Watched, bool) {
	addressIsKey(w)
	key := chi.URLParam(r, "token")
	v, err := p.Links.Open(r.Context(), key, page.QueryInt(r, "film", 0))
	switch {
	case errors.Is(err, delivery.ErrClosed):
		p.Message(w, r, http.StatusGone, "This link is closed",
			fmt.Sprintf("What was here can no longer be watched. Ask %s for a new link.", v.Studio.Name), "",
			"")
		return v, false
	case errors.Is(err, store.ErrNotFound):
		p.Message(w, r, http.StatusNotFound, "There is no film here", "The address may have been cut short "+
			"when it was copied. Open it from the mail, or ask for it again.", "", "")
		return v, false
	case err != nil:
		p.Fail(w, r, err)
		return v, false
	}
	if v.Link.PasswordHash != "" {
		if c, err := r.Cookie(keyCookie); err != nil || c.Value != v.Key(key) {
			p.askPassword(w, r, v, "")
			return v, false
		}
	}
	if v.Link.Devices > 0 {
		c, err := r.Cookie(deviceCookie)
		if err != nil || len(c.Value) < 20 {
			c = &http.Cookie{Value: token.New()}
			p.setCookie(w, r, deviceCookie, c.Value, v.Link.ExpiresAt)
		}
		if err := p.Links.Admit(r.Context(), v, c.Value); errors.Is(err, delivery.ErrDevices) {
			p.Message(w, r, http.StatusForbidden, "Open elsewhere already",
				fmt.Sprintf("This link is open on %d devices, as many as it may be. Watch it on one of "+
					"them, or ask %s.", v.Link.Devices, v.Studio.Name), "", "")
			return v, false
		} else if err != nil {
			p.Fail(w, r, err)
			return v, false
		}
	}
	return v, true
}

func (p *pages) askPassword(w http.ResponseWriter, r *http.Request, v delivery.Watched, wrong string) {
	p.Render(w, r, http.StatusUnauthorized, "password", struct {
		Version, Token, StudioName, Wrong string
	}{p.Version, chi.URLParam(r, "token"), v.Studio.Name, wrong})
}

func (p *pages) watchUnlock(w http.ResponseWriter, r *http.Request) {
	token := chi.URLParam(r, "token")
	v, err := p.Links.Open(r.Context(), token, page.QueryInt(r, "film", 0))
	if err != nil {
		p.watched(w, r) // says why
		return
	}
	if !p.Links.Unlock(v, r.PostFormValue("password")) {
		p.askPassword(w, r, v, "That is not the password. It stands in the message with the link.")
		return
	}
	p.setCookie(w, r, keyCookie, v.Key(token), v.Link.ExpiresAt)
	http.Redirect(w, r, "/watch/"+token, http.StatusSeeOther)
}

// watchView is the client's page.
type watchView struct {
	delivery.Watched
	Version, Token, StudioName, Length string
	Ending                             string // of the plain film
	// where the pieces of the smallest size are, which plays before anything else is there
	First              string
	Opening            int64 // bytes of its first piece, with what stands before it
	Next               int   // bits a second that the next larger size takes
	Streams, Captioned bool
	Downloads          []sizeView
	Shape              string // of the frame, for the page's layout
	Film               string // query of the film's addresses; empty for the first
	Cards              []filmCard
	Proof              *draftView
	Embedded           bool
	// address of its description; empty: it may not be shown elsewhere
	OEmbed string
}

// filmCard is one of several films behind a link.
type filmCard struct {
	ID            int64
	Title, Length string
	Here          bool
}

// sizeView is a size a client may download.
type sizeView struct {
	ID                 int64
	Name, Ending, Size string
}

// draftView is what is shown of a proof beside the film.
type draftView struct {
	proofs.Shown
	Who, Wrong string
	Moment     string
}

func (p *pages) watch(w http.ResponseWriter, r *http.Request) { p.showFilm(w, r, "") }

func (p *pages) showFilm(w http.ResponseWriter, r *http.Request, wrong string) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	view, err := p.watchView(r, v)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	status := http.StatusOK
	if v.Link.Proof && v.Render.ID != 0 {
		shown, err := p.Proofs.Show(r.Context(), v)
		if err != nil {
			p.Fail(w, r, err)
			return
		}
		view.Proof = &draftView{
			Shown:  shown,
			Wrong:  wrong,
			Who:    r.PostFormValue("who"),
			Moment: r.PostFormValue("seconds"),
		}
		if wrong != "" {
			status = http.StatusUnprocessableEntity
		}
	}
	if v.Link.Embed {
		view.OEmbed = p.BaseURL + "/oembed?url=" + url.QueryEscape(p.Links.Address(view.Token))
	}
	p.Render(w, r, status, "watch", view)
}

func (p *pages) watchView(r *http.Request, v delivery.Watched) (*watchView, error) {
	view := &watchView{
		Watched:    v,
		Version:    p.Version,
		Token:      chi.URLParam(r, "token"),
		StudioName: v.Studio.Name,
		Shape:      "16 / 9",
	}
	if v.Render.ID == 0 {
		return view, nil
	}
	view.Length, view.Ending = page.Minutes(v.Render.Seconds), making.Extension(v.Render)
	films, err := p.Links.Films(r.Context(), v)
	if err != nil {
		return nil, err
	}
	if len(films) > 1 {
		for i, f := range films {
			here := f.Render.ID == v.Render.ID
			view.Cards = append(view.Cards, filmCard{f.Render.ID, f.Title, page.Minutes(f.Render.Seconds),
				here})
			if here && i > 0 {
				view.Film = fmt.Sprintf("?film=%d", f.Render.ID)
			}
		}
	}
	// A film of before there were streams plays whole rather than only small.
	view.Streams = v.Render.Stream != nil
	if n := len(v.Sizes); view.Streams && n > 0 {
		least := v.Sizes[n-1]
		view.Next = making.Busiest(v.Sizes[max(0, n-2)])
		view.First, view.Opening = fmt.Sprintf("/watch/%s/%d", view.Token, least.ID),
			opening(least.StreamList)
	}
	if x := v.Render.Setting; x != nil && x.Captions != profile.Burnt {
		_, err := p.Films.Captions(r.Context(), v)
		view.Captioned = err == nil
	}
	if v.Link.Downloadable {
		for _, x := range v.Files() {
			view.Downloads = append(view.Downloads, sizeView{x.ID, x.Profile, making.Extension(x),
				fmt.Sprintf("%.0f MB", max(1, float64(x.Size)/1e6))})
		}
	}
	return view, nil
}

// opening is how many bytes of a film in fragments its first picture needs, by
// the list of them (RFC 8216, 4.3.2.2).
func opening(list string) int64 {
	_, after, _ := strings.Cut(list, "#EXT-X-BYTERANGE:")
	var size, from int64
	if n, err := fmt.Sscanf(after, "%d@%d", &size, &from); err != nil || n != 2 {
		return 0
	}
	return from + size
}

// watchEmbedded is the film alone, for pages of sites the studio names.
func (p *pages) watchEmbedded(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	if !v.Link.Embed {
		p.Message(w, r, http.StatusForbidden, "Not for other pages", "This film is watched on its own page.",
			"", "")
		return
	}
	view, err := p.watchView(r, v)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	view.Embedded = true
	h := w.Header()
	h.Set("Content-Security-Policy", strings.Replace(h.Get("Content-Security-Policy"),
		"frame-ancestors 'none'", "frame-ancestors "+strings.Join(sites(v.Studio), " "), 1))
	p.Render(w, r, http.StatusOK, "embedded", view)
}

// sites are the origins that may show films in their pages; none: 'none'.
func sites(st store.Studio) []string {
	out := strings.Fields(st.Sites)
	if len(out) == 0 {
		return []string{"'none'"}
	}
	return out
}

// oEmbed describes a film to a site that may show it (oEmbed 1.0).
func (p *pages) oEmbed(w http.ResponseWriter, r *http.Request) {
	address := r.URL.Query().Get("url")
	if f := r.URL.Query().Get("format"); f != "" && f != "json" {
		http.Error(w, "only json", http.StatusNotImplemented)
		return
	}
	token, ok := strings.CutPrefix(address, p.Links.Address(""))
	if !ok {
		http.Error(w, "no film", http.StatusNotFound)
		return
	}
	v, err := p.Links.Open(r.Context(), token, page.QueryInt(r, "film", 0))
	if err != nil || !v.Link.Embed || v.Render.ID == 0 {
		http.Error(w, "no film", http.StatusNotFound)
		return
	}
	width, height := 960, 540
	if w, h, _, err := p.Films.Head(r.Context(), v.Render); err == nil {
		width, height = w, h
	} else if set := v.Render.Setting; set != nil && set.Shape != (profile.Shape{}) {
		height = width * set.Shape.H / set.Shape.W
	}
	small := min(1, float64(looking.SmallSide)/float64(max(width, height)))
	thumbW, thumbH := int(math.Round(float64(width)*small)), int(math.Round(float64(height)*small))
	if most, err := strconv.Atoi(r.URL.Query().Get("maxwidth")); err == nil && most > 0 && most < width {
		width, height = most, height*most/width
	}
	if most, err := strconv.Atoi(r.URL.Query().Get("maxheight")); err == nil && most > 0 && most < height {
		width, height = width*most/height, most
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{ // whoever asked is gone
		"version":          "1.0",
		"type":             "video",
		"title":            v.Delivery.Title,
		"provider_name":    v.Studio.Name,
		"width":            width,
		"height":           height,
		"thumbnail_url":    p.Links.Address(token) + "/poster.jpg",
		"thumbnail_width":  thumbW,
		"thumbnail_height": thumbH,
		"html": fmt.Sprintf(
			`<iframe src="%s/embed" width="%d" height="%d" allow="fullscreen" allowfullscreen style="border:0" title="Film"></iframe>`, p.Links.Address(token), width, height),
	})
}

// watchLook is the theme's look as a style sheet: its colours.
func (p *pages) watchLook(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	paper, ink, err := p.Films.Colours(r.Context(), v)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/css; charset=utf-8")
	w.Header().Set("Cache-Control", "private, max-age=600")
	fmt.Fprintf(w, "html{background:%s}body.themed{background:inherit;color:%s}body.themed "+
		".quiet{color:inherit;opacity:.8}body.themed a:not(.button){color:inherit}\n", css(paper), css(ink))
}

func css(c raster.RGB) string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// watchMark is the studio's mark.
func (p *pages) watchMark(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	if v.Studio.MarkPicture == nil {
		p.Fail(w, r, store.ErrNotFound)
		return
	}
	b, err := p.Films.Mark(r.Context(), v)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, b, "private, max-age=600")
}

// proofDone answers what a client did on a proof: back to the moment, or what
// was wrong with it, with all that was written still there.
func (p *pages) proofDone(w http.ResponseWriter, r *http.Request, err error, to string) {
	var wrong *invalid.Input
	switch {
	case errors.As(err, &wrong):
		p.showFilm(w, r, wrong.Problem)
	case err != nil:
		p.Fail(w, r, err)
	default:
		http.Redirect(w, r, "/watch/"+chi.URLParam(r, "token")+to, http.StatusSeeOther)
	}
}

func (p *pages) watchRemark(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	seconds, err := strconv.ParseFloat(r.PostFormValue("seconds"), 64)
	if err != nil || seconds < 0 {
		seconds = 0
	}
	err = p.Proofs.Remark(r.Context(), v, r.PostFormValue("who"), r.PostFormValue("text"), seconds)
	p.proofDone(w, r, err, fmt.Sprintf("#t=%.2f", seconds))
}

func (p *pages) watchApprove(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	id, _ := strconv.ParseInt(r.PostFormValue("render"), 10, 64)
	p.proofDone(w, r, p.Proofs.Approve(r.Context(), v, id, r.PostFormValue("who")), "#approval")
}

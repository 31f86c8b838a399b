package client

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/making"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

// watchFilm is the film as a plain file: to play where nothing else works, or
// to download.
func (p *pages) watchFilm(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	rd := v.Render
	if chi.URLParam(r, "render") != "" {
		if rd, ok = p.Links.SizeOf(r.Context(), v, page.Number(r, "render")); !ok {
			p.Fail(w, r, store.ErrNotFound)
			return
		}
	}
	if rd.SHA256 == nil {
		p.Fail(w, r, store.ErrNotFound)
		return
	}
	w.Header().Set("Cache-Control", "private, max-age=600")
	name := ""
	if r.URL.Query().Get("download") != "" {
		if !v.Link.Downloadable {
			p.Message(w, r, http.StatusForbidden, "Not for download", "This film is for watching here.",
				"/watch/"+chi.URLParam(r, "token"), "Watch the film")
			return
		}
		of, err := p.Links.OrderOf(r.Context(), v, rd)
		if err != nil {
			p.Fail(w, r, err)
			return
		}
		name = making.FileName(of, rd)
		// A download that is taken up again is still one.
		if from := r.Header.Get("Range"); from == "" || strings.HasPrefix(from, "bytes=0-") {
			if err := p.Links.CountDownload(r.Context(), v); err != nil {
				p.Fail(w, r, err)
				return
			}
		}
	}
	p.ServeBlob(w, r, *rd.SHA256, making.Type(rd), name)
}

const m3u8 = "application/vnd.apple.mpegurl"

// watchSizes lists the sizes a film can be streamed in (RFC 8216, 4.3.4); the
// player takes the one the line carries.
func (p *pages) watchSizes(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	w.Header().Set("Content-Type", m3u8)
	w.Header().Set("Cache-Control", "private, max-age=60")
	fmt.Fprint(w, "#EXTM3U\n#EXT-X-VERSION:7\n#EXT-X-INDEPENDENT-SEGMENTS\n")
	// The smallest first: it is the one that plays at once on a poor line.
	for i := len(v.Sizes) - 1; i >= 0; i-- {
		x := v.Sizes[i]
		if x.Stream == nil || x.Seconds <= 0 {
			continue
		}
		average := int(float64(x.Size) * 8 / x.Seconds)
		more := ""
		// without them it plays all the same
		if w, h, codecs, err := p.Films.Head(r.Context(), x); err == nil {
			more = fmt.Sprintf(",RESOLUTION=%dx%d,CODECS=%q", w, h, codecs)
		}
		fmt.Fprintf(w, "#EXT-X-STREAM-INF:BANDWIDTH=%d,AVERAGE-BANDWIDTH=%d%s\n%d/list.m3u8\n",
			making.Busiest(x), average, more, x.ID)
	}
}

func (p *pages) streamed(w http.ResponseWriter, r *http.Request) (store.Render, bool) {
	v, ok := p.watched(w, r)
	if !ok {
		return store.Render{}, false
	}
	x, ok := p.Links.SizeOf(r.Context(), v, page.Number(r, "render"))
	if !ok || x.Stream == nil {
		p.Fail(w, r, store.ErrNotFound)
		return x, false
	}
	return x, true
}

func (p *pages) watchList(w http.ResponseWriter, r *http.Request) {
	if x, ok := p.streamed(w, r); ok {
		w.Header().Set("Content-Type", m3u8)
		w.Header().Set("Cache-Control", "private, max-age=600")
		_, _ = w.Write([]byte(x.StreamList)) // whoever asked is gone
	}
}

func (p *pages) watchFragments(w http.ResponseWriter, r *http.Request) {
	if x, ok := p.streamed(w, r); ok {
		w.Header().Set("Cache-Control", "private, max-age=600")
		p.ServeBlob(w, r, *x.Stream, making.Type(x), "")
	}
}

func (p *pages) watchCaptions(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	b, err := p.Films.Captions(r.Context(), v)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/vtt; charset=utf-8")
	_, _ = w.Write(b) // whoever asked is gone
}

// watchCard is the poster of one of several films.
func (p *pages) watchCard(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	x, ok := p.Links.SizeOf(r.Context(), v, page.Number(r, "render"))
	if !ok || x.Poster == nil {
		p.Fail(w, r, store.ErrNotFound)
		return
	}
	p.smallPicture(w, r, *x.Poster)
}

// smallPicture serves a stored picture small, so that it takes little of a poor
// line.
func (p *pages) smallPicture(w http.ResponseWriter, r *http.Request, sha string) {
	b, err := p.Films.Small(r.Context(), sha)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=600")
	w.Header().Set("ETag", `"small-`+sha+`"`)
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b))
}

func (p *pages) watchPoster(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	poster := v.Link.Poster
	if poster == nil || !v.First {
		poster = v.Render.Poster
		// The smallest size's: enough, and there at once.
		if n := len(v.Sizes); n > 0 && v.Sizes[n-1].Poster != nil {
			poster = v.Sizes[n-1].Poster
		}
	}
	if poster == nil {
		p.Fail(w, r, store.ErrNotFound)
		return
	}
	p.smallPicture(w, r, *poster)
}

func (p *pages) watchPlayed(w http.ResponseWriter, r *http.Request) {
	v, ok := p.watched(w, r)
	if !ok {
		return
	}
	if err := p.Links.CountView(r.Context(), v); err != nil {
		p.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

package orderpage

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/orders"
	"nelko/internal/web/page"
)

// playing loads the order whose preview is played. The address names the
// revision, so that what is played does not change while it plays.
func (p *player) playing(w http.ResponseWriter, r *http.Request) (*orders.Dossier, bool) {
	wk, err := p.Orders.SeeAt(r.Context(), seen(r), int(page.Number(r, "revision")))
	if err != nil {
		p.Fail(w, r, err)
		return nil, false
	}
	return wk, true
}

func playlist(w http.ResponseWriter, text string) {
	w.Header().Set("Content-Type", "application/vnd.apple.mpegurl")
	w.Header().Set("Cache-Control", "no-store")
	_, _ = w.Write([]byte(text)) // the browser may have gone
}

// playFilm is the master playlist: pictures and sound apart, so that a
// changed caption does not touch the sound (RFC 8216, 4.3.4).
func (p *player) playFilm(w http.ResponseWriter, r *http.Request) {
	wk, ok := p.playing(w, r)
	if !ok {
		return
	}
	var b strings.Builder
	b.WriteString("#EXTM3U\n#EXT-X-VERSION:4\n#EXT-X-INDEPENDENT-SEGMENTS\n")
	audio := ""
	if len(wk.Doc.Soundtrack.Songs()) > 0 {
		b.WriteString(`#EXT-X-MEDIA:TYPE=AUDIO,GROUP-ID="sound",NAME="Soundtrack",DEFAULT=YES,AUTOSELECT=YES,URI="sound/sound.m3u8"` + "\n")
		audio = `,AUDIO="sound"`
	}
	fmt.Fprintf(&b, "#EXT-X-STREAM-INF:BANDWIDTH=1500000,CODECS=\"avc1.64001f,mp4a.40.2\"%s\npicture.m3u8\n",
		audio)
	playlist(w, b.String())
}

// playPicture lists the segments of the preview; each is made when it is
// asked for.
func (p *player) playPicture(w http.ResponseWriter, r *http.Request) {
	wk, ok := p.playing(w, r)
	if !ok {
		return
	}
	segs, err := p.Looking.Player.Played(wk)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	lengths := make([]float64, len(segs))
	for i, g := range segs {
		lengths[i] = wk.Doc.Rate.Seconds(g.Frames())
	}
	playlist(w, segmentList(lengths))
}

// segmentList is a media playlist of segments named by number, of the given
// lengths in seconds (RFC 8216, 4.3.3).
func segmentList(lengths []float64) string {
	var b strings.Builder
	longest := 0.0
	for _, v := range lengths {
		longest = max(longest, v)
	}
	fmt.Fprintf(&b, "#EXTM3U\n#EXT-X-VERSION:4\n#EXT-X-PLAYLIST-TYPE:VOD\n#EXT-X-TARGETDURATION:%d\n",
		int(longest+0.999))
	for i, v := range lengths {
		fmt.Fprintf(&b, "#EXTINF:%.6f,\n%d.ts\n", v, i)
	}
	b.WriteString("#EXT-X-ENDLIST\n")
	return b.String()
}

// segment answers with the segment whose number is given, as make makes it.
func (p *player) segment(w http.ResponseWriter, r *http.Request, number string,
	make func(n int) ([]byte, error)) {
	n, err := strconv.Atoi(number)
	if err != nil {
		n = -1 // there is none: answered as not found
	}
	ts, err := make(n)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "video/mp2t")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_, _ = w.Write(ts) // the browser may have gone
}

func (p *player) playSegment(w http.ResponseWriter, r *http.Request) {
	if wk, ok := p.playing(w, r); ok {
		p.segment(w, r, chi.URLParam(r, "segment"), func(n int) ([]byte, error) {
			return p.Looking.Player.PlayedSegment(r.Context(), wk, n)
		})
	}
}

// playSound lists the soundtrack's segments, or answers with one.
func (p *player) playSound(w http.ResponseWriter, r *http.Request) {
	wk, ok := p.playing(w, r)
	if !ok {
		return
	}
	name := chi.URLParam(r, "file")
	if name == "sound.m3u8" {
		playlist(w, segmentList(p.Looking.Player.PlayedSound(wk)))
		return
	}
	p.segment(w, r, strings.TrimSuffix(name, ".ts"), func(n int) ([]byte, error) {
		return p.Looking.Player.PlayedSoundSegment(r.Context(), wk, n)
	})
}

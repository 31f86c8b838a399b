package orderpage

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/invalid"
	"nelko/internal/orders"
)

// tried is an item of the soundtrack as it would be made so long, before anybody takes
// it: the query says which and how long.
func (k *track) tried(r *http.Request) (*orders.Dossier, doc.Placed, error) {
	d, err := k.Orders.See(r.Context(), seen(r))
	if err != nil {
		return nil, doc.Placed{}, err
	}
	q := r.URL.Query()
	at, err := strconv.Atoi(q.Get("at"))
	if err != nil {
		return nil, doc.Placed{}, &invalid.Input{Field: "at", Problem: "Say which song."}
	}
	long, err := songLength(q.Get("long"))
	if err == nil && long == 0 {
		err = &invalid.Input{Field: "long", Problem: "Say how long it is to be, as 2:30."}
	}
	if err != nil {
		return nil, doc.Placed{}, err
	}
	n, err := edit.Do(d.Doc, edit.Song{
		At:    at,
		Media: doc.MediaID(q.Get("media")),
		Long:  &long,
	}, edit.Context{Theme: d.Theme, Library: d.Library})
	if err != nil {
		return nil, doc.Placed{}, &invalid.Input{Field: "long", Problem: err.Error() + "."}
	}
	return d, n.Soundtrack.Placed(d.Library)[at], nil
}

// songLength reads how long a song is to be; nothing is 0.
func songLength(text string) (float64, error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return 0, nil
	}
	l, err := timecode.ParseLength(text, timecode.R30)
	if err != nil {
		return 0, &invalid.Input{Field: "long", Problem: err.Error()}
	}
	return l.In(timecode.R30), nil
}

// tryVersion shows a version of a song with its joins, to be heard and then taken.
func (k *track) tryVersion(w http.ResponseWriter, r *http.Request) {
	d, p, err := k.tried(r)
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	type join struct {
		Clock string
		From  float64 // a little before it, in seconds
	}
	var joins []join
	for _, piece := range p.Pieces[1:] {
		at := float64(piece.Start-p.Start) / timecode.SampleRate
		joins = append(joins, join{timecode.Clock(at), max(0, at-beforeJoin)})
	}
	m := d.Library[p.Media]
	made, _ := m.Version(0, float64(m.Length)/timecode.SampleRate, float64(p.Length)/timecode.SampleRate)
	long := r.URL.Query().Get("long")
	k.Render(w, r, http.StatusOK, "version", struct {
		Order, Media, Long, Clock, Made, Sound string
		At                                     int
		Joins                                  []join
	}{seenPath(d), string(p.Media), long, timecode.Clock(float64(p.Length) / timecode.SampleRate),
		madeSo(made.Joins, made.Alike, made.Over),
		fmt.Sprintf("/orders/%s/version.wav?%s", seenPath(d), url.Values{
			"at":    {strconv.Itoa(p.Index)},
			"media": {string(p.Media)},
			"long":  {long},
		}.Encode()), p.Index, joins})
}

// beforeJoin is how many seconds before a join it is heard from.
const beforeJoin = 3

// versionSound is the sound of what tryVersion shows.
func (k *track) versionSound(w http.ResponseWriter, r *http.Request) {
	d, p, err := k.tried(r)
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	file, err := k.Looking.Player.Song(r.Context(), d, p.Item)
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	defer file.Close()
	w.Header().Set("Content-Type", "audio/wav")
	w.Header().Set("Cache-Control", "no-store")
	http.ServeContent(w, r, "", time.Time{}, file)
}

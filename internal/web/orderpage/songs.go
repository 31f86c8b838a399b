package orderpage

import (
	"errors"
	"fmt"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/timecode"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/invalid"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

// takeSong brings a song of the library into an order.
func (k *track) takeSong(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	if err := r.ParseForm(); err != nil {
		k.Fail(w, r, err)
		return
	}
	f, err := field.Decode[struct {
		Song int64 `form:"song"`
	}](r.PostForm)
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	if err := k.Intake.Songs.TakeSong(r.Context(), page.Number(r, "order"), f.Song); err != nil {
		k.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// maxTake is the largest recorded take in bytes: hours of it.
const maxTake = 1 << 30

// takeNarration takes what was recorded in the browser.
func (k *track) takeNarration(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		At   field.Amount `form:"at" label:"At"`
		Take int          `form:"take"`
	}](r.URL.Query())
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	name := fmt.Sprintf("Narration %s take %d", time.Now().Format("2006-01-02 15.04.05"), f.Take)
	if _, err := k.Intake.Songs.Speak(r.Context(), page.Number(r, "order"), name, float64(f.At),
		http.MaxBytesReader(w, r.Body, maxTake)); err != nil {
		k.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// writePlaylist gives an order's songs as a playlist.
func (k *track) writePlaylist(w http.ResponseWriter, r *http.Request) {
	d, err := k.Orders.Load(r.Context(), page.Number(r, "order"))
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	var tracks []interchange.Track
	for _, p := range d.Plan.Sound.Placed(d.Library) {
		if p.Role == doc.Music {
			tracks = append(tracks, interchange.Track{
				Name:    d.Library[p.Media].Name,
				Title:   strings.TrimSuffix(d.Library[p.Media].Name, path.Ext(d.Library[p.Media].Name)),
				Seconds: float64(p.Length) / timecode.SampleRate,
			})
		}
	}
	kind, write, contentType := chi.URLParam(r, "kind"), interchange.WriteM3U, "audio/x-mpegurl"
	if kind == "xspf" {
		write, contentType = interchange.WriteXSPF, "application/xspf+xml"
	}
	page.Download(w, contentType, d.Order.Client+" - "+d.Order.Event+"."+kind)
	if err := write(w, tracks); err != nil {
		panic(http.ErrAbortHandler)
	}
}

// readPlaylist takes the songs that a playlist names from the library into an order.
func (k *track) readPlaylist(w http.ResponseWriter, r *http.Request) {
	tracks, err := interchange.ReadPlaylist(r.Body)
	if err != nil {
		k.Fail(w, r, &invalid.Input{Field: "playlist", Problem: err.Error()})
		return
	}
	songs, err := k.Intake.Songs.Music(r.Context(), intake.Wanted{})
	if err != nil {
		k.Fail(w, r, err)
		return
	}
	plain := func(name string) string { return strings.ToLower(strings.TrimSuffix(name, path.Ext(name))) }
	var missing []string
	for _, t := range tracks {
		i := slices.IndexFunc(songs, func(x intake.Song) bool { return plain(x.Media.Name) == plain(t.Name) })
		if i < 0 {
			missing = append(missing, t.Name)
			continue
		}
		var wrong *invalid.Input
		if err := k.Intake.Songs.TakeSong(r.Context(), page.Number(r, "order"),
			songs[i].MediaID); errors.As(err, &wrong) {
			missing = append(missing, wrong.Problem)
		} else if err != nil {
			k.Fail(w, r, err)
			return
		}
	}
	if len(missing) > 0 {
		k.Fail(w, r, &invalid.Input{
			Field: "playlist",
			Problem: fmt.Sprintf("%d of %d songs were taken. Not in the studio’s music, or not taken: %s",
				len(tracks)-len(missing), len(tracks), strings.Join(missing, "; ")),
		})
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

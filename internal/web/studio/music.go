package studio

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// maxSongs is how many bytes of songs may be sent at once.
const maxSongs = 4 << 30

// wantedMusic reads what is looked for.
func wantedMusic(q url.Values) (intake.Wanted, error) {
	f, err := field.Decode[struct {
		Text      string        `form:"text"`
		Slow      *field.Amount `form:"slow" label:"Beats a minute"`
		Fast      *field.Amount `form:"fast" label:"Beats a minute"`
		Short     string        `form:"short"`
		Long      string        `form:"long"`
		Favourite bool          `form:"favourite"`
	}](q)
	if err != nil {
		return intake.Wanted{}, err
	}
	w := intake.Wanted{Text: f.Text, FavouritesOnly: f.Favourite}
	if f.Slow != nil {
		w.Slow = float64(*f.Slow)
	}
	if f.Fast != nil {
		w.Fast = float64(*f.Fast)
	}
	for _, l := range []struct {
		typed string
		to    *float64
	}{{f.Short, &w.Short}, {f.Long, &w.Long}} {
		if typed := strings.TrimSpace(l.typed); typed != "" {
			length, err := timecode.ParseLength(typed, timecode.R30)
			if err != nil {
				return w, &invalid.Input{Field: "short", Problem: err.Error()}
			}
			*l.to = length.In(timecode.R30)
		}
	}
	return w, nil
}

func (g *songs) musicPage(w http.ResponseWriter, r *http.Request) {
	g.showMusic(w, r, http.StatusOK, nil)
}

func (g *songs) showMusic(w http.ResponseWriter, r *http.Request, status int, n *page.Notice) {
	b, err := g.Noted(r, "Music", n)
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	want, err := wantedMusic(r.URL.Query())
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		b.Notice, status = page.Bad(wrong.Problem), http.StatusUnprocessableEntity
	} else if err != nil {
		g.Fail(w, r, err)
		return
	}
	songs, err := parts.LibrarySongs(r.Context(), g.Intake, want)
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	g.Render(w, r, status, "music", struct {
		page.Base
		Songs []parts.LibrarySong
		Query url.Values
	}{b, songs, r.URL.Query()})
}

// addSongs takes the files of a form into the library.
func (g *songs) addSongs(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxSongs)
	parts, err := r.MultipartReader()
	if err != nil {
		g.Message(w, r, http.StatusUnprocessableEntity, "Not brought in", "Choose songs first.", "/music",
			"Back to the music")
		return
	}
	var problems []string
	for {
		part, err := parts.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			g.Fail(w, r, err)
			return
		}
		if part.FileName() == "" {
			continue
		}
		var wrong *invalid.Input
		if _, err := g.Intake.Songs.AddSong(r.Context(), part.FileName(), part); errors.As(err, &wrong) {
			problems = append(problems, wrong.Problem)
		} else if err != nil {
			g.Fail(w, r, err)
			return
		}
	}
	if len(problems) > 0 {
		g.showMusic(w, r, http.StatusUnprocessableEntity, page.Bad(strings.Join(problems, " ")))
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

func (g *songs) noteSong(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	if err := r.ParseForm(); err != nil {
		g.Fail(w, r, err)
		return
	}
	n := store.Music{
		MediaID:   page.Number(r, "media"),
		Mood:      r.PostFormValue("mood"),
		Occasion:  r.PostFormValue("occasion"),
		Favourite: r.PostFormValue("favourite") != "",
		Licence:   r.PostFormValue("licence"),
	}
	if typed := r.PostFormValue("until"); typed != "" {
		until, err := time.Parse(time.DateOnly, typed)
		if err != nil {
			g.Message(w, r, http.StatusUnprocessableEntity, "Not kept", fmt.Sprintf("%q is no date.", typed),
				"/music", "Back to the music")
			return
		}
		n.LicenceUntil = &until
	}
	if err := g.Intake.Songs.Note(r.Context(), n); err != nil {
		g.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

func (g *songs) dropSong(w http.ResponseWriter, r *http.Request) {
	if err := g.Intake.Songs.DropSong(r.Context(), page.Number(r, "media")); err != nil {
		g.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

// songWave draws a song of the library.
func (g *songs) songWave(w http.ResponseWriter, r *http.Request) {
	wave, err := g.Intake.Songs.SongWave(r.Context(), page.Number(r, "media"))
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	length := timecode.Samples(len(wave)) * timecode.SampleRate / sound.PeaksPerSecond
	pl := doc.Placed{Length: length, Pieces: []doc.Piece{{Length: length}}}
	w.Header().Set("Content-Type", "image/svg+xml")
	w.Header().Set("Cache-Control", "private, max-age=86400")
	fmt.Fprintf(w, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 40" preserveAspectRatio="none"><path d="%s" stroke="#0a5a66" fill="none"/></svg>`, parts.WaveOf(pl, wave))
}

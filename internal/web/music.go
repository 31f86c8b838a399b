package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/sound"
	"nelko/internal/core/timecode"
	"nelko/internal/intake"
	"nelko/internal/interchange"
	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

// maxSongs is how many bytes of songs may be sent at once.
const maxSongs = 4 << 30

func (s *Server) musicRoutes(r chi.Router) {
	r.Get("/music", s.musicPage)
	r.Post("/music", s.addSongs)
	r.Get("/music/{media}/wave.svg", s.songWave)
	r.Post("/music/{media}/note", s.noteSong)
	r.Post("/music/{media}/drop", s.dropSong)
}

// librarySong is a song of the studio's as pages list it.
type librarySong struct {
	intake.Song
	Length, Tempo, Loudness string
	Until                   string // the licence ends
	Over                    bool   // it has ended
	ForTheme                bool   // noted for an occasion of the theme
	Away                    string // how far it is from the length looked for
}

func (s *Server) librarySongs(ctx context.Context, w intake.Wanted) (out []librarySong, err error) {
	songs, err := s.House.Intake.Music(ctx, w)
	for _, song := range songs {
		l := librarySong{
			Song:     song,
			Length:   timecode.Clock(song.Seconds()),
			Tempo:    "—",
			Loudness: fmt.Sprintf("%.1f LUFS", song.Media.LUFS),
		}
		if song.BPM() > 0 {
			l.Tempo = fmt.Sprintf("%.0f", song.BPM())
		}
		if u := song.LicenceUntil; u != nil {
			l.Until, l.Over = u.Format(time.DateOnly), u.Before(time.Now().Truncate(24*time.Hour))
		}
		l.ForTheme = song.ForOne(w.Occasions)
		if w.Near > 0 {
			switch d := song.Seconds() - w.Near; {
			case d >= 0.5:
				l.Away = fmt.Sprintf("%.0f s longer", d)
			case d <= -0.5:
				l.Away = fmt.Sprintf("%.0f s shorter", -d)
			default:
				l.Away = "as long"
			}
		}
		out = append(out, l)
	}
	return out, err
}

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

func (s *Server) musicPage(w http.ResponseWriter, r *http.Request) {
	s.showMusic(w, r, http.StatusOK, nil)
}

func (s *Server) showMusic(w http.ResponseWriter, r *http.Request, status int, n *page.Notice) {
	b, err := s.Noted(r, "Music", n)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	want, err := wantedMusic(r.URL.Query())
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		b.Notice, status = page.Bad(wrong.Problem), http.StatusUnprocessableEntity
	} else if err != nil {
		s.Fail(w, r, err)
		return
	}
	songs, err := s.librarySongs(r.Context(), want)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, status, "music", struct {
		page.Base
		Songs []librarySong
		Query url.Values
	}{b, songs, r.URL.Query()})
}

// addSongs takes the files of a form into the library.
func (s *Server) addSongs(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxSongs)
	parts, err := r.MultipartReader()
	if err != nil {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not brought in", "Choose songs first.", "/music",
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
			s.Fail(w, r, err)
			return
		}
		if part.FileName() == "" {
			continue
		}
		var wrong *invalid.Input
		if _, err := s.House.Intake.AddSong(r.Context(), part.FileName(), part); errors.As(err, &wrong) {
			problems = append(problems, wrong.Problem)
		} else if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	if len(problems) > 0 {
		s.showMusic(w, r, http.StatusUnprocessableEntity, page.Bad(strings.Join(problems, " ")))
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

func (s *Server) noteSong(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	if err := r.ParseForm(); err != nil {
		s.Fail(w, r, err)
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
			s.Message(w, r, http.StatusUnprocessableEntity, "Not kept", fmt.Sprintf("%q is no date.", typed),
				"/music", "Back to the music")
			return
		}
		n.LicenceUntil = &until
	}
	if err := s.House.Intake.Note(r.Context(), n); err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

func (s *Server) dropSong(w http.ResponseWriter, r *http.Request) {
	if err := s.House.Intake.DropSong(r.Context(), page.Number(r, "media")); err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/music", http.StatusSeeOther)
}

// songWave draws a song of the library.
func (s *Server) songWave(w http.ResponseWriter, r *http.Request) {
	wave, err := s.House.Intake.SongWave(r.Context(), page.Number(r, "media"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	length := timecode.Samples(len(wave)) * timecode.SampleRate / sound.PeaksPerSecond
	pl := doc.Placed{Length: length, Pieces: []doc.Piece{{Length: length}}}
	w.Header().Set("Content-Type", "image/svg+xml")
	w.Header().Set("Cache-Control", "private, max-age=86400")
	fmt.Fprintf(w, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 40" preserveAspectRatio="none"><path d="%s" stroke="#0a5a66" fill="none"/></svg>`, waveOf(pl, wave))
}

// takeSong brings a song of the library into an order.
func (s *Server) takeSong(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	if err := r.ParseForm(); err != nil {
		s.Fail(w, r, err)
		return
	}
	f, err := field.Decode[struct {
		Song int64 `form:"song"`
	}](r.PostForm)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if err := s.House.Intake.TakeSong(r.Context(), page.Number(r, "order"), f.Song); err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// maxTake is the largest recorded take in bytes: hours of it.
const maxTake = 1 << 30

// takeNarration takes what was recorded in the browser.
func (s *Server) takeNarration(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		At   field.Amount `form:"at" label:"At"`
		Take int          `form:"take"`
	}](r.URL.Query())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	name := fmt.Sprintf("Narration %s take %d", time.Now().Format("2006-01-02 15.04.05"), f.Take)
	if _, err := s.House.Intake.Speak(r.Context(), page.Number(r, "order"), name, float64(f.At),
		http.MaxBytesReader(w, r.Body, maxTake)); err != nil {
		s.Fail(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// writePlaylist gives an order's songs as a playlist.
func (s *Server) writePlaylist(w http.ResponseWriter, r *http.Request) {
	d, err := s.House.Orders.Load(r.Context(), page.Number(r, "order"))
	if err != nil {
		s.Fail(w, r, err)
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
	download(w, contentType, d.Order.Client+" - "+d.Order.Event+"."+kind)
	if err := write(w, tracks); err != nil {
		panic(http.ErrAbortHandler)
	}
}

// readPlaylist takes the songs that a playlist names from the library into an order.
func (s *Server) readPlaylist(w http.ResponseWriter, r *http.Request) {
	tracks, err := interchange.ReadPlaylist(r.Body)
	if err != nil {
		s.Fail(w, r, &invalid.Input{Field: "playlist", Problem: err.Error()})
		return
	}
	songs, err := s.House.Intake.Music(r.Context(), intake.Wanted{})
	if err != nil {
		s.Fail(w, r, err)
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
		if err := s.House.Intake.TakeSong(r.Context(), page.Number(r, "order"),
			songs[i].MediaID); errors.As(err, &wrong) {
			missing = append(missing, wrong.Problem)
		} else if err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	if len(missing) > 0 {
		s.Fail(w, r, &invalid.Input{
			Field: "playlist",
			Problem: fmt.Sprintf("%d of %d songs were taken. Not in the studio’s music, or not taken: %s",
				len(tracks)-len(missing), len(tracks), strings.Join(missing, "; ")),
		})
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

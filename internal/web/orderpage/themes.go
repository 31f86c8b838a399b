package orderpage

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/web/page"
)

// themeRow is one theme as the picker shows it.
type themeRow struct {
	ID, Name, About, Occasions, Suits, Pace string
	Here                                    bool
	Missing                                 string
	For                                     []string // occasions
	Fits                                    bool     // as many pictures as the order has suit its music
}

// themePicker shows every theme moving with this order's pictures and names.
func (h *themes) themePicker(w http.ResponseWriter, r *http.Request) {
	wk, err := h.Orders.See(r.Context(), seen(r))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	b, err := h.Base(r, "Theme · "+wk.Order.Client)
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	all := h.Shelf.Themes.All()
	music := float64(wk.Plan.Music) / timecode.SampleRate
	pictures := 0
	for _, sl := range wk.Doc.Slides {
		pictures += len(sl.Media)
	}
	var rows []themeRow
	var occasions []string
	for _, t := range all {
		row := themeRow{
			ID:        t.ID,
			Name:      t.Name,
			About:     t.About,
			Occasions: strings.Join(t.Occasions, ", "),
			Here:      t.ID == wk.Doc.Theme,
			Pace:      fmt.Sprintf("%g s a picture", t.Pace.Seconds),
		}
		if music > 0 {
			least, usual, most := t.SuitsPictures(music)
			row.Fits = pictures >= least && pictures <= most
			row.Suits = fmt.Sprintf("%d pictures suit this music, %d to %d at a stretch", usual, least, most)
		}
		var missing []string
		for _, d := range t.Missing(wk.Doc.Details) {
			missing = append(missing, d.Label)
		}
		row.Missing, row.For = strings.Join(missing, ", "), t.Occasions
		for _, o := range t.Occasions {
			if !slices.Contains(occasions, o) {
				occasions = append(occasions, o)
			}
		}
		rows = append(rows, row)
	}
	slices.Sort(occasions)
	h.Render(w, r, http.StatusOK, "themepicker", struct {
		page.Base
		OrderID       int64
		Client, Event string
		Revision      int
		Rows          []themeRow
		Pictures      string
		Music         string
		Any           bool
		Width, Height int
		Occasions     []string
	}{b, wk.Order.ID, wk.Order.Client, wk.Order.Event, wk.Slideshow.Head, rows,
		wording.Counted(pictures, "picture"), timecode.Clock(music), pictures > 0,
		384, 384 * wk.Doc.Frame.H / wk.Doc.Frame.W, occasions})
}

func (h *themes) themeStill(w http.ResponseWriter, r *http.Request) {
	wk, err := h.Orders.See(r.Context(), seen(r))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	jpg, err := h.Looking.Themes.ThemeStill(r.Context(), wk, chi.URLParam(r, "theme"))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "private, max-age=3600")
}

func (h *themes) themeLoop(w http.ResponseWriter, r *http.Request) {
	wk, err := h.Orders.See(r.Context(), seen(r))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	path, err := h.Looking.Themes.ThemeLoop(r.Context(), wk, chi.URLParam(r, "theme"))
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	f, err := os.Open(path)
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	defer f.Close()
	w.Header().Set("Content-Type", profile.Loop.File.MIME)
	w.Header().Set("Cache-Control", "private, max-age=3600")
	http.ServeContent(w, r, "", time.Time{}, f)
}

// takeTheme changes an order's theme from the picker.
func (h *themes) takeTheme(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	op, err := controls["theme"](h.shared, url.Values{"theme": {r.PostFormValue("theme")}})
	if err == nil {
		_, err = h.Orders.Edits.Edit(r.Context(), id, seenRevision(r), op, &page.User(r).ID)
	}
	var invalid *invalid.Input
	var conflict *orders.Conflict
	switch {
	case err == nil:
		http.Redirect(w, r, fmt.Sprintf("/orders/%d", id), http.StatusSeeOther)
	case errors.As(err, &conflict), errors.As(err, &invalid):
		h.Message(w, r, http.StatusConflict, "Not changed", err.Error(), fmt.Sprintf("/orders/%d/themes", id),
			"Back to the themes")
	default:
		h.Fail(w, r, err)
	}
}

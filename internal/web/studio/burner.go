package studio

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/disc/player"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/pressing"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// stepView is the page on which a finished disc is stepped through.
type stepView struct {
	page.Base
	pressing.Stepped
	Wide       bool
	ButtonLine string
}

func (d *drive) stepPage(w http.ResponseWriter, r *http.Request) {
	st, err := d.Pressing.Stepper.Step(r.Context(), page.Number(r, "disc"))
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		d.Message(w, r, http.StatusUnprocessableEntity, "Nothing to see yet", wrong.Problem, "/deliveries",
			"To the deliveries")
		return
	}
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	b, err := d.Base(r, st.Disc.Setting.Name)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	v := stepView{Base: b, Stepped: st, Wide: true}
	if p, ok := profile.Named(st.Disc.Setting.Profiles[0]); ok && p.Stored != nil {
		v.Wide = p.Stored.Shown.W*9 == p.Stored.Shown.H*16
	}
	d.Render(w, r, http.StatusOK, "step-through", v)
}

// Then lists where a button leads, one place after the other, for scripts.
func (stepView) Then(b player.Button) string {
	var out []string
	for _, p := range append([]player.Place{b.To}, b.Then...) {
		switch {
		case p.Page > 0:
			out = append(out, fmt.Sprintf("page %d", p.Page))
		case p.Title > 0:
			out = append(out, fmt.Sprintf("title %d", p.Title))
		default:
			out = append(out, "end")
		}
	}
	return strings.Join(out, ",")
}

// Name is what film n is called.
func (v stepView) Name(n int) string {
	if n < len(v.Disc.Setting.Titles) {
		return v.Disc.Setting.Titles[n].Name
	}
	return fmt.Sprintf("Film %d", n+1)
}

// Inc counts from one.
func (stepView) Inc(n int) int { return n + 1 }

// stepShow plays a page or a film of a disc from its image.
func (d *drive) stepShow(w http.ResponseWriter, r *http.Request) {
	st, err := d.Pressing.Stepper.Step(r.Context(), page.Number(r, "disc"))
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", making.Type(store.Render{}))
	w.Header().Set("Cache-Control", "no-store")
	n := int(page.Number(r, "n"))
	if strings.Contains(r.URL.Path, "/page/") {
		err = d.Pressing.Stepper.ShowPage(r.Context(), st, n, w)
	} else {
		err = d.Pressing.Stepper.ShowTitle(r.Context(), st, n, int(max(1, page.QueryInt(r, "chapter", 1))),
			r.URL.Query().Get("words") != "", w)
	}
	if errors.Is(err, store.ErrNotFound) {
		d.Fail(w, r, err)
		return
	}
	if err != nil && r.Context().Err() == nil {
		slog.WarnContext(r.Context(), "a disc cannot be shown", "disc", st.Disc.DeliveryID, "error", err)
	}
}

// stepFile is a file of a data disc, from its image. Its page has its style in
// it.
func (d *drive) stepFile(w http.ResponseWriter, r *http.Request) {
	name := chi.URLParam(r, "*")
	err := d.Pressing.Stepper.Serve(r.Context(), page.Number(r, "disc"), name,
		func(called string, in io.ReadSeeker) {
			h := w.Header()
			h.Set("Content-Security-Policy",
				"default-src 'none'; style-src 'unsafe-inline'; img-src 'self'; "+
					"media-src 'self'; frame-ancestors 'self'")
			if t := mime.TypeByExtension(filepath.Ext(name)); t != "" {
				h.Set("Content-Type", t)
			}
			http.ServeContent(w, r, called, time.Time{}, in)
		})
	if err != nil {
		d.Fail(w, r, fmt.Errorf("%w: %w", store.ErrNotFound, err))
	}
}

func (d *drive) discFace(w http.ResponseWriter, r *http.Request) {
	d.SendPDF(w, r, "disc face.pdf", "/deliveries", func(b io.Writer) error {
		return d.Pressing.Prints.Faces(r.Context(), []int64{page.Number(r, "disc")}, b)
	})
}

func (d *drive) discSleeve(w http.ResponseWriter, r *http.Request) {
	d.SendPDF(w, r, "sleeve.pdf", "/deliveries", func(b io.Writer) error {
		return d.Pressing.Prints.Sleeve(r.Context(), page.Number(r, "disc"), b)
	})
}

func (d *drive) discImage(w http.ResponseWriter, r *http.Request) {
	x, _, err := d.Pressing.Find(r.Context(), page.Number(r, "disc"))
	if err == nil && x.Image == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	d.ServeBlob(w, r, *x.Image, "application/x-iso9660-image", x.Setting.Name+".iso")
}

// burnerView is the page of what is burned.
type burnerView struct {
	page.Base
	Open, Over []pressing.Queued
	Tray       *standin.Tray // the stand-in's
	Blanks     []string
	Fails      []parts.Choice
}

func (d *drive) burnerPage(w http.ResponseWriter, r *http.Request) {
	b, err := d.Base(r, "Burner")
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	v := burnerView{Base: b}
	if v.Open, v.Over, err = d.Pressing.Burner.Burns(r.Context()); err != nil {
		d.Fail(w, r, err)
		return
	}
	if d.StandIns {
		t, err := d.Tray.Told(r.Context())
		if err != nil {
			d.Fail(w, r, err)
			return
		}
		v.Tray, v.Blanks = &t, []string{discs.DVD5.Name, discs.DVD9.Name, discs.BD25.Name}
		v.Fails = []parts.Choice{{
			ID:   string(standin.Works),
			Name: "nothing: it works",
		}, {ID: string(standin.BadSector),
			Name: "a bad sector"}, {ID: string(standin.Dies), Name: "burning stops half-way"}}
	}
	d.Render(w, r, http.StatusOK, "burner", v)
}

func (d *drive) actOnBurn(w http.ResponseWriter, r *http.Request) {
	var err error
	if chi.URLParam(r, "act") == "again" {
		err = d.Pressing.Burner.BurnAgain(r.Context(), page.Number(r, "burn"))
	} else {
		err = d.Pressing.Burner.CancelBurn(r.Context(), page.Number(r, "burn"))
	}
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/burner", http.StatusSeeOther)
}

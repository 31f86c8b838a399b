package web

import (
	"bytes"
	"context"
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
	"nelko/internal/core/wording"
	"nelko/internal/disc"
	"nelko/internal/disc/player"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/pressing"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

func (s *Server) discRoutes(r chi.Router) {
	r.Get("/burner", s.burnerPage)
	r.Post("/burner/{burn}/{act:again|cancel}", s.actOnBurn)
	if s.StandIns {
		r.Post("/standins/drive", s.tellDrive)
	}
	if s.VideoHost != nil {
		r.Post("/standins/tell-host", s.tellHost)
	}
	r.Route("/discs/{disc}", func(r chi.Router) {
		r.Get("/", s.stepPage)
		r.Get("/page/{n}", s.stepShow)
		r.Get("/title/{n}", s.stepShow)
		r.Get("/files/*", s.stepFile)
		r.Get("/face.pdf", s.discFace)
		r.Get("/sleeve.pdf", s.discSleeve)
		r.Get("/image.iso", s.discImage)
	})
}

// discChoice is a kind of disc on the order's page.
type discChoice struct {
	Value, Name, Words string
	Fits, First        bool
}

// discRow is a disc on the order's page.
type discRow struct {
	ID                   int64
	Title, About, Detail string
	Percent              int // of its films; under way
	Bad, Busy, Made      bool
	Open                 bool
}

// discKinds are what kinds of disc are called.
var discKinds = map[store.DiscKind]string{
	store.DVDVideo: "DVD-Video",
	store.HDVideo:  "HD disc",
	store.DataDisc: "Films as files",
}

// DiscName is what a disc of the order is called where nothing else is said.
func (v *orderView) DiscName() string {
	name := v.Theme.FilmTitle(v.Doc.Details)
	if name == "" || len(name) > pressing.MaxName {
		return v.Order.Client
	}
	return name
}

// discs fills in an order's discs and what can be made.
func (v *orderView) discs(ctx context.Context, s *Server) error {
	list, err := s.House.Pressing.List(ctx, v.Order.ID)
	if err != nil {
		return err
	}
	for _, m := range list {
		v.DiscRows = append(v.DiscRows, rowOfDisc(m))
	}
	v.DiscChoices, v.Standards = discChoices([]float64{v.Plan.Rate.Seconds(v.Plan.Frames)}), standards()
	if v.Siblings, err = s.House.Pressing.Siblings(ctx, v.Order); err != nil {
		return err
	}
	films, err := s.House.Making.Latest(ctx, v.Siblings)
	for _, o := range v.Siblings {
		if id := films[o.ID]; id > 0 {
			v.SiblingFilms = append(v.SiblingFilms, otherFilm{id, o.Event})
		}
	}
	return err
}

// discChoices are the kinds of disc, and how films of so many seconds fit.
func discChoices(seconds []float64) (out []discChoice) {
	for i, c := range pressing.Choices(seconds) {
		blank := strings.TrimPrefix(strings.TrimPrefix(c.Blank.Name, "DVD "), "HD disc ")
		out = append(out, discChoice{string(c.Kind) + "/" + c.Blank.Name, discKinds[c.Kind] + ", " + blank,
			c.Words, c.Fits, i == 0})
	}
	return out
}

func standards() (out []string) {
	for _, p := range pressing.Standards {
		out = append(out, p.Name)
	}
	return out
}

func rowOfDisc(m pressing.Made) discRow {
	row := discRow{
		ID:    m.DeliveryID,
		Title: m.Setting.Name,
		About: m.Describe(),
		Open:  m.Delivery.State != store.DeliveryClosed,
		Made:  m.Image != nil,
	}
	switch {
	case m.Delivery.State == store.DeliveryClosed:
		row.Detail = "taken back"
	case m.Delivery.State == store.DeliveryFailed:
		row.Detail, row.Bad = "! "+m.Error, true
	case m.Image == nil:
		row.Busy, row.Percent = true, m.Percent()
		row.Detail = "its films are being rendered"
		if m.Delivery.State == store.DeliveryRunning {
			row.Detail = "the image is being made"
		}
		if m.Error != "" {
			row.Detail = m.Error
		}
		if m.Budget != "" {
			row.Detail += " · " + m.Budget
		}
	default:
		b, _ := discs.Named(m.Setting.Blank)
		row.Detail = fmt.Sprintf("%.0f MB, %.0f MB to spare", float64(m.Size)/1e6,
			float64(b.Bytes()-m.Size)/1e6)
		if len(m.Guide) > 0 {
			row.Detail += ", every button tried"
		}
		if n := m.Copies(); n > 0 {
			row.Detail += " · " + wording.Counted(n, "copy") + " burned and read back"
		} else if m.Delivery.Proof != "" {
			row.Detail += " · " + m.Delivery.Proof
		}
		for _, b := range m.Burns {
			if b.FinishedAt == nil {
				row.Detail += " · more to be burned"
				break
			}
		}
	}
	return row
}

// discForm is what is asked of a disc.
type discForm struct {
	On        string        `form:"on"` // kind/blank
	Name      string        `form:"name"`
	Standard  string        `form:"standard"`
	Profiles  []string      `form:"size"`
	Menu      bool          `form:"menu"`
	Moves     bool          `form:"moves"`
	Music     string        `form:"music"`
	PlayFirst bool          `form:"play_first"`
	Loop      bool          `form:"loop"`
	Subtitles string        `form:"subtitles"`
	Colour    string        `form:"colour"`
	Every     *field.Amount `form:"every" label:"Chapters"`
	Also      []int64       `form:"also"`
	Anyway    bool          `form:"anyway"`
	Copies    *field.Amount `form:"copies" label:"Copies"`
}

func (f discForm) disc(orderID int64) pressing.New {
	kind, blank, _ := strings.Cut(f.On, "/")
	n := pressing.New{
		Anyway: f.Anyway,
		Orders: append([]int64{orderID}, f.Also...),
		DiscSetting: store.DiscSetting{
			Kind:      store.DiscKind(kind),
			Blank:     blank,
			Name:      f.Name,
			Menu:      f.Menu,
			Moves:     f.Moves,
			Music:     f.Music,
			PlayFirst: f.PlayFirst,
			Loop:      f.Loop,
			Subtitles: f.Subtitles,
			Colour:    f.Colour,
			Profiles:  []string{f.Standard},
		},
	}
	if f.Every != nil {
		n.Every = int(*f.Every)
	}
	if n.Kind == store.DataDisc {
		n.Profiles = f.Profiles
	}
	return n
}

func (s *Server) makeDisc(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[discForm](page.Posted(r))
	if err == nil {
		_, err = s.House.Pressing.Make(r.Context(), page.Number(r, "order"), f.disc(page.Number(r, "order")))
	}
	s.answer(w, r, err, nil)
}

func (s *Server) actOnDisc(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "disc")
	var err error
	switch chi.URLParam(r, "act") {
	case "again":
		err = s.House.Pressing.Again(r.Context(), id)
	case "close":
		err = s.House.Pressing.Close(r.Context(), id)
	case "handed":
		err = s.House.Pressing.HandedOver(r.Context(), id)
	case "burn":
		var n float64
		if n, err = field.Number(r.PostFormValue("copies")); err == nil {
			err = s.House.Pressing.Copies(r.Context(), id, int(n))
		} else {
			err = &invalid.Input{Field: "copies", Problem: "Copies: " + err.Error() + "."}
		}
	}
	s.answer(w, r, err, func(v *orderView) {
		if err == nil && chi.URLParam(r, "act") == "burn" {
			v.Notice = page.Good("To be burned: the Burner page says what to put in.")
		}
	})
}

// stepView is the page on which a finished disc is stepped through.
type stepView struct {
	page.Base
	pressing.Stepped
	Wide       bool
	ButtonLine string
}

func (s *Server) stepPage(w http.ResponseWriter, r *http.Request) {
	st, err := s.House.Pressing.Step(r.Context(), page.Number(r, "disc"))
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Nothing to see yet", wrong.Problem, "/deliveries",
			"To the deliveries")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	b, err := s.Base(r, st.Disc.Setting.Name)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := stepView{Base: b, Stepped: st, Wide: true}
	if p, ok := profile.Named(st.Disc.Setting.Profiles[0]); ok && p.Stored != nil {
		v.Wide = p.Stored.Shown.W*9 == p.Stored.Shown.H*16
	}
	s.Render(w, r, http.StatusOK, "step-through", v)
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
func (s *Server) stepShow(w http.ResponseWriter, r *http.Request) {
	st, err := s.House.Pressing.Step(r.Context(), page.Number(r, "disc"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", making.Type(store.Render{}))
	w.Header().Set("Cache-Control", "no-store")
	n := int(page.Number(r, "n"))
	if strings.Contains(r.URL.Path, "/page/") {
		err = s.House.Pressing.ShowPage(r.Context(), st, n, w)
	} else {
		err = s.House.Pressing.ShowTitle(r.Context(), st, n, int(max(1, page.QueryInt(r, "chapter", 1))),
			r.URL.Query().Get("words") != "", w)
	}
	if errors.Is(err, store.ErrNotFound) {
		s.Fail(w, r, err)
		return
	}
	if err != nil && r.Context().Err() == nil {
		slog.WarnContext(r.Context(), "a disc cannot be shown", "disc", st.Disc.DeliveryID, "error", err)
	}
}

// stepFile is a file of a data disc, from its image. Its page has its style in
// it.
func (s *Server) stepFile(w http.ResponseWriter, r *http.Request) {
	name := chi.URLParam(r, "*")
	err := s.House.Pressing.Serve(r.Context(), page.Number(r, "disc"), name,
		func(e disc.Entry, in io.ReadSeeker) {
			h := w.Header()
			h.Set("Content-Security-Policy",
				"default-src 'none'; style-src 'unsafe-inline'; img-src 'self'; "+
					"media-src 'self'; frame-ancestors 'self'")
			if t := mime.TypeByExtension(filepath.Ext(name)); t != "" {
				h.Set("Content-Type", t)
			}
			http.ServeContent(w, r, e.Name, time.Time{}, in)
		})
	if err != nil {
		s.Fail(w, r, fmt.Errorf("%w: %w", store.ErrNotFound, err))
	}
}

// print answers with a PDF; back is the page it is asked for on.
func (s *Server) print(w http.ResponseWriter, r *http.Request, name, back string,
	write func(io.Writer) error) {
	var b bytes.Buffer
	err := write(&b)
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not printed", wrong.Problem, back, "Back")
		return
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	download(w, "application/pdf", name)
	_, _ = w.Write(b.Bytes()) // whoever asked is gone
}

func (s *Server) discFace(w http.ResponseWriter, r *http.Request) {
	s.print(w, r, "disc face.pdf", "/deliveries", func(b io.Writer) error {
		return s.House.Pressing.Faces(r.Context(), []int64{page.Number(r, "disc")}, b)
	})
}

func (s *Server) discSleeve(w http.ResponseWriter, r *http.Request) {
	s.print(w, r, "sleeve.pdf", "/deliveries", func(b io.Writer) error {
		return s.House.Pressing.Sleeve(r.Context(), page.Number(r, "disc"), b)
	})
}

func (s *Server) discImage(w http.ResponseWriter, r *http.Request) {
	x, _, err := s.House.Pressing.Find(r.Context(), page.Number(r, "disc"))
	if err == nil && x.Image == nil {
		err = store.ErrNotFound
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.ServeBlob(w, r, *x.Image, "application/x-iso9660-image", x.Setting.Name+".iso")
}

// burnerView is the page of what is burned.
type burnerView struct {
	page.Base
	Open, Over []pressing.Queued
	Tray       *standin.Tray // the stand-in's
	Blanks     []string
	Fails      []choice
}

func (s *Server) burnerPage(w http.ResponseWriter, r *http.Request) {
	b, err := s.Base(r, "Burner")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := burnerView{Base: b}
	if v.Open, v.Over, err = s.House.Pressing.Burns(r.Context()); err != nil {
		s.Fail(w, r, err)
		return
	}
	if s.StandIns {
		t, err := (&standin.Drive{Store: s.House.Store}).Told(r.Context())
		if err != nil {
			s.Fail(w, r, err)
			return
		}
		v.Tray, v.Blanks = &t, []string{discs.DVD5.Name, discs.DVD9.Name, discs.BD25.Name}
		v.Fails = []choice{{string(standin.Works), "nothing: it works"}, {string(standin.BadSector),
			"a bad sector"}, {string(standin.Dies), "burning stops half-way"}}
	}
	s.Render(w, r, http.StatusOK, "burner", v)
}

func (s *Server) actOnBurn(w http.ResponseWriter, r *http.Request) {
	var err error
	if chi.URLParam(r, "act") == "again" {
		err = s.House.Pressing.BurnAgain(r.Context(), page.Number(r, "burn"))
	} else {
		err = s.House.Pressing.CancelBurn(r.Context(), page.Number(r, "burn"))
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/burner", http.StatusSeeOther)
}

// tellDrive puts something into the stand-in's drawer, or tells it how to fail.
func (s *Server) tellDrive(w http.ResponseWriter, r *http.Request) {
	d := &standin.Drive{Store: s.House.Store}
	err := d.Set(r.Context(), func(t *standin.Tray) {
		switch r.PostFormValue("do") {
		case "put":
			if b, ok := discs.Named(r.PostFormValue("blank")); ok {
				t.PutIn(b)
			}
		case "take":
			t.Blank, t.Bytes, t.Burned = "", 0, false
		case "open":
			t.Open = !t.Open
		case "fail":
			t.Fails = standin.Failure(r.PostFormValue("fails"))
		}
	})
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/burner", http.StatusSeeOther)
}

package orderpage

import (
	"cmp"
	"fmt"
	"html/template"
	"io"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/skip2/go-qrcode"

	"nelko/internal/core/doc"
	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// way is a way of encoding that can be chosen.
type way struct {
	Name, About, Frame string
	Usual              bool
}

// atHand is how many ways of encoding are shown at once, the usual one first.
const atHand = 6

// ways are those that can be chosen, the ones used last at hand.
func (v *orderView) ways(all []store.Profile) {
	used := slices.Clone(all[1:])
	slices.SortStableFunc(used, func(a, b store.Profile) int {
		if a.UsedAt == nil || b.UsedAt == nil {
			return cmp.Compare(boolean(a.UsedAt == nil), boolean(b.UsedAt == nil))
		}
		return b.UsedAt.Compare(*a.UsedAt)
	})
	for i, p := range append(all[:1:1], used...) {
		w := way{Name: p.Name, About: p.Setting.About, Usual: i == 0}
		if p.Setting.Kind != profile.OfSound {
			x, y, _ := p.Setting.Kept(v.Doc.Frame.W, v.Doc.Frame.H)
			w.Frame = fmt.Sprintf("%d × %d", x, y)
		}
		if i < atHand {
			v.AtHand = append(v.AtHand, w)
		} else {
			v.Others = append(v.Others, w)
		}
	}
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}

// Ways are the ways an order can be wanted by.
func (*orderView) Ways() any { return orders.Ways }

type linkRow struct {
	ID            int64
	Title, Detail string
	Open          bool
}

// delivering fills in renders and links.
func (v *orderView) delivering(s *shared) {
	captioned := slices.ContainsFunc(v.Doc.Slides, func(sl doc.Slide) bool { return sl.Caption != "" })
	for i, rd := range v.Renders {
		row := parts.RowOfRender(rd, v.Slideshow.Head, s.Orders.Now())
		if captioned && rd.Setting != nil && rd.Setting.Captions == profile.Beside {
			row.Beside = []string{"srt", "vtt"}
		}
		v.RenderRows = append(v.RenderRows, row)
		if v.Film == nil && rd.State == store.RenderDone && rd.Main {
			v.Film = &v.Renders[i]
		}
	}
	v.proofRows(s.Orders.Now())
	v.LinkTitle = v.Order.Event
	if n := v.Theme.FilmTitle(v.Doc.Details); n != "" {
		v.LinkTitle = n + " · " + v.Order.Event
	}
	for _, l := range v.Links {
		row := linkRow{ID: l.Link.ID, Title: l.Delivery.Title, Open: l.Open(s.Orders.Now())}
		until := "open until " + l.ExpiresAt.Format("2 Jan 2006")
		if l.ClosedAt != nil {
			until = "closed " + l.ClosedAt.Format("2 Jan 2006")
		} else if !row.Open {
			until = "expired " + l.ExpiresAt.Format("2 Jan 2006")
		}
		said := []string{parts.MailState(l.Link), parts.Views(l.Link), until}
		if l.Downloads > 0 {
			said = append(said, wording.Counted(int(l.Downloads), "download"))
		}
		if l.PasswordHash != "" {
			said = append(said, "with a password")
		}
		if l.Proof {
			row.Title += " (proof)"
		}
		row.Detail = strings.Join(said, " · ")
		v.LinkRows = append(v.LinkRows, row)
	}
}

func (h *handing) startRender(w http.ResponseWriter, r *http.Request) {
	f, err := field.Decode[struct {
		Profiles []string      `form:"profile"`
		Shapes   []string      `form:"shape"`
		Teaser   *field.Amount `form:"teaser" label:"Beginning of the teaser"`
		Anyway   bool          `form:"anyway"`
	}](page.Posted(r))
	if err == nil {
		n := making.Wanted{Profiles: f.Profiles, Anyway: f.Anyway}
		for _, x := range f.Shapes {
			shape, _ := doc.ParseFrame(x) // what is none is the first
			n.Shapes = append(n.Shapes, shape)
		}
		if f.Teaser != nil {
			from := float64(*f.Teaser)
			n.Teaser = &from
		}
		_, err = h.Making.Renders.BeginAll(r.Context(), page.Number(r, "order"), n)
	}
	h.answer(w, r, err, nil)
}

// captions are the captions of a finished film, as a file.
func (h *handing) captions(w http.ResponseWriter, r *http.Request) {
	ending := chi.URLParam(r, "ending")
	b, name, err := h.Making.Captions(r.Context(), page.Number(r, "render"), "."+ending)
	if err != nil {
		h.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment",
		map[string]string{"filename": name + "." + ending}))
	_, _ = w.Write(b) // whoever asked is gone
}

func (h *handing) cancelRender(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Making.Renders.Cancel(r.Context(), page.Number(r, "order"), page.Number(r, "render")),
		nil)
}

func (h *handing) renderAnew(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Making.Renders.Anew(r.Context(), page.Number(r, "order"), page.Number(r, "render")), nil)
}

func (h *handing) renderAgain(w http.ResponseWriter, r *http.Request) {
	_, err := h.Making.Renders.Again(r.Context(), page.Number(r, "order"), page.Number(r, "render"))
	h.answer(w, r, err, nil)
}

func (h *handing) putFile(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Delivery.Files.PutFile(r.Context(), page.Number(r, "order"), page.Number(r, "render")),
		nil)
}

// settleFile says what becomes of a film whose name an older file has.
func (h *handing) settleFile(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Delivery.Files.Settle(r.Context(), page.Number(r, "order"), page.Number(r, "delivery"),
		r.PostFormValue("over") != ""), nil)
}

// fileRow is a film as a file on the order's page.
type fileRow struct {
	ID            int64
	Name, Detail  string
	Older, Failed bool
}

func fileRows(list []delivery.File) (out []fileRow) {
	for _, f := range list {
		row := fileRow{
			ID:     f.DeliveryID,
			Name:   f.Name,
			Older:  f.Older != "",
			Failed: f.State == store.DeliveryFailed,
		}
		switch {
		case row.Older:
			row.Detail = "! there is an older file of this name: " + f.Older
		case row.Failed:
			row.Detail = "! " + f.Error
		case f.PlacedAt != nil:
			row.Detail = f.Proof
		default:
			row.Detail = "on its way"
		}
		out = append(out, row)
	}
	return out
}

func (h *handing) makeLink(w http.ResponseWriter, r *http.Request) {
	days, err := strconv.Atoi(strings.TrimSpace(r.PostFormValue("days")))
	if err != nil {
		days = -1
	}
	devices, err := strconv.Atoi(cmp.Or(strings.TrimSpace(r.PostFormValue("devices")), "0"))
	if err != nil {
		devices = -1
	}
	poster := ""
	if at := strings.TrimSpace(r.PostFormValue("poster")); at != "" {
		seconds, err := strconv.ParseFloat(strings.Replace(at, ",", ".", 1), 64)
		if err == nil {
			poster, err = h.Looking.Poster(r.Context(), page.Number(r, "order"), seconds)
		}
		if err != nil {
			h.answer(w, r, &invalid.Input{
				Field:   "poster",
				Problem: fmt.Sprintf("The poster cannot be taken from %q: give seconds into the film.", at),
			}, nil)
			return
		}
	}
	if r.PostFormValue("sizes") != "" {
		if _, err := h.Making.Renders.BeginAll(r.Context(), page.Number(r, "order"), making.Wanted{
			Profiles: making.StreamSizes,
			Anyway:   true,
			Missing:  true,
		}); err != nil {
			h.answer(w, r, err, nil)
			return
		}
	}
	var also []int64
	for _, v := range r.PostForm["also"] {
		id, _ := strconv.ParseInt(v, 10, 64) // what is no number is no film
		also = append(also, id)
	}
	_, token, err := h.Delivery.Links.MakeLink(r.Context(), page.Number(r, "order"), delivery.NewLink{
		Title:        r.PostFormValue("title"),
		Days:         days,
		Downloadable: r.PostFormValue("downloadable") != "",
		Mail:         r.PostFormValue("mail") != "",
		Note:         r.PostFormValue("note"),
		Password:     r.PostFormValue("password"),
		Also:         also,
		Devices:      devices,
		Embed:        r.PostFormValue("embed") != "",
		Poster:       poster,
	})
	h.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.NewAddress = strings.TrimRight(h.BaseURL, "/") + "/watch/" + token
		}
	})
}

// Code is the new link's address as a code to be read by a phone: a drawing of
// dark modules on white.
func (v *orderView) Code() template.HTML {
	c, err := qrcode.New(v.NewAddress, qrcode.Medium)
	if err != nil {
		return ""
	}
	all := c.Bitmap()
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="code" viewBox="0 0 %d %[1]d" role="img" aria-label="The address as a code"><path d="`,
		len(all))
	for y, row := range all {
		for x, dark := range row {
			if dark {
				fmt.Fprintf(&b, "M%d %dh1v1h-1z", x, y)
			}
		}
	}
	b.WriteString(`"/></svg>`)
	return template.HTML(b.String()) // made above of numbers and fixed text
}

// card is a card with a link's address to hand out.
func (h *handing) card(w http.ResponseWriter, r *http.Request) {
	h.SendPDF(w, r, "card.pdf", parts.LeafPath(page.Number(r, "order"), parts.DeliveriesLeaf),
		func(b io.Writer) error {
			return h.Delivery.Cards.Card(r.Context(), page.Number(r, "order"), r.PostFormValue("address"), b)
		})
}

// otherFilm is a finished film that can be on a link's page beside the order's.
type otherFilm struct {
	ID   int64
	Name string
}

// MoreFilms are finished films of the order as it is now, other than its main
// one, that browsers play.
func (v *orderView) MoreFilms() (out []otherFilm) {
	seen := map[string]bool{}
	for _, r := range v.Renders {
		plays := r.Setting != nil && r.Setting.Plays() && r.Profile != profile.Proof.Name &&
			!slices.Contains(making.StreamSizes, r.Profile)
		if r.State == store.RenderDone && !r.Main && plays && r.Revision == v.Slideshow.Head &&
			!seen[r.Profile+r.Shape] {
			seen[r.Profile+r.Shape] = true
			out = append(out, otherFilm{r.ID, strings.TrimSpace(r.Profile + " " + parts.ShapeName(r.Shape))})
		}
	}
	return append(out, v.SiblingFilms...)
}

func (h *handing) closeLink(w http.ResponseWriter, r *http.Request) {
	h.answer(w, r, h.Delivery.Links.Close(r.Context(), page.Number(r, "order"), page.Number(r, "link")), nil)
}

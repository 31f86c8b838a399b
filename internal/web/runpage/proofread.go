package runpage

import (
	"bytes"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/list"
	"nelko/internal/core/timecode"
	"nelko/internal/orders"
	"nelko/internal/runs"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// proofView is a moment of each row, to be looked at side by side.
type proofView struct {
	page.Base
	*runs.Sheet
	Leaves     []parts.LeafLink
	Of         string
	Slide      int
	Rows       []proofRow
	NamesLabel string
}

type proofRow struct {
	ID        int64
	Key, Name string
	Names     string
	Need      string
	Moments   []string // addresses of pictures
	Empty     bool
}

// strip are the moments of a strip, as shares of the film.
var strip = []string{"0.12", "0.38", "0.63", "0.9"}

// momentsOf are the moments a sheet of proofs shows of each row.
func momentsOf(r *http.Request) (of string, slide int, moments []string) {
	of, slide = r.URL.Query().Get("of"), int(page.QueryInt(r, "slide", 2))
	switch of {
	case "closing":
		return of, slide, []string{"closing"}
	case "slide":
		return of, slide, []string{fmt.Sprint("slide-", slide)}
	case "strip":
		return of, slide, strip
	}
	return "opening", slide, []string{"opening"}
}

func (p *wall) proofreadPage(w http.ResponseWriter, r *http.Request) {
	sh := p.sheetOf(w, r)
	if sh == nil {
		return
	}
	b, err := p.Base(r, "Names to proofread · "+sh.Name)
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	v := proofView{
		Base:       b,
		Sheet:      sh,
		Leaves:     leavesOf(sh, "proofread"),
		NamesLabel: runs.Called(list.DetailRole("names"), sh.Pattern),
	}
	var moments []string
	v.Of, v.Slide, moments = momentsOf(r)
	st, err := p.Shelf.Studio(r.Context())
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	standing := p.Looking.Standing(st)
	for _, row := range sh.Rows {
		x := proofRow{
			ID:    row.ID,
			Key:   row.RunKey,
			Name:  row.Client,
			Names: row.Details["names"],
			Need:  row.Needs[list.DetailRole("names")],
			Empty: row.PictureSeconds == 0,
		}
		for _, m := range moments {
			x.Moments = append(x.Moments, fmt.Sprintf("/orders/%d/moment?at=%s&revision=%d&w=640&s=%s",
				row.ID, m, row.Head, standing))
		}
		v.Rows = append(v.Rows, x)
	}
	p.Render(w, r, http.StatusOK, "proofread", v)
}

// orderMoment is a moment of a film by what it is, not by its frame: opening,
// closing, slide-N or a share of its length.
func (p *wall) orderMoment(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	b, err := p.moment(r, id, int(page.QueryInt(r, "revision", 0)), r.URL.Query().Get("at"),
		int(min(1280, max(160, page.QueryInt(r, "w", 640)))))
	if err != nil {
		p.Fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	// the address names the revision, and what stands behind it
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b))
}

func (p *wall) moment(r *http.Request, id int64, revision int, at string, width int) ([]byte, error) {
	d, err := p.Orders.LoadAt(r.Context(), id, revision)
	if err != nil {
		return nil, err
	}
	return p.Looking.Frame(r.Context(), orders.Seen{Order: id}, revision, frameAt(d, at), width)
}

// frameAt is the frame of a moment.
func frameAt(d *orders.Dossier, at string) timecode.Frames {
	if len(d.Plan.Slides) == 0 {
		return 0
	}
	i := 0
	if n, err := strconv.Atoi(strings.TrimPrefix(at, "slide-")); err == nil &&
		strings.HasPrefix(at, "slide-") {
		i = min(max(0, n-1), len(d.Plan.Slides)-1)
	} else if share, err := strconv.ParseFloat(at, 64); err == nil && share >= 0 && share <= 1 {
		return timecode.Frames(share * float64(d.Plan.Frames-1))
	} else if at == string(doc.Closing) {
		i = len(d.Plan.Slides) - 1
	}
	sl := d.Plan.Slides[i]
	if at == string(doc.Closing) {
		return sl.Start + sl.Length*2/3
	}
	return sl.Start + (sl.Length-sl.Overlap)*2/3
}

// proofreadPDF is the sheet of proofs on paper, for someone else's eyes.
func (p *wall) proofreadPDF(w http.ResponseWriter, r *http.Request) {
	sh := p.sheetOf(w, r)
	if sh == nil {
		return
	}
	of, slide, moments := momentsOf(r)
	var shown []runs.Shown
	for _, row := range sh.Rows {
		if row.PictureSeconds == 0 {
			continue
		}
		for i, m := range moments {
			b, err := p.moment(r, row.ID, row.Head, m, 640)
			if err != nil {
				p.Fail(w, r, err)
				return
			}
			x := runs.Shown{JPEG: b}
			if i == 0 {
				x.Row = &row
			}
			shown = append(shown, x)
		}
	}
	across := 3
	if of == "strip" {
		across = len(strip)
	}
	title := map[string]string{
		"opening": "openings",
		"closing": "closings",
		"slide":   fmt.Sprintf("slide %d", slide),
		"strip":   "four moments each",
	}[of]
	var b bytes.Buffer
	if err := sh.Print(&b, title, across, shown, p.Orders.Now()); err != nil {
		p.Message(w, r, http.StatusUnprocessableEntity, "Not printed",
			"There is nothing to proofread yet: no row has pictures.", fmt.Sprintf("/runs/%d", sh.ID),
			"Back to the sheet")
		return
	}
	page.Download(w, "application/pdf", sh.Name+" - "+title+".pdf")
	_, _ = w.Write(b.Bytes())
}

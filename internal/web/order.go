package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// orderView is an order's page and, with OOB set, its parts for replacement.
type orderView struct {
	base
	*orders.Dossier
	Due           string
	Rows          rowsView
	Desk          deskView
	Whole         filmView
	NextStep      orders.Step
	Doubts        []plan.Check
	Fitted        bool
	MaterialCount string
	RefusedMedia  []store.Media
	LeftOut       []leftOutView
	Songs         []songView
	MusicClock    string
	Rendering     bool
	RenderRows    []renderRow
	Film          *store.Render // newest finished
	LinkTitle     string
	LinkRows      []linkRow
	NewAddress    string
	Seen          string
	Changed       map[string]bool
	OOB, WorkOOB  bool // parts go to their own places in the page
	LiveOOB       bool
}

type leftOutView struct {
	ID    int64
	DocID doc.MediaID
	Name  string
	Thumb bool
}

type songView struct {
	ID                     int64
	Name, Length, Loudness string
	Earlier, Without       string // soundtracks to choose, comma separated
	Others                 []doc.MediaID
}

type renderRow struct {
	ID           int64
	State        store.RenderState
	Text, Detail string
	Live, Film   bool
	Ending       string // of its file
	Percent      int
}

type linkRow struct {
	ID            int64
	Title, Detail string
	Open          bool
}

func (s *Server) orderView(ctx context.Context, wk *orders.Dossier) (*orderView, error) {
	v := &orderView{Dossier: wk, Due: day(wk.Order.Due), NextStep: wk.Next(), Whole: film(wk), Changed: map[string]bool{}}
	waves, err := s.House.Intake.Waveforms(ctx, wk.Doc.Soundtrack.Songs())
	if err != nil {
		return nil, err
	}
	if len(wk.Plan.Slides) > 0 {
		v.Rows = drawRows(wk, waves)
		own, err := s.House.Shelf.TransitionNames(ctx)
		if err != nil {
			return nil, err
		}
		v.Desk = s.desk(wk, nil, openingLook(wk), own)
	}
	found, err := s.House.Looking.Findings(wk)
	if err != nil {
		return nil, err
	}
	for _, c := range append(slices.Clone(wk.Checks), found...) {
		if c.Weight == plan.Doubt && c.Text != v.NextStep.Text {
			v.Doubts = append(v.Doubts, c)
		}
	}
	v.Fitted = wk.Doc.Fit.Mode == doc.ToMusic && wk.Plan.FitError == nil
	v.material(s.uploads.beingStored(wk.Order.ID))
	v.songs()
	for i, rd := range wk.Renders {
		v.RenderRows = append(v.RenderRows, s.renderRow(rd, wk.Slideshow.Head))
		v.Rendering = v.Rendering || (!rd.State.Over() && rd.Revision == wk.Slideshow.Head)
		if v.Film == nil && rd.State == store.RenderDone {
			v.Film = &wk.Renders[i]
		}
	}
	v.LinkTitle = wk.Order.Event
	if n := wk.Theme.FilmTitle(wk.Doc.Details); n != "" {
		v.LinkTitle = n + " · " + wk.Order.Event
	}
	for _, l := range wk.Links {
		row := linkRow{ID: l.Link.ID, Title: l.Delivery.Title, Open: l.Open(s.House.Orders.Now())}
		until := "open until " + l.ExpiresAt.Format("2 Jan 2006")
		if l.ClosedAt != nil {
			until = "closed " + l.ClosedAt.Format("2 Jan 2006")
		} else if !row.Open {
			until = "expired " + l.ExpiresAt.Format("2 Jan 2006")
		}
		row.Detail = strings.Join([]string{mailState(l.Link), views(l.Link), until}, " · ")
		v.LinkRows = append(v.LinkRows, row)
	}
	v.Seen = v.seen()
	return v, nil
}

// stepPath is where the next step of an order is done.
func stepPath(orderID int64, place string) string {
	return fmt.Sprintf("/orders/%d#%s", orderID, place)
}

// openingLook is the moment shown before anything is selected.
func openingLook(w *orders.Dossier) timecode.Frames {
	first := w.Plan.Slides[0]
	return first.Start + (first.Length-first.Overlap)*2/3
}

func (v *orderView) material(storing int) {
	counts := map[doc.MediaKind]int{}
	waiting := 0
	used := v.Doc.Uses()
	for _, m := range v.Media {
		switch m.State {
		case store.Refused:
			v.RefusedMedia = append(v.RefusedMedia, m)
		case store.Waiting:
			waiting++
		default:
			counts[m.Kind]++
			inFilm := used[m.DocID()] || v.Doc.Soundtrack.Plays(m.DocID())
			if !inFilm {
				v.LeftOut = append(v.LeftOut, leftOutView{m.ID, m.DocID(), m.Name, m.Thumbnail != nil})
			}
		}
	}
	parts := []string{}
	for _, k := range []doc.MediaKind{doc.PhotoMedia, doc.ClipMedia, doc.SongMedia} {
		if counts[k] > 0 {
			parts = append(parts, counted(counts[k], string(k)))
		}
	}
	if waiting > 0 {
		parts = append(parts, counted(waiting, "file")+" being read")
	}
	if storing > 0 {
		parts = append(parts, counted(storing, "file")+" being stored")
	}
	if len(parts) == 0 {
		parts = []string{"nothing yet"}
	}
	v.MaterialCount = strings.Join(parts, ", ")
}

func counted(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

func (v *orderView) songs() {
	v.MusicClock = timecode.Clock(float64(v.Plan.Music) / timecode.SampleRate)
	list := v.Doc.Soundtrack.Songs()
	join := func(ids []doc.MediaID) string {
		out := make([]string, len(ids))
		for i, id := range ids {
			out[i] = string(id)
		}
		return strings.Join(out, ",")
	}
	for i, id := range list {
		m := v.Library[id]
		row, ok := v.Row(id)
		if !ok {
			continue
		}
		sv := songView{ID: row.ID, Name: m.Name, Length: timecode.Clock(float64(m.Length) / timecode.SampleRate),
			Loudness: fmt.Sprintf("%.1f LUFS, peak %.1f dBTP", m.LUFS, m.PeakDB)}
		sv.Without = join(slices.Delete(slices.Clone(list), i, i+1))
		if i > 0 {
			earlier := slices.Clone(list)
			earlier[i-1], earlier[i] = earlier[i], earlier[i-1]
			sv.Earlier = join(earlier)
		}
		v.Songs = append(v.Songs, sv)
	}
}

// seen sums up what each part of the page shows, so that only parts that
// changed are sent again.
func (v *orderView) seen() string {
	sum := func(x ...any) string {
		h := sha256.Sum256(fmt.Append(nil, x...))
		return hex.EncodeToString(h[:5])
	}
	var states []string
	for _, m := range v.Media {
		states = append(states, fmt.Sprint(m.ID, m.State))
	}
	return strings.Join([]string{
		sum(v.Slideshow.Head, v.NextStep, v.CanRedo), sum(states, v.Doc.LeftOut, v.MaterialCount), sum(v.RenderRows),
		sum(v.LinkRows, v.Film != nil),
	}, ".")
}

var seenParts = []string{"work", "material", "renders", "deliveries"}

func (s *Server) renderRow(rd store.Render, head int) renderRow {
	row := renderRow{ID: rd.ID, State: rd.State, Live: !rd.State.Over(), Film: rd.State == store.RenderDone, Ending: making.Extension(rd)}
	if rd.FramesTotal > 0 {
		row.Percent = int(100 * rd.FramesDone / rd.FramesTotal)
	}
	switch rd.State {
	case store.RenderWaiting:
		row.Text, row.Detail = "Waits for a worker", ""
	case store.RenderRunning:
		row.Text = "Rendering"
		row.Detail = fmt.Sprintf("%d of %d frames", rd.FramesDone, rd.FramesTotal)
		if left, ok := making.TimeLeft(rd, s.House.Orders.Now()); ok {
			row.Detail += ", " + minutes(left.Seconds()) + " left"
		}
		if rd.Attempt > 1 {
			row.Detail += fmt.Sprintf(" (begun %d times)", rd.Attempt)
		}
	case store.RenderDone:
		row.Text = fmt.Sprintf("%s, %s", rd.Profile, timecode.Clock(rd.Seconds))
		row.Detail = fmt.Sprintf("%.1f MB, verified, %s", float64(rd.Size)/1e6, rd.FinishedAt.Format("2 Jan 15:04"))
		if head > 0 && rd.Revision != head {
			row.Detail += " · changed since"
		}
	case store.RenderFailed:
		row.Text, row.Detail = "Failed", rd.Error
	case store.RenderCancelled:
		row.Text = "Cancelled"
	}
	return row
}

// minutes writes seconds as m:ss.
func minutes(seconds float64) string {
	return strings.TrimSuffix(timecode.Clock(math.Round(seconds)), ".0")
}

func mailState(l store.Link) string {
	switch {
	case l.MailedAt != nil:
		return "mailed to " + l.MailedTo + " " + l.MailedAt.Format("2 Jan 15:04")
	case l.MailError != "":
		return "mail to " + l.MailedTo + " failed: " + l.MailError
	case l.MailedTo != "":
		return "mail to " + l.MailedTo + " waits"
	}
	return "address handed over"
}

func views(l store.Link) string {
	switch {
	case l.Views == 0:
		return "not watched yet"
	case l.Views == 1:
		return "watched once"
	}
	return fmt.Sprintf("watched %d times", l.Views)
}

func (s *Server) load(w http.ResponseWriter, r *http.Request) (*orderView, bool) {
	wk, err := s.House.Orders.Load(r.Context(), number(r, "order"))
	if err != nil {
		s.fail(w, r, err)
		return nil, false
	}
	v, err := s.orderView(r.Context(), wk)
	if err != nil {
		s.fail(w, r, err)
		return nil, false
	}
	return v, true
}

func (s *Server) orderPage(w http.ResponseWriter, r *http.Request) {
	v, ok := s.load(w, r)
	if !ok {
		return
	}
	var err error
	if v.base, err = s.base(r, v.Order.Client); err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "order", v)
}

// orderLive answers with the parts of the page that changed since it was
// drawn.
func (s *Server) orderLive(w http.ResponseWriter, r *http.Request) {
	v, ok := s.load(w, r)
	if !ok {
		return
	}
	before, now := strings.Split(r.URL.Query().Get("seen"), "."), strings.Split(v.Seen, ".")
	same := true
	for i, part := range seenParts {
		v.Changed[part] = i >= len(before) || before[i] != now[i]
		same = same && !v.Changed[part]
	}
	if same {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	v.OOB, v.WorkOOB = true, true
	s.render(w, r, http.StatusOK, "livepart", v)
}

// onlyOne is the value all agree on, or nothing.
func onlyOne(set map[string]bool) string {
	if len(set) == 1 {
		for k := range set {
			return k
		}
	}
	return ""
}

func (s *Server) orderDesk(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.Load(r.Context(), number(r, "order"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var ids []doc.SlideID
	for _, id := range r.URL.Query()["slide"] {
		ids = append(ids, doc.SlideID(id))
	}
	if wk.Plan.Frames > 0 {
		s.House.Looking.WarmUp(wk, timecode.Frames(queryInt(r, "frame", 0)))
	}
	own, err := s.House.Shelf.TransitionNames(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.render(w, r, http.StatusOK, "desk", s.desk(wk, ids, timecode.Frames(queryInt(r, "frame", 0)), own))
}

// orderFrame shows a frame. The address names the revision, so the picture
// never changes; an unknown one is not found.
func (s *Server) orderFrame(w http.ResponseWriter, r *http.Request) {
	width := max(64, min(queryInt(r, "w", 640), 1920))
	revision := queryInt(r, "r", -1)
	jpg, err := s.House.Looking.Frame(r.Context(), number(r, "order"), int(revision), timecode.Frames(queryInt(r, "n", 0)), int(width))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Cache-Control", "private, max-age=3600")
	_, _ = w.Write(jpg) // the browser may have gone
}

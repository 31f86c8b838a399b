package orderpage

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// draw draws the parts of a leaf.
func (s *shared) draw(v *orderView) error {
	for _, name := range partsOf(v.Leaf) {
		p, err := s.DrawPart(name, name, v)
		if err != nil {
			return err
		}
		if name == "work" {
			// The sum tells of all rows, whichever of them are sent.
			rows := v.Rows.Drawn()
			sums := [][]byte{[]byte(p.HTML)}
			for _, r := range rows {
				sums = append(sums, []byte(r.Sum))
			}
			p.Sum = page.Sum(sums...)
			p.HTML = v.Rows.Into(p.HTML, rows, v.known)
		}
		v.drawn = append(v.drawn, p)
	}
	v.Seen = page.Sums(v.drawn)
	return nil
}

// Part is a part of the leaf as it was drawn, for the page around it.
func (v *orderView) Part(name string) template.HTML {
	for _, p := range v.drawn {
		if p.Name == name {
			return template.HTML(p.HTML) // written by the part's own template
		}
	}
	return ""
}

// orderLive answers with the parts of the leaf that changed since they were
// drawn.
func (l *leaves) orderLive(w http.ResponseWriter, r *http.Request) {
	wk, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	v, err := l.orderView(r.Context(), wk, shownBy(r))
	if err == nil {
		err = l.draw(v)
	}
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	before := strings.Split(r.URL.Query().Get("seen"), ".")
	var b bytes.Buffer
	if seen := page.QueryInt(r, "base", 0); seen > 0 && int64(wk.Slideshow.Head) > seen &&
		wk.Revision.AuthorID == nil {
		// What the program did meanwhile is told.
		v.Notice = page.Good(wk.Revision.Title + ".")
		if err := l.Execute(&b, "told", v.Notice); err != nil {
			l.Fail(w, r, err)
			return
		}
	}
	for i, p := range v.drawn {
		if i >= len(before) || before[i] != p.Sum {
			b.WriteString(p.HTML)
		}
	}
	if b.Len() == 0 {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	page.SendParts(w, http.StatusOK, v.Seen, b.Bytes())
}

// answer answers an act with the leaf as it stands and, where the act was not
// done, why. change may fill in more.
func (s *shared) answer(w http.ResponseWriter, r *http.Request, err error, change func(*orderView)) {
	s.answerWith(w, r, nil, err, change)
}

// answerWith is answer where the order as it stands then is known.
func (s *shared) answerWith(w http.ResponseWriter, r *http.Request, wk *orders.Dossier, err error,
	change func(*orderView)) {
	status, note := http.StatusOK, &page.Notice{}
	var input *invalid.Input
	var conflict *orders.Conflict
	switch {
	case err == nil:
	case errors.As(err, &conflict):
		status, note = http.StatusConflict, page.Bad(conflict.Error())
	case errors.As(err, &input):
		status, note = http.StatusUnprocessableEntity, page.Bad(input.Problem)
	case errors.Is(err, edit.ErrGone), errors.Is(err, edit.ErrInvalid):
		status, note = http.StatusUnprocessableEntity, page.Bad("Not changed: "+err.Error()+".")
	default:
		s.Fail(w, r, err)
		return
	}
	if wk == nil || err != nil {
		if wk, err = s.Orders.See(r.Context(), seen(r)); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	v, err := s.orderView(r.Context(), wk, shownBy(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if change != nil {
		change(v)
	}
	var b bytes.Buffer
	if err = s.draw(v); err == nil {
		for _, p := range v.drawn {
			b.WriteString(p.HTML)
		}
		if v.Notice == nil {
			v.Notice = note
		}
		err = s.Execute(&b, "said", v)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	page.SendParts(w, status, v.Seen, b.Bytes())
}

// orderMargin shows what can be changed for what is chosen, and the film at
// that moment.
func (l *leaves) orderMargin(w http.ResponseWriter, r *http.Request) {
	wk, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	f, err := field.Decode[chosen](r.URL.Query())
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	if len(f.Slides) > 0 {
		// Others see it; it may fail.
		_ = l.Orders.Presence.LooksAt(r.Context(), wk.Order.ID, page.User(r).ID, f.Slides[0])
	}
	frame := timecode.Frames(page.QueryInt(r, "frame", 0))
	if wk.Plan.Frames > 0 {
		l.Looking.Player.WarmUp(wk, frame)
	}
	own, err := l.Shelf.Transitions.TransitionNames(r.Context())
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	l.Render(w, r, http.StatusOK, "margin", &orderView{
		Dossier: wk,
		Leaf:    parts.RunningLeaf,
		Desk:    l.desk(wk, f.Slides, frame, own, r.URL.Query().Get("panel")),
	})
}

// othersInWords says who else is at an order, and at which slide.
func othersInWords(wk *orders.Dossier, list []orders.Other) string {
	var parts []string
	for _, o := range list {
		text := o.Name
		if i := wk.Doc.Index(o.Slide); o.Slide != "" && i >= 0 {
			text += fmt.Sprintf(" at slide %d", i+1)
		}
		parts = append(parts, text)
	}
	if len(parts) == 0 {
		return ""
	}
	return "also here: " + strings.Join(parts, ", ")
}

// orderFrame shows a frame. The address names the revision and what stands behind it, so the
// picture may be kept for an hour; an unknown revision is not found.
func (l *leaves) orderFrame(w http.ResponseWriter, r *http.Request) {
	width := max(64, min(page.QueryInt(r, "w", 640), 1920))
	revision := page.QueryInt(r, "r", -1)
	jpg, err := l.Looking.Frame(r.Context(), seen(r), int(revision),
		timecode.Frames(page.QueryInt(r, "n", 0)), int(width))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "private, max-age=3600")
}

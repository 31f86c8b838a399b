package web

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
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
)

// drawnPart is a part of a leaf, drawn, and a sum by which it is known again.
type drawnPart struct {
	name, html, sum string
}

// drawPart draws a template as a part of a page, by the name of its place.
func (s *Server) drawPart(template, place string, data any) (drawnPart, error) {
	var b bytes.Buffer
	if err := s.Execute(&b, template, data); err != nil {
		return drawnPart{}, fmt.Errorf("drawing %s: %w", place, err)
	}
	h := sha256.Sum256(b.Bytes())
	return drawnPart{place, b.String(), hex.EncodeToString(h[:5])}, nil
}

// sums are the sums of parts, by which a page tells what it has drawn.
func sums(parts []drawnPart) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = p.sum
	}
	return strings.Join(out, ".")
}

// draw draws the parts of a leaf.
func (s *Server) draw(v *orderView) error {
	for _, name := range v.Leaf.parts() {
		p, err := s.drawPart(name, name, v)
		if err != nil {
			return err
		}
		if name == "work" {
			// The sum tells of all rows, whichever of them are sent.
			rows := v.Rows.Drawn()
			h := sha256.New()
			_, _ = h.Write([]byte(p.html)) // never fails
			for _, r := range rows {
				_, _ = h.Write([]byte(r.Sum))
			}
			p.sum = hex.EncodeToString(h.Sum(nil)[:5])
			p.html = v.Rows.Into(p.html, rows, v.known)
		}
		v.drawn = append(v.drawn, p)
	}
	v.Seen = sums(v.drawn)
	return nil
}

// Part is a part of the leaf as it was drawn, for the page around it.
func (v *orderView) Part(name string) template.HTML {
	for _, p := range v.drawn {
		if p.name == name {
			return template.HTML(p.html) // written by the part's own template
		}
	}
	return ""
}

// orderLive answers with the parts of the leaf that changed since they were
// drawn.
func (s *Server) orderLive(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v, err := s.orderView(r.Context(), wk, shownBy(r))
	if err == nil {
		err = s.draw(v)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	before := strings.Split(r.URL.Query().Get("seen"), ".")
	var b bytes.Buffer
	if seen := page.QueryInt(r, "base", 0); seen > 0 && int64(wk.Slideshow.Head) > seen &&
		wk.Revision.AuthorID == nil {
		// What the program did meanwhile is told.
		v.Notice = page.Good(wk.Revision.Title + ".")
		if err := s.Execute(&b, "told", v.Notice); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	for i, p := range v.drawn {
		if i >= len(before) || before[i] != p.sum {
			b.WriteString(p.html)
		}
	}
	if b.Len() == 0 {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	s.send(w, http.StatusOK, v.Seen, b.Bytes())
}

// send answers with parts of a leaf.
func (s *Server) send(w http.ResponseWriter, status int, seen string, html []byte) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Seen", seen)
	w.WriteHeader(status)
	_, _ = w.Write(html) // the browser may have gone
}

// answer answers an act with the leaf as it stands and, where the act was not
// done, why. change may fill in more.
func (s *Server) answer(w http.ResponseWriter, r *http.Request, err error, change func(*orderView)) {
	s.answerWith(w, r, nil, err, change)
}

// answerWith is answer where the order as it stands then is known.
func (s *Server) answerWith(w http.ResponseWriter, r *http.Request, wk *orders.Dossier, err error,
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
		if wk, err = s.House.Orders.See(r.Context(), seen(r)); err != nil {
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
			b.WriteString(p.html)
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
	s.send(w, status, v.Seen, b.Bytes())
}

// orderMargin shows what can be changed for what is chosen, and the film at
// that moment.
func (s *Server) orderMargin(w http.ResponseWriter, r *http.Request) {
	wk, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f, err := field.Decode[chosen](r.URL.Query())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	if len(f.Slides) > 0 {
		// Others see it; it may fail.
		_ = s.House.Orders.LooksAt(r.Context(), wk.Order.ID, page.User(r).ID, f.Slides[0])
	}
	frame := timecode.Frames(page.QueryInt(r, "frame", 0))
	if wk.Plan.Frames > 0 {
		s.House.Looking.WarmUp(wk, frame)
	}
	own, err := s.House.Shelf.TransitionNames(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "margin", &orderView{
		Dossier: wk,
		Leaf:    runningLeaf,
		Desk:    s.desk(wk, f.Slides, frame, own, r.URL.Query().Get("panel")),
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
func (s *Server) orderFrame(w http.ResponseWriter, r *http.Request) {
	width := max(64, min(page.QueryInt(r, "w", 640), 1920))
	revision := page.QueryInt(r, "r", -1)
	jpg, err := s.House.Looking.Frame(r.Context(), seen(r), int(revision),
		timecode.Frames(page.QueryInt(r, "n", 0)), int(width))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	page.SendJPEG(w, jpg, "private, max-age=3600")
}

package orderpage

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/core/transition"
	"nelko/internal/invalid"
	"nelko/internal/looking"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

// op makes an edit of a control's name and the values of its fields.
func (s *shared) op(ctx context.Context, name string, v url.Values) (edit.Op, error) {
	if name == "studiocard" {
		return s.studioCard(ctx, v)
	}
	c, ok := controls[name]
	if !ok {
		return nil, fmt.Errorf("edit %q: %w", name, store.ErrNotFound)
	}
	own, is := strings.CutPrefix(v.Get("join"), "own:")
	if !is || name != "join" {
		return c(s, v)
	}
	t, err := s.Shelf.Transitions.Transition(ctx, own)
	if err != nil {
		return nil, err
	}
	f, err := field.Decode[chosen](v)
	return edit.Join{Slides: f.Slides, Join: &t}, err
}

func (e *editing) editOrder(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
	var op edit.Op
	err := r.ParseForm()
	if err != nil {
		err = &invalid.Input{Field: "form", Problem: "The form could not be read: " + err.Error()}
	} else {
		op, err = e.op(r.Context(), chi.URLParam(r, "op"), r.PostForm)
	}
	var now *orders.Dossier
	if err == nil {
		now, err = e.Orders.Edits.EditSeen(r.Context(), seen(r), seenRevision(r), op, &page.User(r).ID)
	}
	e.answerWith(w, r, now, err, nil)
}

// choiceKinds are what a picture of a choice shows, by the names in its address.
var choiceKinds = map[string]looking.ChoiceKind{
	"":       looking.Middle,
	"end":    looking.End,
	"join":   looking.IntoNext,
	"at":     looking.At,
	"moving": looking.Moving,
	"into":   looking.MovingInto,
}

// tryEdit shows a slide as it would be with an edit. The address says what the
// picture depends on; as long as that is so, it never changes.
func (e *editing) tryEdit(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	kind, ok := choiceKinds[q.Get("show")]
	if !ok {
		e.Fail(w, r, fmt.Errorf("a choice shown as %q: %w", q.Get("show"), store.ErrNotFound))
		return
	}
	c := looking.Choice{
		Slide:  doc.SlideID(q.Get("on")),
		Kind:   kind,
		Longer: int(max(64, min(page.QueryInt(r, "w", 160), 1280))),
		Moment: timecode.Frames(page.QueryInt(r, "n", 0)),
	}
	var err error
	if name := chi.URLParam(r, "op"); name != asIs {
		c.Op, err = e.op(r.Context(), name, q)
	}
	var jpg []byte
	fresh := false
	if err == nil {
		jpg, fresh, err = e.Looking.Choices.Chosen(r.Context(), seen(r), r.URL.RequestURI(), q.Get("about"),
			c)
	}
	var input *invalid.Input
	switch {
	case errors.As(err, &input), errors.Is(err, edit.ErrGone), errors.Is(err, edit.ErrInvalid):
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	case err != nil:
		e.Fail(w, r, err)
		return
	}
	keep := "no-store"
	if fresh {
		keep = "private, max-age=86400, immutable"
	}
	page.SendJPEG(w, jpg, keep)
}

// asIs is the choice of changing nothing.
const asIs = "as-it-is"

// keepTransition keeps the transition of the form under a name.
func (e *editing) keepTransition(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimSpace(r.PostFormValue("join-name"))
	f, err := field.Decode[joinFields](r.PostForm)
	if err == nil && f.whole() {
		err = &invalid.Input{Field: "join", Problem: "Choose a transition first."}
	}
	if err == nil {
		var t transition.Transition
		f.change(&t)
		if err = told("join", "Transition", t.Validate()); err == nil {
			err = e.Shelf.Transitions.KeepTransition(r.Context(), name, t)
		}
	}
	e.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good(fmt.Sprintf("“%s” is kept. It stands under “Our own” in every order.", name))
		}
	})
}

func (e *editing) undo(w http.ResponseWriter, r *http.Request) {
	_, err := e.Orders.Edits.Undo(r.Context(), page.Number(r, "order"), seenRevision(r), &page.User(r).ID)
	e.answer(w, r, err, nil)
}

func (e *editing) redo(w http.ResponseWriter, r *http.Request) {
	_, err := e.Orders.Edits.Redo(r.Context(), page.Number(r, "order"), seenRevision(r), &page.User(r).ID)
	e.answer(w, r, err, nil)
}

// seenRevision is the revision the operator was looking at.
func seenRevision(r *http.Request) int {
	n, err := strconv.Atoi(r.PostFormValue("base"))
	if err != nil {
		return -1 // never a revision: answered as a conflict
	}
	return n
}

func (e *editing) changeHead(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	id := page.Number(r, "order")
	n, _, err := parts.OrderForm(r)
	if err == nil {
		var wants []store.DeliveryKind
		for _, k := range r.PostForm["wants"] {
			wants = append(wants, store.DeliveryKind(k))
		}
		err = e.Orders.Heads.UpdateWanted(r.Context(), id, n.Head, wants, &page.User(r).ID)
	}
	var invalid *invalid.Input
	if errors.As(err, &invalid) {
		e.Message(w, r, http.StatusUnprocessableEntity, "Not kept", invalid.Problem,
			fmt.Sprintf("/orders/%d", id), "Back to the order")
		return
	}
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/orders/%d", id), http.StatusSeeOther)
}

func (m *material) eraseMedium(w http.ResponseWriter, r *http.Request) {
	m.answer(w, r, m.Intake.Material.Erase(r.Context(), page.Number(r, "order"), page.Number(r, "media")),
		nil)
}

// eraseMedia removes the chosen files of an order's material.
func (m *material) eraseMedia(w http.ResponseWriter, r *http.Request) {
	if err := r.ParseForm(); err != nil {
		m.answer(w, r, &invalid.Input{Field: "form", Problem: "The form could not be read."}, nil)
		return
	}
	ids, err := page.FormIDs(r, "media")
	if err != nil {
		m.answer(w, r, err, nil)
		return
	}
	m.answer(w, r, m.Intake.Material.EraseAll(r.Context(), page.Number(r, "order"), ids, &page.User(r).ID),
		nil)
}

func (m *material) dismiss(w http.ResponseWriter, r *http.Request) {
	m.answer(w, r, m.Intake.Material.Dismiss(r.Context(), page.Number(r, "order"), page.Number(r, "media")),
		nil)
}

// actOnOrder archives, deletes, restores or copies an order.
func (e *editing) actOnOrder(w http.ResponseWriter, r *http.Request) {
	id := page.Number(r, "order")
	var err error
	said, to := "", "/"
	switch chi.URLParam(r, "act") {
	case "archive":
		said, err = "The order is archived. It is found under “archived”.",
			e.Orders.Keeping.Archive(r.Context(), id)
	case "delete":
		said, err = "The order is deleted. For 30 days it can be restored under “deleted”; then it is gone "+
			"for good.", e.Orders.Keeping.Delete(r.Context(), id)
	case "restore":
		said, to, err = "The order is back.", fmt.Sprintf("/orders/%d", id),
			e.Orders.Keeping.Restore(r.Context(), id)
	case "copy":
		var o store.Order
		o, err = e.Orders.Heads.Copy(r.Context(), id, &page.User(r).ID)
		said, to = "This is the copy; nothing of it was rendered yet.", fmt.Sprintf("/orders/%d", o.ID)
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		e.Message(w, r, http.StatusUnprocessableEntity, "Not done", inv.Problem,
			fmt.Sprintf("/orders/%d", id), "Back to the order")
		return
	}
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	e.Tell(r, said)
	http.Redirect(w, r, to, http.StatusSeeOther)
}

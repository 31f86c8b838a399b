package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/edit"
	"nelko/internal/core/transition"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

func queryInt(r *http.Request, name string, otherwise int64) int64 {
	n, err := strconv.ParseInt(r.URL.Query().Get(name), 10, 64)
	if err != nil {
		return otherwise
	}
	return n
}

// readOp makes an edit of a form.
func (s *Server) readOp(r *http.Request) (edit.Op, error) {
	if err := r.ParseForm(); err != nil {
		return nil, &invalid.Input{Field: "form", Problem: "The form could not be read: " + err.Error()}
	}
	name := chi.URLParam(r, "op")
	c, ok := controls[name]
	if !ok {
		return nil, fmt.Errorf("edit %q: %w", name, store.ErrNotFound)
	}
	return c(s, r.PostForm)
}

func (s *Server) editOrder(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
	op, err := s.ownJoin(r)
	if op == nil && err == nil {
		op, err = s.readOp(r)
	}
	var now *orders.Dossier
	if err == nil {
		now, err = s.House.Orders.Apply(r.Context(), number(r, "order"), seenRevision(r), op, &user(r).ID)
	}
	s.answerWith(w, r, now, err, nil)
}

// ownJoin makes an edit of one of the studio's own transitions; nil if the
// form is of another edit.
func (s *Server) ownJoin(r *http.Request) (edit.Op, error) {
	name, own := strings.CutPrefix(r.PostFormValue("join"), "own:")
	if !own || chi.URLParam(r, "op") != "join" {
		return nil, nil
	}
	t, err := s.House.Shelf.Transition(r.Context(), name)
	if err != nil {
		return nil, err
	}
	f, err := decode[chosen](r.PostForm)
	return edit.Join{Slides: f.Slides, Join: &t}, err
}

// keepTransition keeps the transition of the form under a name.
func (s *Server) keepTransition(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimSpace(r.PostFormValue("join-name"))
	f, err := decode[joinFields](r.PostForm)
	var t *transition.Transition
	if err == nil {
		t, err = f.join()
	}
	if err == nil && t == nil {
		err = &invalid.Input{Field: "join", Problem: "Choose a transition first."}
	}
	if err == nil {
		err = s.House.Shelf.KeepTransition(r.Context(), name, *t)
	}
	s.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = &notice{"good", fmt.Sprintf("“%s” is kept. It stands under “Our own” in every order.", name)}
		}
	})
}

func (s *Server) undo(w http.ResponseWriter, r *http.Request) {
	_, err := s.House.Orders.Undo(r.Context(), number(r, "order"), seenRevision(r), &user(r).ID)
	if err == nil {
		err = s.House.Runs.Refollow(r.Context(), number(r, "order"))
	}
	s.answer(w, r, err, nil)
}

func (s *Server) redo(w http.ResponseWriter, r *http.Request) {
	_, err := s.House.Orders.Redo(r.Context(), number(r, "order"), seenRevision(r), &user(r).ID)
	if err == nil {
		err = s.House.Runs.Refollow(r.Context(), number(r, "order"))
	}
	s.answer(w, r, err, nil)
}

// seenRevision is the revision the operator was looking at.
func seenRevision(r *http.Request) int {
	n, err := strconv.Atoi(r.PostFormValue("base"))
	if err != nil {
		return -1 // never a revision: answered as a conflict
	}
	return n
}

func (s *Server) changeHead(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<16)
	id := number(r, "order")
	n, _, err := orderForm(r)
	if err == nil {
		err = s.House.Orders.Update(r.Context(), id, n.Head)
	}
	if err == nil {
		var wants []store.DeliveryKind
		for _, k := range r.PostForm["wants"] {
			wants = append(wants, store.DeliveryKind(k))
		}
		err = s.House.Orders.Want(r.Context(), id, wants)
	}
	var invalid *invalid.Input
	if errors.As(err, &invalid) {
		s.message(w, r, http.StatusUnprocessableEntity, "Not kept", invalid.Problem, fmt.Sprintf("/orders/%d", id), "Back to the order")
		return
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/orders/%d", id), http.StatusSeeOther)
}

func (s *Server) dismiss(w http.ResponseWriter, r *http.Request) {
	s.answer(w, r, s.House.Intake.Dismiss(r.Context(), number(r, "order"), number(r, "media")), nil)
}

// actOnOrder archives, deletes, restores or copies an order.
func (s *Server) actOnOrder(w http.ResponseWriter, r *http.Request) {
	id := number(r, "order")
	var err error
	said, to := "", "/"
	switch chi.URLParam(r, "act") {
	case "archive":
		said, err = "The order is archived. It is found under “archived”.", s.House.Orders.Archive(r.Context(), id)
	case "delete":
		said, err = "The order is deleted. For 30 days it can be restored under “deleted”; then it is gone for good.", s.House.Orders.Delete(r.Context(), id)
	case "restore":
		said, to, err = "The order is back.", fmt.Sprintf("/orders/%d", id), s.House.Orders.Restore(r.Context(), id)
	case "copy":
		var o store.Order
		o, err = s.House.Orders.Copy(r.Context(), id, &user(r).ID)
		said, to = "This is the copy; nothing of it was rendered yet.", fmt.Sprintf("/orders/%d", o.ID)
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		s.message(w, r, http.StatusUnprocessableEntity, "Not done", inv.Problem, fmt.Sprintf("/orders/%d", id), "Back to the order")
		return
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.tell(r, said)
	http.Redirect(w, r, to, http.StatusSeeOther)
}

package studio

import (
	"fmt"
	"net/http"
	"time"

	"nelko/internal/invalid"
	"nelko/internal/store"
	"nelko/internal/web/field"
	"nelko/internal/web/page"
)

// trailLines is how many lines of the trail a page shows.
const trailLines = 100

// trailAsked is what is asked of the trail, as it is typed.
type trailAsked struct {
	What   string        `form:"what"`
	User   int64         `form:"user" label:"Person"`
	Order  *field.Amount `form:"order" label:"Order"`
	From   string        `form:"from"`
	To     string        `form:"to"`
	Before *field.Amount `form:"before"`
}

// asked narrows the trail to what was asked for; days are whole, in local time.
func (t trailAsked) asked() (store.Asked, error) {
	q := store.Asked{
		What:    t.What,
		UserID:  t.User,
		OrderID: int64(given(t.Order)),
		Before:  int64(given(t.Before)),
		Most:    trailLines + 1,
	}
	var err error
	day := func(field, text string, plus int) (at time.Time) {
		if text == "" || err != nil {
			return at
		}
		if at, err = time.ParseInLocation(time.DateOnly, text, time.Local); err != nil {
			err = invalid.Field(field, "%q is no day; days are written like 2026-11-27.", text)
		}
		return at.AddDate(0, 0, plus)
	}
	q.From, q.To = day("from", t.From, 0), day("to", t.To, 1)
	return q, err
}

// trailView is the page of the trail.
type trailView struct {
	page.Base
	Asked   trailAsked
	Deeds   []store.Deed
	Kinds   []string
	Users   []store.User
	Earlier string // where the lines before these are; empty: there are none
}

// trailPage shows an owner who did what.
func (s *settings) trailPage(w http.ResponseWriter, r *http.Request) {
	v, err := s.trail(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Render(w, r, http.StatusOK, "trail", v)
}

func (s *settings) trail(r *http.Request) (v trailView, err error) {
	v.Kinds = store.Deeds
	asked := r.URL.Query()
	if v.Asked, err = field.Decode[trailAsked](asked); err != nil {
		return v, err
	}
	q, err := v.Asked.asked()
	if err != nil {
		return v, err
	}
	if v.Deeds, err = s.Trail(r.Context(), q); err != nil {
		return v, err
	}
	if v.Users, err = s.Accounts.List(r.Context()); err != nil {
		return v, err
	}
	if len(v.Deeds) > trailLines {
		v.Deeds = v.Deeds[:trailLines]
		asked.Set("before", fmt.Sprint(v.Deeds[trailLines-1].ID))
		v.Earlier = "/settings/trail?" + asked.Encode()
	}
	v.Base, err = s.Base(r, "Trail")
	return v, err
}

package studio

import (
	"errors"
	"fmt"
	"net/http"

	"nelko/internal/core/theme"
	"nelko/internal/invalid"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/internal/web/page"
	"nelko/internal/web/parts"
)

func (d *days) newOrderPage(w http.ResponseWriter, r *http.Request) {
	// The form asks again with what was typed when another theme is chosen.
	form := map[string]string{}
	for k := range r.URL.Query() {
		form[k] = r.URL.Query().Get(k)
	}
	d.showNewOrder(w, r, http.StatusOK, form, nil)
}

func (d *days) showNewOrder(w http.ResponseWriter, r *http.Request, status int, form map[string]string,
	n *page.Notice) {
	b, err := d.Noted(r, "New order", n)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	all := d.Shelf.Themes.All()
	chosen, err := d.Shelf.Themes.Get(form["theme"])
	if err != nil {
		if chosen, err = d.Shelf.Themes.Get(shelf.DefaultTheme); err != nil {
			d.Fail(w, r, err)
			return
		}
	}
	d.Render(w, r, status, "neworder", struct {
		page.Base
		Form   map[string]string
		Themes []*theme.Theme
		Chosen *theme.Theme
	}{b, form, all, chosen})
}

func (d *days) newOrder(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<18)
	n, form, err := parts.OrderForm(r)
	if err == nil {
		var o store.Order
		if o, err = d.Orders.Heads.Open(r.Context(), n, &page.User(r).ID); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/orders/%d", o.ID), http.StatusSeeOther)
			return
		}
	}
	var invalid *invalid.Input
	if errors.As(err, &invalid) {
		d.showNewOrder(w, r, http.StatusUnprocessableEntity, form, page.Bad(invalid.Problem))
		return
	}
	d.Fail(w, r, err)
}

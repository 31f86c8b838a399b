package parts

import (
	"fmt"
	"net/http"
	"time"

	"nelko/internal/invalid"
	"nelko/internal/orders"
)

// OrderForm reads an order's head and details; form is what was typed.
func OrderForm(r *http.Request) (orders.New, map[string]string, error) {
	form := map[string]string{}
	if err := r.ParseForm(); err != nil {
		return orders.New{}, form, &invalid.Input{
			Field:   "form",
			Problem: "The form could not be read: " + err.Error(),
		}
	}
	n := orders.New{Details: map[string]string{}}
	for k := range r.PostForm {
		form[k] = r.PostForm.Get(k)
		if len(k) > 7 && k[:7] == "detail-" {
			n.Details[k[7:]] = form[k]
		}
	}
	n.Client, n.ClientEmail, n.Event, n.Theme = form["client"], form["client_email"], form["event"],
		form["theme"]
	if form["due"] != "" {
		due, err := time.Parse("2006-01-02", form["due"])
		if err != nil || due.Year() < 2000 || due.Year() > 2200 {
			return n, form, &invalid.Input{
				Field:   "due",
				Problem: fmt.Sprintf("The due date %q is not a date.", form["due"]),
			}
		}
		n.Due = due
	}
	return n, form, nil
}

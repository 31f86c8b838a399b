package orderpage

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"nelko/internal/core/doc"
	"nelko/internal/orders"
	"nelko/internal/web/page"
)

// seen is the order of a request's address, in the frame shape it is seen in:
// /orders/12 in its first, /orders/12.1080x1920 in that one.
func seen(r *http.Request) orders.Seen {
	of := orders.Seen{Order: page.Number(r, "order")}
	if _, shape, is := strings.Cut(chi.URLParam(r, "order"), "."); is {
		f, err := doc.ParseFrame(shape)
		if err != nil {
			of.Order = -1 // no order is seen so: answered as not found
		}
		of.Shape = f
	}
	return of
}

// seenPath is the order as it is seen in addresses.
func seenPath(d *orders.Dossier) string {
	if shape := d.ShapeName(); shape != "" {
		return fmt.Sprintf("%d.%s", d.Order.ID, shape)
	}
	return strconv.FormatInt(d.Order.ID, 10)
}

package orderpage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"

	"nelko/internal/interchange"
	"nelko/internal/web/page"
)

// orderFiles are the files an order can be had as, by the names in their
// addresses.
var orderFiles = map[string]struct {
	kind, ending, called string
	write                func(*interchange.Interchange, context.Context, int64, io.Writer) error
}{
	"cut.otio": {"application/json", ".otio", "cut", (*interchange.Interchange).Cut},
	"contact-sheet.pdf": {"application/pdf", ".pdf", "contact sheet",
		(*interchange.Interchange).ContactSheet},
	"running-order.pdf": {"application/pdf", ".pdf", "running order",
		(*interchange.Interchange).RunningOrder},
}

func (l *leaves) orderFile(w http.ResponseWriter, r *http.Request) {
	f := orderFiles[chi.URLParam(r, "file")]
	d, err := l.Orders.See(r.Context(), seen(r))
	var b bytes.Buffer
	if err == nil {
		err = f.write(l.Interchange, r.Context(), d.Order.ID, &b)
	}
	switch {
	case errors.Is(err, interchange.ErrEmpty):
		l.Message(w, r, http.StatusUnprocessableEntity, "Not printed",
			"There is nothing to print yet: this order has no pictures.",
			fmt.Sprintf("/orders/%d", d.Order.ID), "Back to the order")
		return
	case err != nil:
		l.Fail(w, r, err)
		return
	}
	page.Download(w, f.kind, d.Order.Client+" - "+f.called+f.ending)
	_, _ = w.Write(b.Bytes()) // the browser may have gone
}

// orderZip is an order with all its media.
func (l *leaves) orderZip(w http.ResponseWriter, r *http.Request) {
	d, err := l.Orders.See(r.Context(), seen(r))
	if err != nil {
		l.Fail(w, r, err)
		return
	}
	page.Download(w, "application/zip", d.Order.Client+" - "+d.Order.Event+".zip")
	if err := l.Interchange.Zip(r.Context(), d.Order.ID, w); err != nil {
		// What was sent says that it is not whole: the connection is cut.
		panic(http.ErrAbortHandler)
	}
}

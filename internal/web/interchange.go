package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"

	"github.com/go-chi/chi/v5"

	"nelko/internal/interchange"
	"nelko/internal/invalid"
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

func (s *Server) orderFile(w http.ResponseWriter, r *http.Request) {
	f := orderFiles[chi.URLParam(r, "file")]
	d, err := s.House.Orders.See(r.Context(), seen(r))
	var b bytes.Buffer
	if err == nil {
		err = f.write(s.House.Interchange, r.Context(), d.Order.ID, &b)
	}
	switch {
	case errors.Is(err, interchange.ErrEmpty):
		s.Message(w, r, http.StatusUnprocessableEntity, "Not printed",
			"There is nothing to print yet: this order has no pictures.",
			fmt.Sprintf("/orders/%d", d.Order.ID), "Back to the order")
		return
	case err != nil:
		s.Fail(w, r, err)
		return
	}
	download(w, f.kind, d.Order.Client+" - "+f.called+f.ending)
	_, _ = w.Write(b.Bytes()) // the browser may have gone
}

// orderZip is an order with all its media.
func (s *Server) orderZip(w http.ResponseWriter, r *http.Request) {
	d, err := s.House.Orders.See(r.Context(), seen(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	download(w, "application/zip", d.Order.Client+" - "+d.Order.Event+".zip")
	if err := s.House.Interchange.Zip(r.Context(), d.Order.ID, w); err != nil {
		// What was sent says that it is not whole: the connection is cut.
		panic(http.ErrAbortHandler)
	}
}

// maxZip is the largest zip of an order that is taken, in bytes.
const maxZip = 200 << 30

// openZip opens an order of a zip. What is sent is kept in a file until it has
// been read.
func (s *Server) openZip(w http.ResponseWriter, r *http.Request) {
	refuse := func(text string) {
		s.Message(w, r, http.StatusUnprocessableEntity, "Not opened", text, "/orders/new", "Back")
	}
	r.Body = http.MaxBytesReader(w, r.Body, maxZip)
	parts, err := r.MultipartReader()
	if err != nil {
		refuse("Choose the zip of an order.")
		return
	}
	part, err := parts.NextPart()
	if err != nil || part.FormName() != "zip" {
		refuse("Choose the zip of an order.")
		return
	}
	f, err := s.House.Blobs.TempFile("order-*.zip")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer os.Remove(f.Name())
	defer f.Close()
	size, err := io.Copy(f, part)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	row, err := s.House.Interchange.Open(r.Context(), f, size, &page.User(r).ID)
	var wrong *invalid.Input
	switch {
	case errors.As(err, &wrong):
		refuse(wrong.Problem)
	case err != nil:
		s.Fail(w, r, err)
	default:
		http.Redirect(w, r, fmt.Sprintf("/orders/%d", row.ID), http.StatusSeeOther)
	}
}

package studio

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"

	"nelko/internal/invalid"
	"nelko/internal/web/page"
)

// maxZip is the largest zip of an order that is taken, in bytes.
const maxZip = 200 << 30

// openZip opens an order of a zip. What is sent is kept in a file until it has
// been read.
func (d *days) openZip(w http.ResponseWriter, r *http.Request) {
	refuse := func(text string) {
		d.Message(w, r, http.StatusUnprocessableEntity, "Not opened", text, "/orders/new", "Back")
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
	f, err := d.Blobs.TempFile("order-*.zip")
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	defer os.Remove(f.Name())
	defer f.Close()
	size, err := io.Copy(f, part)
	if err != nil {
		d.Fail(w, r, err)
		return
	}
	row, err := d.Interchange.Open(r.Context(), f, size, &page.User(r).ID)
	var wrong *invalid.Input
	switch {
	case errors.As(err, &wrong):
		refuse(wrong.Problem)
	case err != nil:
		d.Fail(w, r, err)
	default:
		http.Redirect(w, r, fmt.Sprintf("/orders/%d", row.ID), http.StatusSeeOther)
	}
}

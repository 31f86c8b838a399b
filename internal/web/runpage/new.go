package runpage

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"nelko/internal/core/list"
	"nelko/internal/core/theme"
	"nelko/internal/invalid"
	"nelko/internal/runs"
	"nelko/internal/shelf"
	"nelko/internal/store"
	"nelko/internal/web/page"
)

func (g *sheets) newRunPage(w http.ResponseWriter, r *http.Request) {
	g.showNewRun(w, r, http.StatusOK, map[string]string{
		"theme": shelf.DefaultTheme,
		"due":   g.Orders.Now().AddDate(0, 0, 14).Format(time.DateOnly),
	}, nil)
}

func (g *sheets) showNewRun(w http.ResponseWriter, r *http.Request, status int, form map[string]string,
	n *page.Notice) {
	b, err := g.Noted(r, "New Run", n)
	if err != nil {
		g.Fail(w, r, err)
		return
	}
	g.Render(w, r, status, "newrun", struct {
		page.Base
		Form   map[string]string
		Themes []*theme.Theme
	}{b, form, g.Shelf.Themes.All()})
}

// maxListForm is the largest form with a list in it, in bytes.
const maxListForm = runs.MaxList + 1<<20

// listOf reads the list of a form: a file, or pasted cells; nil without.
func listOf(r *http.Request) (*list.Table, error) {
	if text := r.FormValue("pasted"); strings.TrimSpace(text) != "" {
		return runs.PastedList(r.Context(), text)
	}
	f, h, err := r.FormFile("list")
	if errors.Is(err, http.ErrMissingFile) || errors.Is(err, http.ErrNotMultipart) {
		return nil, nil
	}
	if err != nil {
		return nil, &invalid.Input{Field: "list", Problem: "The list did not arrive whole; try again."}
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, runs.MaxList+1))
	if err != nil {
		return nil, err
	}
	return runs.ReadList(r.Context(), h.Filename, b)
}

func (g *sheets) newRun(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxListForm)
	form := map[string]string{}
	n := runs.New{}
	var err error
	if err = r.ParseMultipartForm(8 << 20); err != nil && !errors.Is(err, http.ErrNotMultipart) {
		err = &invalid.Input{Field: "list", Problem: "The list is too large or did not arrive whole."}
	} else {
		for k := range r.PostForm {
			form[k] = r.PostForm.Get(k)
		}
		n.Name, n.Event, n.Theme = form["name"], form["event"], form["theme"]
		if n.Due, err = time.Parse(time.DateOnly, form["due"]); err != nil {
			err = &invalid.Input{
				Field:   "due",
				Problem: fmt.Sprintf("The due date %q is not a date.", form["due"]),
			}
		} else if n.Table, err = listOf(r); err == nil && strings.TrimSpace(n.Name) == "" && n.Table != nil {
			n.Name = strings.TrimSuffix(n.Table.Name, "."+ending(n.Table.Name))
		}
	}
	if err == nil {
		var run store.Run
		if run, err = g.Runs.Lists.Open(r.Context(), n, &page.User(r).ID); err == nil {
			http.Redirect(w, r, fmt.Sprintf("/runs/%d", run.ID), http.StatusSeeOther)
			return
		}
	}
	var inv *invalid.Input
	if errors.As(err, &inv) {
		g.showNewRun(w, r, http.StatusUnprocessableEntity, form, page.Bad(inv.Problem))
		return
	}
	g.Fail(w, r, err)
}

func ending(name string) string {
	_, e, _ := strings.Cut(name[max(0, strings.LastIndexByte(name, '.')):], ".")
	return e
}

package orderpage

import (
	"net/http"
	"strconv"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
)

// recastView is the film as it is beside another version of it.
type recastView struct {
	At         string // the order in addresses
	Seed       uint64
	Revision   int
	Now, Other []recastSlide
	Kept, Anew int
}

// recastSlide is a slide of a version.
type recastSlide struct {
	ID     doc.SlideID
	Number int
	Kept   bool // as it is in the other version
	Words  string
}

// recast shows another version of the film beside it, before it is taken.
func (e *editing) recast(w http.ResponseWriter, r *http.Request) {
	d, err := e.Orders.See(r.Context(), seen(r))
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	v := recastView{At: seenPath(d), Seed: seed(), Revision: d.Slideshow.Head}
	if n, err := strconv.ParseUint(r.URL.Query().Get("seed"), 10, 64); err == nil && n > 0 {
		v.Seed = n
	}
	other, err := e.Orders.Edits.Try(d, edit.Recast{Seed: v.Seed})
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	v.Kept, v.Anew = edit.Recasts(d.Doc, other)
	v.Now, v.Other = recastSlides(d.Doc, other), recastSlides(other, d.Doc)
	e.Render(w, r, http.StatusOK, "recast", v)
}

// recastSlides are the slides of a version, told from the other one.
func recastSlides(d, other doc.Slideshow) (out []recastSlide) {
	for i, s := range d.Slides {
		j := other.Index(s.ID)
		out = append(out, recastSlide{
			ID:     s.ID,
			Number: i + 1,
			Kept:   j >= 0 && other.Slides[j].ByHand(),
			Words:  s.Caption,
		})
	}
	return out
}

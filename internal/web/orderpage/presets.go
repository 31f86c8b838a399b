package orderpage

import (
	"encoding/json"
	"net/http"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/plan"
	"nelko/internal/invalid"
	"nelko/internal/web/page"
)

// keepPreset keeps settings of a slide under a name.
func (e *editing) keepPreset(w http.ResponseWriter, r *http.Request) {
	d, err := e.Orders.See(r.Context(), seen(r))
	var set edit.Settings
	if err == nil {
		set, err = edit.SettingsOf(d.Doc, doc.SlideID(r.PostFormValue("from")), r.PostForm["kind"])
	}
	if err == nil {
		err = e.Shelf.Presets.KeepPreset(r.Context(), r.PostFormValue("name"), set)
	}
	e.answer(w, r, err, func(v *orderView) {
		if err == nil {
			v.Notice = page.Good("Kept as “" + r.PostFormValue("name") +
				"”. Any slide of any order can be given it.")
		}
	})
}

// givePreset gives slides what was kept under a name.
func (e *editing) givePreset(w http.ResponseWriter, r *http.Request) {
	name := r.PostFormValue("preset")
	set, err := e.Shelf.Presets.Preset(r.Context(), name)
	if err == nil {
		g := edit.GiveSettings{Name: name, Settings: set}
		for _, id := range r.PostForm["slide"] {
			g.Slides = append(g.Slides, doc.SlideID(id))
		}
		if len(g.Slides) == 0 {
			err = &invalid.Input{Field: "slide", Problem: "Choose slides to give it to."}
		} else {
			_, err = e.Orders.Edits.EditSeen(r.Context(), seen(r), seenRevision(r), g, &page.User(r).ID)
		}
	}
	e.answer(w, r, err, nil)
}

func (e *editing) forgetPreset(w http.ResponseWriter, r *http.Request) {
	e.answer(w, r, e.Shelf.Presets.ForgetPreset(r.Context(), r.PostFormValue("preset")), nil)
}

// presetNames are the names under which settings are kept.
func (e *editing) presetNames(w http.ResponseWriter, r *http.Request) {
	names, err := e.Shelf.Presets.PresetNames(r.Context())
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	sendJSON(w, names)
}

// like answers with the slides that are like the chosen ones: of the same
// camera or look, or with something to look at.
func (e *editing) like(w http.ResponseWriter, r *http.Request) {
	by := r.URL.Query().Get("by")
	d, err := e.Orders.See(r.Context(), seen(r))
	var found []plan.Check
	if err == nil && by == "finding" {
		found, err = e.Looking.Findings.Findings(d)
		found = slices.Concat(found, plan.Closer(d.Doc, d.Plan, d.Theme, d.Library))
	}
	if err != nil {
		e.Fail(w, r, err)
		return
	}
	of := func(sl doc.Slide) (out []string) {
		for _, id := range sl.Media {
			switch by {
			case "camera":
				out = append(out, d.Library[id].Camera)
			case "look":
				look, _ := json.Marshal(d.Doc.Shot(id).Look) // of numbers
				out = append(out, string(look))
			}
		}
		return out
	}
	var want []string
	for _, id := range r.URL.Query()["slide"] {
		if i := d.Doc.Index(doc.SlideID(id)); i >= 0 {
			want = append(want, of(d.Doc.Slides[i])...)
		}
	}
	places := map[string]bool{}
	for _, c := range found {
		places[c.Field] = places[c.Field] || !d.Meant[c.Key]
	}
	ids := []doc.SlideID{}
	for _, sl := range d.Doc.Slides {
		if places["slide:"+string(sl.ID)] || slices.ContainsFunc(of(sl), func(v string) bool {
			return slices.Contains(want, v)
		}) {
			ids = append(ids, sl.ID)
		}
	}
	sendJSON(w, ids)
}

// sendJSON answers with a value, which the browser does not keep.
func sendJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(v) // the browser may have gone
}

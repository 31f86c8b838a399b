package orderpage

import (
	"fmt"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/timecode"
	"nelko/internal/orders"
)

// manner is a way of showing pictures as one choice, and what it means.
type manner struct {
	ID          edit.Manner
	Name, Means string
}

// manners are those that apply to what is chosen; a pace is for the whole film.
func (v *deskView) manners(wk *orders.Dossier) {
	if len(v.IDs) == 0 {
		for _, m := range []manner{{
			ID:   edit.Usual,
			Name: "Usual",
		}, {ID: edit.Lively, Name: "Lively"}, {ID: edit.Quick, Name: "Quick look"}} {
			p := edit.Paces[m.ID]
			m.Means = fmt.Sprintf("A new picture every %g s, with joins of %g s.", p.Every, p.Join)
			v.Manners = append(v.Manners, m)
		}
	}
	still, all := stills(wk, v.IDs)
	v.Manners = append(v.Manners,
		manner{edit.Prints, "Prints on paper", "Each at 80 % on a texture, with a shadow."},
		manner{edit.Calm, "No motion, small file",
			fmt.Sprintf("Nothing moves but the joins: %d of %d frames stand still, and take next to no "+
				"room in the file.", still, all)})
}

// stills are the frames of picture slides that would stand still if their
// pictures did, and all of their frames, each counted once. Without slides named they are the
// film's.
func stills(wk *orders.Dossier, ids []doc.SlideID) (still, all timecode.Frames) {
	chosen := map[doc.SlideID]bool{}
	for _, id := range ids {
		chosen[id] = true
	}
	for i, s := range wk.Plan.Slides {
		if len(ids) > 0 && !chosen[s.ID] {
			continue
		}
		all += s.Each()
		if s.Kind == doc.Pictures {
			still += wk.Plan.Seen(i)
		}
	}
	return still, all
}

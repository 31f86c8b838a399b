package looking

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"nelko/internal/core/doc"
	"nelko/internal/film"
	"nelko/internal/store"
)

// Standing sums up what stands behind every picture of the studio's films beside their
// documents: its mark, and what draws. Addresses of pictures hold it, so that what a browser
// keeps is what would be drawn now, also after a restart or with another version.
func (r *room) Standing(st store.Studio) string {
	return sum(r.behind(st))
}

// behind is what stands behind every picture.
func (r *room) behind(st store.Studio) []any {
	return []any{st.Mark, st.MarkPicture, r.Orders.House.Tools.Draw, film.EngineVersion}
}

// known is what of a medium decides on how it is shown.
func known(m doc.Media) doc.Media {
	return doc.Media{
		ID:       m.ID,
		Kind:     m.Kind,
		W:        m.W,
		H:        m.H,
		Length:   m.Length,
		Faces:    m.Faces,
		Focus:    m.Focus,
		Interest: m.Interest,
		Clear:    m.Clear,
		Starts:   m.Starts,
		Faulty:   m.Faulty,
		Track:    m.Track,
		Small:    m.Small,
	}
}

// sum is a short name of values by all they hold; empty if they cannot be written down.
func sum(values ...any) string {
	b, err := json.Marshal(values)
	if err != nil {
		return ""
	}
	s := sha256.Sum256(b)
	return hex.EncodeToString(s[:8])
}

package runs

import (
	"io"
	"time"

	"nelko/internal/core/list"
	"nelko/internal/paper"
)

// Shown is a moment of a row's film, to be proofread.
type Shown struct {
	Row  *Row // that it begins; nil: it belongs to the one before
	JPEG []byte
}

// Print writes a sheet of moments to be proofread as a PDF, as many beside one another as asked. It
// fails without any.
func (s *Sheet) Print(w io.Writer, title string, across int, shown []Shown, now time.Time) error {
	var proofs []paper.Proof
	for _, x := range shown {
		p := paper.Proof{JPEG: x.JPEG}
		if x.Row != nil {
			p.Key, p.Name, p.Note = x.Row.RunKey, x.Row.Client, x.Row.Needs[list.DetailRole("names")]
		}
		proofs = append(proofs, p)
	}
	return paper.Proofs(w, s.Name+": "+title+", "+now.Format("2 January 2006"), across, proofs)
}

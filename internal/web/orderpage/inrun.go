package orderpage

import (
	"context"
	"fmt"

	"nelko/internal/core/follow"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/parts"
)

// inRun is what an order's head says of its Run.
type inRun struct {
	Run           store.Run
	Pattern       bool
	Before, After int64
	Own           []ownPart
	Rows          []parts.Choice // a pattern can be seen as
	SeenAs        int64
	Changed       bool // the pattern, since the rows followed it
}

type ownPart struct{ Part, Name string }

// runOf tells what an order is in its Run; nil if it is in none.
func (s *shared) runOf(ctx context.Context, wk *orders.Dossier) (*inRun, error) {
	if wk.Order.RunID == nil {
		return nil, nil
	}
	run, pattern, err := s.Runs.RowOf(ctx, wk.Order)
	if err != nil {
		return nil, err
	}
	v := &inRun{Run: run, Pattern: pattern}
	if pattern {
		v.Changed = run.Given != wk.Slideshow.Head
		if run.SeenAs != nil {
			v.SeenAs = *run.SeenAs
		}
		rows, err := s.Runs.RowNames(ctx, run.ID)
		if err != nil {
			return nil, err
		}
		for _, r := range rows {
			v.Rows = append(v.Rows, parts.Choice{ID: fmt.Sprint(r.ID), Name: r.RunKey + " " + r.Client})
		}
		return v, nil
	}
	if wk.Doc.Follows != nil {
		for _, p := range wk.Doc.Follows.Own {
			v.Own = append(v.Own, ownPart{p, follow.InWords(p)})
		}
	}
	v.Before, v.After, err = s.Runs.Neighbours(ctx, wk.Order)
	return v, err
}

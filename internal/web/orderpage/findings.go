package orderpage

import (
	"context"
	"fmt"
	"log/slog"
	"slices"

	"nelko/internal/core/doc"
	"nelko/internal/core/plan"
	"nelko/internal/core/timecode"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/web/parts"
)

// findingView is a check or a finding, and where it is put right; or several
// like ones in one line.
type findingView struct {
	Text, Path string
	Stops      bool
	Key        string // by which it is marked as meant; empty: it cannot be
	List       []findingView
}

// findings are what the checks see, the gravest first, each with its place.
func (s *shared) findings(ctx context.Context, v *orderView) error {
	// what is found in the first shape; in others what is found there besides
	first := v.Dossier.In(doc.Frame{})
	found, err := s.Looking.Findings.Findings(first)
	if err != nil {
		return err
	}
	for _, r := range v.OpenRemarks() {
		v.Findings = append(v.Findings, findingView{
			Text: fmt.Sprintf("%s at %s: %s", r.Who, timecode.Clock(r.Seconds), r.Text),
			Path: parts.StepPath(v.Order.ID, "slide-"+r.Slide),
		})
	}
	see := func(c plan.Check) findingView {
		return findingView{
			Text:  c.Text,
			Path:  parts.StepPath(v.Order.ID, orders.Place(c.Field)),
			Stops: c.Weight == plan.Stops,
			Key:   c.Key,
		}
	}
	v.enlarged = map[doc.MediaID]bool{}
	for _, c := range found {
		if c.Kind == "enlarged" {
			v.enlarged[c.Media] = true
		}
	}
	licences, err := s.licences(ctx, v)
	if err != nil {
		return err
	}
	row, err := s.Runs.Sheets.Doubts(ctx, v.Order)
	if err != nil {
		return err
	}
	v.gather(first, slices.Concat(first.Checks, first.Doubts(s.Orders.Now()), row, licences, found,
		plan.Closer(first.Doc, first.Plan, first.Theme, first.Library)), see)
	known := map[string]bool{}
	for _, c := range found {
		known[c.Field+c.Text] = true
	}
	for _, shape := range first.Shapes()[1:] {
		in := first.In(shape)
		also, err := s.Looking.Findings.Findings(in)
		if err != nil {
			return err
		}
		also = slices.DeleteFunc(slices.Clone(also), func(c plan.Check) bool { return known[c.Field+c.Text] })
		v.gather(in, also, func(c plan.Check) findingView { return inShape(in, c) })
	}
	if host := s.onlyHere(); host != "" && len(v.Links) > 0 {
		v.Findings = append(v.Findings, findingView{
			Text: fmt.Sprintf("Links lead to %s, which only this machine can open: set NELKO_URL to an "+
				"address clients can reach", host),
			Path: parts.LeafPath(v.Order.ID, parts.DeliveriesLeaf),
		})
	}
	linked, told := false, false // a link of the film, and whether anybody knows of one
	for _, l := range v.Links {
		linked = linked || (!l.Proof && l.ClosedAt == nil)
		told = told || (!l.Proof && (l.MailedAt != nil || l.MailError != "" || l.Views > 0))
	}
	if linked && !told {
		v.Findings = append(v.Findings, findingView{
			Text: "Nobody has been told of the link: mail it, or send its address yourself",
			Path: parts.LeafPath(v.Order.ID, parts.DeliveriesLeaf),
		})
	}
	// For the day sheet, but not within this request: who only looks writes nothing.
	d, n := v.Dossier, len(v.Findings)
	if d.Order.Found != nil && *d.Order.Found == n {
		return nil
	}
	s.Looking.Beside(func(ctx context.Context) {
		if err := s.Orders.Days.NoteDoubts(ctx, d, n); err != nil && ctx.Err() == nil {
			slog.WarnContext(ctx, "what there is to look at in an order is not noted", "order", d.Order.ID,
				"error", err)
		}
	})
	return nil
}

// licences are doubts about the songs of a film that goes to a public link or a host.
func (s *shared) licences(ctx context.Context, v *orderView) ([]plan.Check, error) {
	public := v.Wants(store.LinkDelivery) || v.Wants(store.UploadDelivery)
	for _, l := range v.Links {
		public = public || l.ClosedAt == nil
	}
	if !public {
		return nil, nil
	}
	return s.Intake.Songs.Licences(ctx, v.Doc.Soundtrack.Songs(), s.Orders.Now())
}

// gather adds what was found in a shape, several alike as one line.
func (v *orderView) gather(in *orders.Dossier, checks []plan.Check, see func(plan.Check) findingView) {
	var open []plan.Check
	for _, c := range checks {
		if c.Key != "" && v.Meant[shapeKey(in, c.Key)] {
			v.MeantFindings = append(v.MeantFindings, see(c))
		} else {
			open = append(open, c)
		}
	}
	for _, g := range plan.Gather(open) {
		f := see(g.Checks[0])
		if len(g.Checks) > 1 {
			whole := g.Checks[0]
			whole.Text = g.Text
			f.Text, f.Key = see(whole).Text, ""
			for _, c := range g.Checks {
				f.List = append(f.List, see(c))
			}
		}
		v.Findings = append(v.Findings, f)
	}
}

package runs

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"nelko/internal/core/list"
	"nelko/internal/core/profile"
	"nelko/internal/core/timecode"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Act is what is done with all rows that are ready for it.
type Act string

// The acts.
const (
	Render Act = "render"
	Link   Act = "link"  // make links, hand them over
	Mail   Act = "mail"  // make links and mail them
	Again  Act = "again" // render what failed
	Proof  Act = "proof" // send each client a draft
	Disc   Act = "disc"  // make each row a disc
	Burn   Act = "burn"  // burn each row's disc, one after the other

	Together Act = "together" // make discs with the films of all rows, as many as hold them
)

// LeftOut is a row an act leaves out, and why.
type LeftOut = store.LeftOut

// Plan is what an act would do.
type Plan struct {
	Act               Act
	Rows              []Row
	LeftOut           []LeftOut
	Shortest, Longest float64 // seconds of film
	Work              Estimate

	handed map[int64]handed
}

// Plan tells beforehand what an act would do with the rows, how long it takes as far as that is
// known without laying films out.
func (f *Work) Plan(ctx context.Context, s *Sheet, act Act) (Plan, error) {
	return f.plan(ctx, s, act, false)
}

// Reckon is Plan with films laid out for it: what they share, or was made before, is known.
func (f *Work) Reckon(ctx context.Context, s *Sheet, act Act) (Plan, error) {
	return f.plan(ctx, s, act, true)
}

func (f *Work) plan(ctx context.Context, s *Sheet, act Act, look bool) (Plan, error) {
	p := Plan{Act: act}
	hands := act == Proof || act == Disc || act == Burn
	if hands {
		var err error
		if p.handed, err = f.out.handed(ctx, s.ID); err != nil {
			return p, err
		}
	}
	for _, r := range s.Rows {
		why := ""
		if hands {
			why = r.whyNotHanded(act, p.handed[r.ID])
		} else {
			why = r.whyNot(act)
		}
		switch {
		case why == "":
			p.Rows = append(p.Rows, r)
		case why != done:
			p.LeftOut = append(p.LeftOut, LeftOut{ID: r.ID, Key: r.RunKey, Name: r.Client, Why: why})
		}
	}
	switch act {
	case Proof, Disc:
		var err error
		p.Work, err = f.sheets.anew(ctx, s, p.Rows)
		return p, err
	case Render, Again:
	default:
		return p, nil
	}
	for i, r := range p.Rows {
		if i == 0 || r.PictureSeconds < p.Shortest {
			p.Shortest = r.PictureSeconds
		}
		p.Longest = max(p.Longest, r.PictureSeconds)
	}
	var err error
	p.Work, err = f.sheets.Estimate(ctx, s, p.Rows, look)
	return p, err
}

// done is why a row is left out without a word: nothing is to be done.
const done = "-"

// whyNot is why an act leaves a row out; empty if it does not.
func (r Row) whyNot(act Act) string {
	running := r.Render != nil && !r.Render.State.Over()
	finished := r.Current() && r.Render.State == store.RenderDone
	switch act {
	case Render, Again:
		switch {
		case running || finished:
			return done
		case act == Again && (r.Render == nil || r.Render.State != store.RenderFailed):
			return done
		case r.stops() != "":
			return wording.Lower(r.stops())
		case r.StepKind == string(orders.Works):
			return "its files are being read"
		}
		for _, c := range []list.Role{Pictures, Fit, list.Songs} {
			// A file that cannot be used is looked at; the others make the film.
			if n := r.Needs[c]; n != "" && (c != Pictures || r.Pictures == 0) {
				return n
			}
		}
	case Link, Mail:
		said, wants := r.RunValues[list.Wanted], orders.Wanted(r.Order)
		switch {
		case (said != "" || len(wants) > 0) && !slices.Contains(wants, store.LinkDelivery):
			return "wants no link but " + cmp.Or(said, orders.InWords(wants))
		case r.Link != nil && r.Link.RenderID == renderID(r) && (act == Link || r.Link.MailedTo != "" &&
			r.Link.MailError == ""):
			return done
		case running:
			return "its film is being rendered"
		case !finished:
			return "its film is not rendered"
		case act == Mail && r.ClientEmail == "":
			return "no e-mail address"
		}
	}
	return ""
}

func renderID(r Row) int64 {
	if r.Render == nil {
		return 0
	}
	return r.Render.ID
}

// Lasts says how long an act's work takes where that is more than a minute; else nothing.
func (p Plan) Lasts() string { return p.Work.ifLong() }

// InWords says what an act will do: "21 films, 1:02 to 1:14 each, about 18 min
// on 2 workers".
func (p Plan) InWords() string {
	n := len(p.Rows)
	switch p.Act {
	case Link:
		return wording.Counted(n, "link")
	case Mail:
		return wording.Counted(n, "link") + ", each mailed to its client"
	case Proof:
		return wording.Counted(n, "proof")
	case Disc:
		return wording.Counted(n, "disc")
	case Burn:
		return wording.Counted(n, "copy")
	}
	if n == 0 {
		return "No film is ready to be rendered"
	}
	long := timecode.Clock(p.Shortest)
	if p.Longest-p.Shortest >= 0.05 {
		long += " to " + timecode.Clock(p.Longest)
	}
	text := fmt.Sprintf("%s, %s each, ", wording.Counted(n, "film"), long)
	return text + p.Work.InWords()
}

// WhyLeftOut sums up why rows are left out, like ones together.
func (p Plan) WhyLeftOut() string {
	var why []string
	keys := map[string][]string{}
	for _, l := range p.LeftOut {
		if strings.HasPrefix(l.Why, cannotFit) {
			l.Why = "cannot be fitted" // each by another length
		}
		if keys[l.Why] == nil {
			why = append(why, l.Why)
		}
		keys[l.Why] = append(keys[l.Why], l.Key)
	}
	for i, w := range why {
		k := keys[w]
		if len(k) > 6 {
			k = append(slices.Clone(k[:6]), fmt.Sprintf("and %d more", len(k)-6))
		}
		why[i] = fmt.Sprintf("%s (%s)", w, strings.Join(k, ", "))
	}
	return strings.Join(why, "; ")
}

// Pause keeps a Run's films that wait from being begun; GoOn ends that. What
// is rendering goes on.
func (f *Work) Pause(ctx context.Context, id int64) error {
	now := f.Now()
	if err := f.Store.Tx(ctx, func(tx *gorm.DB) error {
		return change(tx, id, map[string]any{"paused_at": &now})
	}); err != nil {
		return err
	}
	return f.hold(ctx, id, true)
}

// GoOn lets a paused Run's films be begun again.
func (f *Work) GoOn(ctx context.Context, id int64) error {
	if err := f.Store.Tx(ctx, func(tx *gorm.DB) error {
		return change(tx, id, map[string]any{"paused_at": nil})
	}); err != nil {
		return err
	}
	return f.hold(ctx, id, false)
}

func (f *Work) hold(ctx context.Context, id int64, on bool) error {
	ids, err := f.ids(ctx, id)
	if err != nil {
		return err
	}
	if on {
		return f.Making.Turns.Hold(ctx, ids)
	}
	return f.Making.Turns.GoOn(ctx, ids)
}

func (h *room) ids(ctx context.Context, id int64) (out []int64, err error) {
	return out, h.Store.DB.WithContext(ctx).Model(&store.Order{}).Where("run_id = ? AND run_key <> ''", id).
		Pluck("id", &out).Error
}

// open are the films of a Run that wait or are made: what Cancel ends. Drafts for clients are
// none of them.
func (f *Work) open(ctx context.Context, id int64) (out []store.Render, err error) {
	ids, err := f.ids(ctx, id)
	if err != nil {
		return nil, err
	}
	return out, f.Store.DB.WithContext(ctx).
		Where("order_id IN ? AND state IN ('waiting', 'running') AND profile <> ?", ids, profile.Proof.Name).
		Order("id").Find(&out).Error
}

// Running counts what Cancel of all rows would end.
func (f *Work) Running(ctx context.Context, id int64) (int, error) {
	open, err := f.open(ctx, id)
	return len(open), err
}

// Cancel ends the films of a Run that wait or are made, of some rows or, with none named, of all,
// and tells how many. Drafts that clients wait for go on.
func (f *Work) Cancel(ctx context.Context, id int64, only ...int64) (int, error) {
	open, err := f.open(ctx, id)
	if err != nil {
		return 0, err
	}
	if len(only) > 0 {
		open = slices.DeleteFunc(open, func(r store.Render) bool { return !slices.Contains(only, r.OrderID) })
	}
	for _, r := range open {
		if err := f.Making.Renders.Cancel(ctx, r.OrderID, r.ID); err != nil {
			return 0, err
		}
	}
	return len(open), nil
}

// MoveFirst moves a row's film before all others that wait.
func (f *Work) MoveFirst(ctx context.Context, id, order int64) error {
	if _, err := store.One[store.Order](f.Store.DB.WithContext(ctx).Select("id"), "id = ? AND run_id = ?",
		order, id); err != nil {
		return err
	}
	return f.Making.Turns.MoveFirst(ctx, order)
}

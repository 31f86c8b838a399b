package runs

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"nelko/internal/core/follow"
	"nelko/internal/core/list"
	"nelko/internal/core/plan"
	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// urgency is in which order what a row needs is done, beside its details, which come first.
var urgency = []list.Role{list.Key, Pictures, list.Songs, Fit, Films, Answers, list.Email, Gone, Checks}

// Exception is the one thing a row needs a person for that is done first, and in which column it
// stands; empty if it needs nobody.
func (s *Sheet) Exception(r Row) (role list.Role, text string) {
	for _, d := range s.Pattern.Theme.Details {
		if role := list.DetailRole(d.Key); r.Needs[role] != "" {
			return role, r.Needs[role]
		}
	}
	for _, role := range urgency {
		if r.Needs[role] != "" {
			return role, r.Needs[role]
		}
	}
	return "", ""
}

// Needing counts the rows that need a person.
func (s *Sheet) Needing() (n int) {
	for _, r := range s.Rows {
		if r.Stage == NeedsYou {
			n++
		}
	}
	return n
}

// ToLookAt counts the rows that go on by themselves, and in which there is something to look at.
func (s *Sheet) ToLookAt() (n int) {
	for _, r := range s.Rows {
		if r.onlyLooks() {
			n++
		}
	}
	return n
}

// onlyLooks reports whether there is something to look at in a row that needs nobody else.
func (r Row) onlyLooks() bool {
	return len(r.Needs) > 0 && r.Stage != NeedsYou && r.Stage != Reading && r.Stage != Rendering
}

// Asks reports whether a row is among the exceptions that are gone through now: first those that
// need somebody, and once there are none, those that are to be looked at.
func (s *Sheet) Asks(r Row) bool { return r.Stage == NeedsYou || r.onlyLooks() && s.Needing() == 0 }

// needs says in words, by column, what each row needs a person for, and how far it is.
func (s *Sheet) needs() {
	asked := map[int64]string{}
	for _, f := range s.Folders {
		if f.Likely != nil && !f.Passed {
			asked[*f.Likely] = f.Name
		}
	}
	// Where rows have pictures of their own, one without misses them, though the
	// common ones make a film.
	own := slices.ContainsFunc(s.Rows, func(r Row) bool { return r.Pictures > 0 })
	mails := slices.ContainsFunc(s.Rows, func(r Row) bool { return r.ClientEmail != "" })
	var held []store.Order
	for _, r := range s.Rows {
		held = append(held, r.Order)
	}
	twice := s.twice(held)
	for i := range s.Rows {
		r := &s.Rows[i]
		r.material(s.Run, asked[r.ID], own)
		if n := r.address(s.Run, mails); n != "" {
			r.Needs[list.Email] = n
		}
		if n := r.Said.need(); n != "" {
			r.Needs[Answers] = n
		}
		// What is only to be looked at keeps a row from nothing.
		r.Stage = r.stage()
		if other := twice[r.ID]; other != "" && !r.Meant[SameName] && r.Needs[s.calledIn()] == "" {
			r.Needs[s.calledIn()] = "as row " + other
		}
		if n := r.Doubts(); n > 0 {
			r.Needs[Checks] = fmt.Sprintf("%d to look at", n)
		}
	}
}

// material says what a row's details, pictures, music and film need a person for.
func (r *Row) material(run *Run, folder string, own bool) {
	for _, d := range run.Pattern.Theme.Details {
		if d.Required && r.Details[d.Key] == "" {
			r.Needs[list.DetailRole(d.Key)] = wording.Lower(d.Label) + " missing"
		}
	}
	bad := 0
	for _, x := range r.Sees {
		switch {
		case strings.HasPrefix(x.Place, "detail-"):
			if role := list.DetailRole(strings.TrimPrefix(x.Place, "detail-")); r.Needs[role] == "" &&
				x.Stops {
				r.Needs[role] = "missing"
			}
		case x.File():
			bad++
		case x.Place == "material" && x.Stops:
			own = true
		case x.Place == "soundtrack" && x.Stops:
			r.Needs[Fit] = "no music"
		case x.Place == "fit" && (x.Stops || x.Kind == plan.EndsApart):
			r.Needs[Fit] = wording.Lower(x.Text)
		}
	}
	switch {
	case own && r.Pictures == 0 && folder != "":
		r.Needs[Pictures] = "is “" + folder + "” its folder?"
	case own && r.Pictures == 0:
		r.Needs[Pictures] = "no pictures"
	case bad > 0:
		r.Needs[Pictures] = wording.Counted(bad, "file") + " damaged or unusable"
	}
	if v := r.RunValues[list.Songs]; v != "" && !slices.Contains(r.Own, follow.Soundtrack) {
		r.Needs[list.Songs] = "no song “" + v + "”"
	}
	if failed := wording.Lower(r.StepText); r.StepKind == string(orders.Failed) && r.StepPlace == "renders" {
		r.Needs[Films] = failed
	} else if r.StepKind == string(orders.Failed) && r.Said.MailError == "" {
		r.Needs[Gone] = failed
	}
	if r.Link != nil && r.Link.MailError != "" {
		r.Needs[Gone] = "mail failed: " + r.Link.MailError
	}
}

// address says what is wrong with the address of a row whose film goes out by a link: it has
// none though it or others of the Run do get mail, or the list has something that is none.
func (r Row) address(run *Run, mails bool) string {
	said, wants := r.wants()
	if r.ClientEmail != "" || said && !slices.Contains(wants, store.LinkDelivery) {
		return ""
	}
	if run.List != nil {
		for i, role := range run.List.Roles {
			if v := strings.TrimSpace(r.RunCells[run.List.Headings[i]]); role == list.Email && v != "" &&
				r.RunListed[list.Email] == "" {
				return "“" + v + "” is no e-mail address"
			}
		}
	}
	if said || mails {
		return "no e-mail address"
	}
	return ""
}

// calledIn is the column that says whose film a row is: the first detail that every row has for
// itself, or the key.
func (r *Run) calledIn() list.Role {
	for _, d := range r.Pattern.Theme.Details {
		if slices.Contains(r.ByRow(), d.Key) {
			return list.DetailRole(d.Key)
		}
	}
	return list.Key
}

// twice tells of rows that are called alike, however they are written, the key of another that
// is: one person's film may be made twice.
func (r *Run) twice(rows []store.Order) map[int64]string {
	in, alike := r.calledIn(), map[string][]store.Order{}
	if in == list.Key {
		return nil
	}
	for _, o := range rows {
		if name := list.Fold(valueOf(o, in)); name != "" && o.AsideAt == nil {
			alike[name] = append(alike[name], o)
		}
	}
	out := map[int64]string{}
	for _, like := range alike {
		for n, o := range like {
			if other := like[(n+1)%len(like)]; len(like) > 1 {
				out[o.ID] = other.RunKey
			}
		}
	}
	return out
}

// Doubts are what a colleague would point out of a row beside its own film: that another row is
// called as it is. Of other orders there is nothing to say.
func (y *Sheets) Doubts(ctx context.Context, o store.Order) ([]plan.Check, error) {
	if o.RunID == nil || o.RunKey == "" {
		return nil, nil
	}
	run, err := y.Load(ctx, *o.RunID)
	if err != nil {
		return nil, err
	}
	all, err := rows(y.Store.DB.WithContext(ctx), run.ID, false)
	if err != nil {
		return nil, err
	}
	other, ok := run.twice(all)[o.ID]
	if !ok {
		return nil, nil
	}
	role := run.calledIn()
	key, _ := role.Detail()
	return []plan.Check{{
		Weight: plan.Doubt,
		Kind:   SameName,
		Key:    SameName,
		Field:  "detail:" + key,
		Text:   fmt.Sprintf("Row %s of the Run is called “%s” too", other, valueOf(o, role)),
	}}, nil
}

// SameName is the key by which it is marked as meant that a row is called as another is.
const SameName = "samename"

// Doubts counts what the checks see and nobody needs to mend.
func (r Row) Doubts() (n int) {
	for _, x := range r.Sees {
		if !x.Stops && !x.File() && x.Kind != plan.EndsApart {
			n++
		}
	}
	return n
}

// stops is what keeps a row from being rendered, in words.
func (r Row) stops() string {
	for _, x := range r.Sees {
		if x.Stops {
			return x.Text
		}
	}
	return ""
}

package runs

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	discs "nelko/internal/core/disc"
	"nelko/internal/core/profile"
	"nelko/internal/core/wording"
	"nelko/internal/delivery"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/proofs"
	"nelko/internal/store"
)

// handed is how far a row's proof and disc are.
type handed struct {
	approved bool
	proofed  bool // its client has the draft of the film as it is now
	disc     int64
	pressed  bool // the disc's image is made
	burned   bool // or is being burned
}

// handed reads how far all rows' proofs and discs are, of their films as they
// are now.
func (o *Out) handed(ctx context.Context, run int64) (map[int64]handed, error) {
	var rows []struct {
		ID                                 int64
		Approved, Proofed, Pressed, Burned bool
		Disc                               int64
	}
	err := o.Store.DB.WithContext(ctx).Raw(`SELECT o.id,
			EXISTS (SELECT 1 FROM approvals a WHERE a.order_id = o.id AND a.revision = s.head) AS approved,
			EXISTS (SELECT 1 FROM renders r WHERE r.order_id = o.id AND r.profile = ? AND r.revision = s.head AND r.state IN ('waiting', 'running', 'done'))
				AND EXISTS (SELECT 1 FROM links l JOIN deliveries d ON d.id = l.delivery_id WHERE d.order_id = o.id AND l.proof AND l.closed_at IS NULL AND l.expires_at > ?) AS proofed,
			coalesce(x.delivery_id, 0) AS disc, x.image IS NOT NULL AS pressed,
			EXISTS (SELECT 1 FROM burns b WHERE b.delivery_id = x.delivery_id AND b.state IN ('waiting', 'burning', 'verifying', 'done')) AS burned
		FROM orders o JOIN slideshows s ON s.order_id = o.id AND s.position = 0
		LEFT JOIN LATERAL (SELECT x.* FROM discs x JOIN deliveries d ON d.id = x.delivery_id JOIN delivery_renders dr ON dr.delivery_id = d.id JOIN renders r ON r.id = dr.render_id
			WHERE d.order_id = o.id AND d.state NOT IN ('closed', 'failed') AND r.revision = s.head ORDER BY d.id DESC LIMIT 1) x ON true
		WHERE o.run_id = ? AND o.run_key <> ''`, profile.Proof.Name, o.Now(), run).Scan(&rows).Error
	out := map[int64]handed{}
	for _, r := range rows {
		out[r.ID] = handed{r.Approved, r.Proofed, r.Disc, r.Pressed, r.Burned}
	}
	return out, err
}

// whyNotHanded is why an act of proofs or discs leaves a row out; empty if it
// does not.
func (r Row) whyNotHanded(act Act, h handed) string {
	if r.stops() != "" && act != Burn {
		return r.whyNot(Render)
	}
	said, wants := r.wants()
	switch act {
	case Proof:
		if h.approved || h.proofed || r.Link != nil && r.Link.RenderID == renderID(r) {
			return done
		}
	case Disc:
		switch {
		case said && !slices.Contains(wants, store.DiscDelivery):
			return "wants no disc"
		case h.disc > 0:
			return done
		case r.AsksApproval && !h.approved:
			return "not approved by its client"
		case r.Pictures == 0:
			return "no pictures yet"
		}
	case Burn:
		switch {
		case h.burned, h.disc == 0 && said && !slices.Contains(wants, store.DiscDelivery):
			return done
		case h.disc == 0:
			return "has no disc yet"
		case !h.pressed:
			return "its disc is not made yet"
		}
	}
	return ""
}

// wants is by which ways a row is to be delivered, and whether that is said.
func (r Row) wants() (said bool, wants []store.DeliveryKind) {
	wants = orders.Wanted(r.Order)
	return len(wants) > 0, wants
}

// proofDays is how long the proofs of a Run are open.
const proofDays = 30

// UsualDisc is a disc where nothing else is said. It is not to be changed.
var UsualDisc = store.DiscSetting{
	Kind:     store.DVDVideo,
	Blank:    discs.DVD5.Name,
	Profiles: []string{profile.DVDPALWide.Name},
	Menu:     true,
}

// hand does an act of proofs or discs for a row.
func (o *Out) hand(ctx context.Context, run *Run, r Row, act Act, h handed, how store.DiscSetting) error {
	switch act {
	case Proof:
		_, err := o.Proofs.Send(ctx, r.ID, proofs.New{
			Title: titleOf(run, r),
			Days:  proofDays,
			Mail:  r.ClientEmail != "",
		})
		return err
	case Disc:
		how.Name = discName(run, r)
		_, err := o.Pressing.Discs.Make(ctx, r.ID, pressing.New{DiscSetting: how})
		return err
	}
	return o.Pressing.Burner.Copies(ctx, h.disc, 1)
}

// titleOf is what a row's film is called to its client.
func titleOf(run *Run, r Row) string {
	title := run.Event
	if n := strings.Join(strings.Fields(r.Details["names"]), " "); n != "" {
		title = wording.Beside(n, run.Event)
	}
	if len(title) > 200 {
		title = strings.ToValidUTF8(title[:200], "")
	}
	return title
}

// discName is what is written on a row's disc: whose it is, in few words.
func discName(run *Run, r Row) string {
	name := strings.Join(strings.Fields(r.Details["names"]), " ")
	if name == "" {
		name = r.Client
	}
	name = r.RunKey + " " + wording.Beside(name, run.Event)
	if len(name) > pressing.MaxName {
		name = strings.TrimSpace(strings.ToValidUTF8(name[:pressing.MaxName], ""))
	}
	return name
}

// Faces are the discs of a Run's rows, whose faces can be printed.
func (o *Out) Faces(ctx context.Context, s *Sheet) (out []int64, err error) {
	all, err := o.handed(ctx, s.ID)
	for _, r := range s.Rows {
		if h := all[r.ID]; h.disc > 0 && h.pressed {
			out = append(out, h.disc)
		}
	}
	return out, err
}

// finished are the rows whose film is made as it is now.
func (s *Sheet) finished() (out []Row) {
	for _, r := range s.Rows {
		if r.Current() && r.Render.State == store.RenderDone {
			out = append(out, r)
		}
	}
	return out
}

// LinkTogether makes one link with the films of all rows that are made, for who ordered
// them together, and tells its address.
func (o *Out) LinkTogether(ctx context.Context, id int64) (address string, err error) {
	s, err := o.sheets.Sheet(ctx, id)
	if err != nil {
		return "", err
	}
	rows := s.finished()
	if len(rows) == 0 {
		return "", invalid.Field("films", "No film of the Run is made as it is now. Render them first.")
	}
	n := delivery.NewLink{
		Title:        s.Name,
		Downloadable: true,
		Days:         linkDays,
		Keep:         true,
		RenderID:     rows[0].Render.ID,
	}
	for _, r := range rows[1:] {
		n.Also = append(n.Also, r.Render.ID)
	}
	_, token, err := o.Delivery.Links.MakeLink(ctx, s.Pattern.Order.ID, n)
	if err != nil {
		return "", err
	}
	return o.Delivery.Address(token), nil
}

// together are the rows whose films go onto discs together: all that are ready, or only those
// whose film is made.
func (s *Sheet) together(finished bool) (out []Row) {
	if finished {
		return s.finished()
	}
	for _, r := range s.Rows {
		if r.whyNot(Render) == "" || r.whyNot(Render) == done {
			out = append(out, r)
		}
	}
	return out
}

// TogetherText says what the act Together does before it is asked for: so many films, and how long
// it takes to encode them for discs.
func (o *Out) TogetherText(ctx context.Context, s *Sheet) (string, error) {
	rows := s.together(false)
	e, err := o.sheets.anew(ctx, s, rows)
	text := wording.Counted(len(rows), "film")
	if long := e.ifLong(); long != "" {
		text += ", " + long
	}
	return text, err
}

// discSet is a disc of those that hold the films of many rows.
type discSet struct {
	name string
	rows []Row
}

// divide gives as many discs as hold the films of rows, in the rows' order.
func (s *Sheet) divide(rows []Row, how store.DiscSetting) (out []discSet, err error) {
	if len(rows) == 0 {
		return nil, invalid.Field("films", "No row is ready for a disc.")
	}
	var seconds []float64
	for _, r := range rows {
		seconds = append(seconds, r.PictureSeconds)
	}
	parts, err := pressing.Divide(how, seconds)
	if err != nil {
		return nil, invalid.Field("blank", "The films do not fit: %v.", err)
	}
	for i, part := range parts {
		d := discSet{name: s.Name}
		if len(parts) > 1 {
			d.name = fmt.Sprintf("%s, disc %d of %d", s.Name, i+1, len(parts))
		}
		for _, k := range part {
			d.rows = append(d.rows, rows[k])
		}
		out = append(out, d)
	}
	return out, nil
}

// putOn makes a disc of an act, unless the act made it before it was broken off.
func (o *Out) putOn(ctx context.Context, s *Sheet, d discSet, act *store.RunAct) error {
	x := pressing.New{DiscSetting: *act.How}
	x.Name = d.name
	for _, r := range d.rows {
		x.Orders = append(x.Orders, r.ID)
	}
	var made int64
	err := o.Store.DB.WithContext(ctx).Model(&store.Delivery{}).
		Where("order_id = ? AND kind = ? AND title = ? AND created_at >= ?", s.PatternID, store.DiscDelivery,
			d.name, act.CreatedAt).Count(&made).Error
	if err != nil || made > 0 {
		act.Begun += int(made)
		return err
	}
	_, err = o.Pressing.Discs.Make(ctx, s.Pattern.Order.ID, x)
	var wrong *invalid.Input
	if errors.As(err, &wrong) {
		for _, r := range d.rows {
			act.LeftOut = append(act.LeftOut, LeftOut{
				ID:   r.ID,
				Key:  r.RunKey,
				Name: r.Client,
				Why:  d.name + " was not begun: " + wrong.Problem,
			})
		}
		return nil
	}
	if err == nil {
		act.Begun++
	}
	return err
}

// doRow does an act with a row; what is wrong with the row leaves it out.
func (o *Out) doRow(ctx context.Context, s *Sheet, p Plan, r Row, how store.DiscSetting,
	act *store.RunAct) error {
	var err error
	switch Act(act.Act) {
	case Render, Again:
		_, err = o.Making.Renders.Begin(ctx, r.ID, "")
	case Link, Mail:
		err = o.deliver(ctx, s.Run, r, Act(act.Act) == Mail)
	default:
		err = o.hand(ctx, s.Run, r, Act(act.Act), p.handed[r.ID], how)
	}
	var inv *invalid.Input
	switch {
	case errors.As(err, &inv):
		act.LeftOut = append(act.LeftOut, LeftOut{ID: r.ID, Key: r.RunKey, Name: r.Client, Why: inv.Problem})
		return nil
	case err != nil:
		return err
	}
	act.Begun++
	return nil
}

// linkDays is how long the links of a Run are open.
const linkDays = 90

// deliver makes a row's film a link and mails its address if it is to. A film that has a link
// keeps it.
func (o *Out) deliver(ctx context.Context, run *Run, r Row, mail bool) error {
	n := delivery.NewLink{
		RenderID:     r.Render.ID,
		Title:        titleOf(run, r),
		Downloadable: true,
		Days:         linkDays,
		Mail:         mail,
		Keep:         true,
	}
	if run.Mail != nil {
		n.Subject, n.Text = fill(run.Mail.Subject, run.Fields(r)), fill(run.Mail.Text, run.Fields(r))
	}
	if l := r.Link; mail && l != nil && l.RenderID == r.Render.ID && l.KeptToken != "" {
		return o.Delivery.Post.MailLink(ctx, r.ID, l.Link, n.Subject, n.Text)
	}
	_, _, err := o.Delivery.Links.MakeLink(ctx, r.ID, n)
	return err
}

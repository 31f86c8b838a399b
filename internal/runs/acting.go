package runs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"nelko/internal/core/wording"
	"nelko/internal/invalid"
	"nelko/internal/store"
)

// Ask is what is to be done with rows.
type Ask struct {
	Act  Act
	Only []int64           // these rows; none: all
	How  store.DiscSetting // of discs
	Made bool              // of Together: only the films that are made as they are now
}

// Acting is the job that does an act with one row after the other. Whoever asked for it need not
// wait.
type Acting struct {
	ActID int64 `json:"act_id"`
}

// Kind implements river.JobArgs.
func (Acting) Kind() string { return "run_act" }

// InsertOpts implements river.JobArgsWithInsertOpts.
func (Acting) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: acting, MaxAttempts: 5} }

// acting is the queue of acts: they wait for nothing but the database and mail servers.
const acting = "acts"

// Start has an act done by the job queue, once: while one like it goes on, another is refused.
func (h *Acts) Start(ctx context.Context, id int64, a Ask, author *store.User) (store.RunAct, error) {
	act := store.RunAct{
		RunID:     id,
		Act:       string(a.Act),
		State:     store.ActWaiting,
		How:       &a.How,
		CreatedAt: h.Now(),
	}
	if author != nil {
		act.AuthorID, act.Author = &author.ID, author.Name
	}
	s, err := h.sheets.Sheet(ctx, id)
	if err != nil {
		return act, err
	}
	p, err := h.asked(ctx, s, a)
	if err != nil {
		return act, err
	}
	if a.Act == Together {
		if _, err := s.divide(p.Rows, a.How); err != nil {
			return act, err
		}
	}
	for _, r := range p.Rows {
		act.Rows = append(act.Rows, r.ID)
	}
	act.LeftOut = p.LeftOut
	if len(act.Rows) == 0 {
		act.State = store.ActDone
		return act, nil
	}
	return act, h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if _, err := lock(tx, id); err != nil {
			return err
		}
		var open int64
		if err := tx.Model(&store.RunAct{}).
			Where("run_id = ? AND act = ? AND state IN ('waiting', 'running')", id, act.Act).
			Count(&open).Error; err != nil {
			return err
		}
		if open > 0 {
			return invalid.Field("act", "This is being done already; wait for it, or stop it.")
		}
		if err := tx.Create(&act).Error; err != nil {
			return err
		}
		if err := store.Tell(tx, store.Event{What: store.RunChanged, ID: id}); err != nil {
			return err
		}
		return h.Queue.Insert(ctx, tx, Acting{act.ID})
	})
}

// asked plans what is asked for.
func (h *Acts) asked(ctx context.Context, s *Sheet, a Ask) (Plan, error) {
	if !slices.Contains([]Act{Render, Again, Link, Mail, Proof, Disc, Burn, Together}, a.Act) {
		return Plan{}, invalid.Field("act", "That cannot be done with a Run.")
	}
	p, err := Plan{Act: Together, Rows: s.together(a.Made)}, error(nil)
	if a.Act != Together {
		p, err = h.work.Plan(ctx, s, a.Act)
	}
	if len(a.Only) > 0 {
		p.Rows = slices.DeleteFunc(p.Rows, func(r Row) bool { return !slices.Contains(a.Only, r.ID) })
		p.LeftOut = slices.DeleteFunc(p.LeftOut, func(l LeftOut) bool {
			return !slices.Contains(a.Only, l.ID)
		})
	}
	return p, err
}

// Act does an act that was begun, from where it stands. What was done of it before is not done
// again, whoever did it.
func (h *Acts) Act(ctx context.Context, j Acting) error {
	act, err := store.One[store.RunAct](h.Store.DB.WithContext(ctx), "id = ?", j.ActID)
	if errors.Is(err, store.ErrNotFound) || err == nil && !act.State.Open() {
		return nil
	}
	if err != nil {
		return err
	}
	ctx = store.As(ctx, &store.Actor{UserID: act.AuthorID, Who: act.Author})
	s, err := h.sheets.Sheet(ctx, act.RunID)
	if err != nil {
		return err
	}
	if Act(act.Act) == Together {
		return h.putTogether(ctx, s, &act)
	}
	a := Ask{Act: Act(act.Act), Only: act.Rows}
	if act.How != nil {
		a.How = *act.How
	}
	p, err := h.asked(ctx, s, a)
	if err != nil {
		return err
	}
	still := map[int64]Row{}
	for _, r := range p.Rows {
		still[r.ID] = r
	}
	for act.Next < len(act.Rows) {
		if r, ok := still[act.Rows[act.Next]]; ok {
			if err := h.out.doRow(ctx, s, p, r, a.How, &act); err != nil {
				return fmt.Errorf("row %s: %w", r.RunKey, err)
			}
		}
		act.Next++
		if goesOn, err := h.note(ctx, &act); err != nil || !goesOn {
			return err
		}
	}
	if s.PausedAt != nil && (a.Act == Render || a.Act == Again) {
		return h.work.hold(ctx, act.RunID, true)
	}
	return nil
}

// note keeps how far an act is, and tells whether it goes on: it may have been stopped.
func (h *Acts) note(ctx context.Context, act *store.RunAct) (goesOn bool, err error) {
	err = h.Store.Tx(ctx, func(tx *gorm.DB) error {
		left, err := json.Marshal(act.LeftOut)
		if err != nil {
			return err
		}
		set := map[string]any{
			"next":     act.Next,
			"begun":    act.Begun,
			"left_out": string(left),
			"state":    store.ActRunning,
		}
		if act.Next == len(act.Rows) {
			set["state"], set["finished_at"] = store.ActDone, h.Now()
		}
		res := tx.Model(&store.RunAct{}).Where("id = ? AND state IN ('waiting', 'running')", act.ID).
			Updates(set)
		if goesOn = res.RowsAffected > 0; res.Error != nil {
			return res.Error
		}
		if act.Next%tellEvery != 0 && act.Next < len(act.Rows) {
			return nil
		}
		return store.Tell(tx, store.Event{What: store.RunChanged, ID: act.RunID})
	})
	return goesOn, err
}

// tellEvery is after how many rows whoever looks on hears how far an act is.
const tellEvery = 4

// Stop ends an act: what was done of it stays, the rest is not done.
func (h *Acts) Stop(ctx context.Context, run, act int64) error {
	return h.endAct(ctx, run, act, store.ActStopped, "")
}

func (h *Acts) endAct(ctx context.Context, run, act int64, state store.ActState, why string) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&store.RunAct{}).Where("id = ? AND run_id = ? AND state IN ('waiting', 'running')",
			act, run).
			Updates(map[string]any{"state": state, "error": why, "finished_at": h.Now()}).Error
		if err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.RunChanged, ID: run})
	})
}

// giveUp marks an act that cannot be done as failed.
func (h *Acts) giveUp(ctx context.Context, j Acting, why string) error {
	act, err := store.One[store.RunAct](h.Store.DB.WithContext(ctx), "id = ?", j.ActID)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return h.endAct(ctx, act.RunID, act.ID, store.ActFailed, why)
}

// Await waits a moment for an act, since most are done at once, and tells how it stands then.
func (h *Acts) Await(ctx context.Context, act store.RunAct, most time.Duration) (store.RunAct, error) {
	until := time.Now().Add(most)
	for act.State.Open() && time.Now().Before(until) {
		select {
		case <-ctx.Done():
			return act, ctx.Err()
		case <-time.After(30 * time.Millisecond):
		}
		var err error
		if act, err = store.One[store.RunAct](h.Store.DB.WithContext(ctx), "id = ?", act.ID); err != nil {
			return act, err
		}
	}
	if act.ID == 0 || act.State.Open() {
		return act, nil
	}
	return act, h.SeenAct(ctx, act.RunID, act.ID)
}

// SeenAct notes that what became of an act was read.
func (h *Acts) SeenAct(ctx context.Context, run, act int64) error {
	return h.Store.Tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&store.RunAct{}).Where("id = ? AND run_id = ?", act, run).
			Update("seen", true).Error; err != nil {
			return err
		}
		return store.Tell(tx, store.Event{What: store.RunChanged, ID: run})
	})
}

// Acts are the acts of a Run that go on, and those that ended and of which nobody read yet.
func (h *Acts) Acts(ctx context.Context, run int64) (out []store.RunAct, err error) {
	return out, h.Store.DB.WithContext(ctx).Where("run_id = ? AND NOT seen", run).Order("id").
		Find(&out).Error
}

// Told says how an act stands: what was begun, or how far it is.
func Told(a store.RunAct) string {
	d := Done{Act: Act(a.Act), Begun: a.Begun, LeftOut: a.LeftOut}
	switch a.State {
	case store.ActDone:
		return d.InWords()
	case store.ActStopped:
		return fmt.Sprintf("Stopped after %d of %d rows. %s", a.Next, len(a.Rows), d.InWords())
	case store.ActFailed:
		return fmt.Sprintf("Ended after %d of %d rows: %s. %s", a.Next, len(a.Rows), a.Error, d.InWords())
	}
	doing := map[Act]string{
		Render:   "Queueing films",
		Again:    "Queueing films once more",
		Link:     "Making links",
		Mail:     "Mailing links",
		Proof:    "Sending proofs",
		Disc:     "Making discs",
		Burn:     "Queueing copies to burn",
		Together: "Putting films together on discs",
	}[d.Act]
	return fmt.Sprintf("%s: %d of %s done. It goes on when this window is closed.", doing, a.Next,
		wording.Counted(len(a.Rows), "row"))
}

// Done is what an act did.
type Done struct {
	Act     Act
	Begun   int
	LeftOut []LeftOut // with those that could not be begun
}

// InWords says what was done.
func (d Done) InWords() string {
	text := map[Act]string{
		Render: wording.Counted(d.Begun, "film") + " queued to be rendered",
		Again:  wording.Counted(d.Begun, "film") + " queued once more",
		Link:   wording.Counted(d.Begun, "link") + " made",
		Mail:   wording.Counted(d.Begun, "link") + " made and being mailed",
		Proof:  wording.Counted(d.Begun, "proof") + " being made for their clients",
		Disc:   wording.Counted(d.Begun, "disc") + " being made",
		Burn:   wording.Counted(d.Begun, "copy") + " to be burned, one after the other",
		Together: wording.Counted(d.Begun, "disc") +
			" being made with all films; the Run’s pattern has them under Deliveries",
	}[d.Act]
	if len(d.LeftOut) > 0 {
		text += fmt.Sprintf("; %s left out: %s", wording.Counted(len(d.LeftOut), "row"),
			Plan{LeftOut: d.LeftOut}.WhyLeftOut())
	}
	return text + "."
}

// DoAll does an act with all rows that are ready for it, and waits for it. Discs are the usual ones.
func (h *Acts) DoAll(ctx context.Context, id int64, act Act) (Done, error) {
	return h.DoAllWith(ctx, id, Ask{Act: act, How: UsualDisc})
}

// DoAllWith is Go with rows that are ready among those asked for, and discs as they are asked for.
func (h *Acts) DoAllWith(ctx context.Context, id int64, a Ask) (Done, error) {
	act, err := h.Start(ctx, id, a, nil)
	if err != nil || act.ID == 0 {
		return Done{Act: a.Act, LeftOut: act.LeftOut}, err
	}
	if err := h.Act(ctx, Acting{act.ID}); err != nil {
		return Done{Act: a.Act, LeftOut: act.LeftOut}, err
	}
	act, err = h.Await(ctx, act, time.Second)
	return Done{Act: a.Act, Begun: act.Begun, LeftOut: act.LeftOut}, err
}

// putTogether does the act Together from where it stands: of its discs, those that this act made
// before are not made again. What is wrong with a film leaves its disc out.
func (h *Acts) putTogether(ctx context.Context, s *Sheet, act *store.RunAct) error {
	var rows []Row
	for _, id := range act.Rows {
		if i := slices.IndexFunc(s.Rows, func(r Row) bool { return r.ID == id }); i >= 0 {
			rows = append(rows, s.Rows[i])
		}
	}
	discs, err := s.divide(rows, *act.How)
	if err != nil {
		return err
	}
	done := 0
	for _, d := range discs {
		if done += len(d.rows); done <= act.Next {
			continue
		}
		if err := h.out.putOn(ctx, s, d, act); err != nil {
			return fmt.Errorf("%s: %w", d.name, err)
		}
		act.Next = done
		if goesOn, err := h.note(ctx, act); err != nil || !goesOn {
			return err
		}
	}
	act.Next = len(act.Rows) // rows that are gone are gone through
	_, err = h.note(ctx, act)
	return err
}

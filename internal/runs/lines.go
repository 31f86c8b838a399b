package runs

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"nelko/internal/core/wording"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Standing is how a Run's rows stand, as its sheet counts them.
type Standing struct {
	Stages map[Stage]int
	Look   int // rows that go on by themselves, and in which there is something to look at
}

// Standing counts the rows by how far they are.
func (s *Sheet) Standing() Standing {
	out := Standing{Stages: map[Stage]int{}, Look: s.ToLookAt()}
	for _, r := range s.Rows {
		out.Stages[r.Stage]++
	}
	return out
}

// Asks says what rows a person has to see to: those that need one, or else those to look at.
func (s Standing) Asks() string {
	switch n := s.Stages[NeedsYou]; {
	case n == 1:
		return "1 row needs you"
	case n > 0:
		return wording.Counted(n, "row") + " need you"
	case s.Look > 0:
		return wording.Counted(s.Look, "row") + " to look at"
	}
	return ""
}

// stand is how Runs stand, as far as it was counted and nothing of them changed since. Nothing is
// kept before the first event was heard: who does not hear of changes cannot know.
type stand struct {
	mu    sync.Mutex
	hears bool
	turn  uint64 // rises with each event that is heard
	last  map[int64]uint64
	kept  map[int64]counted
}

type counted struct {
	Standing
	at time.Time
}

// standsFor is how long a count is kept at most: links end by the clock.
const standsFor = 10 * time.Minute

// Hear forgets how the Run of an event stands; all Runs if events were missed.
func (y *Sheets) Hear(e store.Event) {
	st := &y.stand
	st.mu.Lock()
	defer st.mu.Unlock()
	st.turn++
	switch e.What {
	case "":
		st.hears, st.last, st.kept = true, map[int64]uint64{}, map[int64]counted{}
	case store.RunChanged:
		if st.hears {
			st.last[e.ID] = st.turn
			delete(st.kept, e.ID)
		}
	}
}

// standing is how a Run stands; nil of one whose pattern is gone.
func (y *Sheets) standing(ctx context.Context, id int64) (*Standing, error) {
	st := &y.stand
	st.mu.Lock()
	k, ok := st.kept[id]
	turn := st.turn
	st.mu.Unlock()
	if ok && y.Now().Sub(k.at) < standsFor {
		return &k.Standing, nil
	}
	s, err := y.Sheet(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	k = counted{s.Standing(), y.Now()}
	st.mu.Lock()
	defer st.mu.Unlock()
	// What was told meanwhile may not be in what was read.
	if st.hears && st.last[id] <= turn {
		st.kept[id] = k
	}
	return &k.Standing, nil
}

// Line is a Run as a list of Runs shows it.
type Line struct {
	store.Run
	Films  int
	Next   time.Time // when the next of its films that is not delivered is due
	Gone   int       // films that are delivered
	Strip  store.Numbers
	Stands *Standing // as its sheet counts it; nil of one that was put away
}

// Lines reads all Runs: first the one of which a film is due next. How the rows of one stand is
// counted by its sheet, and kept until something of it changes.
func (y *Sheets) Lines(ctx context.Context, archived bool) ([]Line, error) {
	tx := y.Store.DB.WithContext(ctx)
	q := tx.Omit("list", "pending")
	if archived {
		q = q.Where("archived_at IS NOT NULL")
	} else {
		q = q.Where("archived_at IS NULL")
	}
	var all []store.Run
	if err := q.Order("due, id").Limit(500).Find(&all).Error; err != nil || len(all) == 0 {
		return nil, err
	}
	out := make([]Line, len(all))
	at := map[int64]int{}
	ids := make([]int64, len(all))
	for i, r := range all {
		out[i] = Line{Run: r}
		at[r.ID], ids[i] = i, r.ID
	}
	var counts []struct {
		RunID    int64
		StepKind orders.StepKind
		N        int
		Due      time.Time
		Strip    store.Numbers
	}
	err := tx.Raw(`SELECT run_id, step_kind, count(*) n, min(due) due, array_remove(array_agg(strip[1] ORDER BY run_position), NULL) strip FROM orders
		WHERE run_id IN ? AND run_key <> '' AND aside_at IS NULL AND deleted_at IS NULL GROUP BY run_id, step_kind`, ids).Scan(&counts).Error
	for _, c := range counts {
		l := &out[at[c.RunID]]
		l.Films += c.N
		if c.StepKind == orders.Finished {
			l.Gone += c.N
		} else if l.Next.IsZero() || c.Due.Before(l.Next) {
			l.Next = c.Due
		}
		l.Strip = append(l.Strip, c.Strip[:min(len(c.Strip), max(0, stripLength-len(l.Strip)))]...)
	}
	if err != nil {
		return nil, err
	}
	for i := range out {
		if out[i].Next.IsZero() {
			out[i].Next = out[i].Due
		}
		if archived {
			continue
		}
		if out[i].Stands, err = y.standing(ctx, out[i].ID); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(out, func(a, b Line) int { return a.Next.Compare(b.Next) })
	return out, nil
}

const stripLength = 9

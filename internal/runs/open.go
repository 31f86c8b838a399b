package runs

import (
	"context"
	"strings"
	"time"

	"nelko/internal/core/theme"
	"nelko/internal/shelf"

	"gorm.io/gorm"

	"nelko/internal/core/list"
	"nelko/internal/invalid"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// New is what begins a Run.
type New struct {
	Name  string
	Event string // what its rows are about; the name if empty
	Due   time.Time
	Theme string // by ID; empty: the usual one
	Table *list.Table
}

// Open begins a Run: its pattern and, if there is a list, its rows.
func (y *Lists) Open(ctx context.Context, n New, author *int64) (store.Run, error) {
	n.Name, n.Event = strings.TrimSpace(n.Name), strings.TrimSpace(n.Event)
	switch {
	case n.Name == "" || len(n.Name) > 200 || len(n.Event) > 200:
		return store.Run{}, invalid.Field("name", "The Run needs a name of at most 200 characters.")
	case n.Due.IsZero():
		return store.Run{}, invalid.Field("due", "The due date is missing.")
	}
	if n.Event == "" {
		n.Event = n.Name
	}
	run := store.Run{Name: n.Name, Event: n.Event, Due: n.Due}
	err := y.Store.Tx(ctx, func(tx *gorm.DB) error {
		p, err := y.Orders.Heads.OpenPattern(ctx, tx, orders.New{
			Head:  orders.Head{Client: "Pattern: " + n.Name, Event: n.Event, Due: n.Due},
			Theme: n.Theme,
		}, nil, author)
		if err != nil {
			return err
		}
		run.PatternID = &p.ID
		if err := tx.Create(&run).Error; err != nil {
			return err
		}
		if err := store.NoteRun(tx, store.DidOrder, run.ID, "Opened the Run"); err != nil {
			return err
		}
		if err := tx.Model(&store.Order{ID: p.ID}).Update("run_id", run.ID).Error; err != nil {
			return err
		}
		if n.Table == nil {
			return nil
		}
		t, err := y.themeOf(n.Theme)
		if err != nil {
			return err
		}
		roles := n.Table.Recognise(Details(t))
		return y.take(ctx, tx, run.ID, store.RunList{Table: *n.Table, Roles: roles}, nil, author)
	})
	return run, err
}

func (y *Lists) themeOf(id string) (*theme.Theme, error) {
	if id == "" {
		id = shelf.DefaultTheme
	}
	t, err := y.Shelf.Themes.Get(id)
	if err != nil {
		return nil, invalid.Field("theme", "%v", err)
	}
	return t, nil
}

// Details are the details of a theme as lists know them.
func Details(t *theme.Theme) (out []list.Detail) {
	for _, d := range t.Details {
		out = append(out, list.Detail{Key: d.Key, Label: d.Label, Required: d.Required})
	}
	return out
}

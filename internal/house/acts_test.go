package house_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/proofs"
	"nelko/internal/store"
)

// What is one act to the operator is done wholly or not at all.
func TestActsAreWholeOrNotAtAll(t *testing.T) {
	ctx := t.Context()
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	count := func(what any) (n int64) {
		require.NoError(t, h.Store.DB.Model(what).Where("order_id = ?", id).Count(&n).Error)
		return n
	}

	_, err := h.Making.Renders.BeginAll(ctx, id, making.Wanted{
		Profiles: []string{"MP4"},
		Shapes:   []doc.Frame{{}, {W: 1080, H: 1920}},
	})
	require.ErrorContains(t, err, "not made in")
	assert.Zero(t, count(&store.Render{}), "several shapes")
	_, err = h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{"MP4", "None such"}})
	require.Error(t, err)
	assert.Zero(t, count(&store.Render{}), "several profiles")

	was := housetest.Load(t, h, id)
	head := orders.Head{Client: "Somebody else", Event: "Other", Due: time.Now()}
	require.Error(t, h.Orders.Heads.UpdateWanted(ctx, id, head, []store.DeliveryKind{"pigeon"}, nil))
	assert.Equal(t, was.Order.Client, housetest.Load(t, h, id).Order.Client, "head and wanted ways")
	require.NoError(t, h.Orders.Heads.UpdateWanted(ctx, id, head, []store.DeliveryKind{store.DiscDelivery},
		nil))
	assert.Equal(t, "Somebody else", housetest.Load(t, h, id).Order.Client)

	// A film nobody can make is no draft, and leaves no link behind.
	_, err = h.Orders.Edits.Do(ctx, id, edit.Fit{Mode: doc.AtPace, Pace: 7}, nil)
	require.NoError(t, err)
	slides := make([]doc.SlideID, 0, len(was.Doc.Slides))
	for _, s := range was.Doc.Slides {
		slides = append(slides, s.ID)
	}
	_, err = h.Orders.Edits.Do(ctx, id, edit.Remove{Slides: slides}, nil)
	require.NoError(t, err)
	_, err = h.Proofs.Send(ctx, id, proofs.New{Title: "Draft", Days: 7})
	require.Error(t, err)
	assert.Zero(t, count(&store.Delivery{}), "proof with link")

	// A row that cannot follow its pattern goes neither back nor forward.
	require.NoError(t, h.Store.DB.Exec("WITH r AS (INSERT INTO runs (name, due) VALUES ('Run', now()) "+
		"RETURNING id) UPDATE orders SET run_id = r.id, run_key = 'a' FROM r WHERE orders.id = ?", id).Error)
	h.Orders.Edits.Rows = unreadable{h.Orders.Edits.Rows}
	now := housetest.Load(t, h, id).Slideshow.Head
	_, err = h.Orders.Edits.Undo(ctx, id, now, nil)
	require.ErrorContains(t, err, "the pattern cannot be read")
	assert.Equal(t, now, housetest.Load(t, h, id).Slideshow.Head, "undo with following")
}

// unreadable are rows whose pattern cannot be read.
type unreadable struct{ orders.Rows }

func (unreadable) Following(context.Context, *gorm.DB, store.Order) (edit.Op, error) {
	return nil, errors.New("the pattern cannot be read")
}

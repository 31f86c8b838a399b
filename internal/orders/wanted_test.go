package orders_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/list"
	"nelko/internal/house/housetest"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// An order is delivered when all that is wanted of it is with the client; until
// then its next step says what is not.
func TestDeliveredWhenAllIs(t *testing.T) {
	h := housetest.Open(t)
	id := housetest.Ready(t, h)
	r := housetest.Rendered(t, h, id)
	step := func() string {
		require.NoError(t, h.Orders.Days.ChangedAll(ctx))
		return housetest.Load(t, h, id).Next().Text
	}
	deliver := func(kind store.DeliveryKind, state store.DeliveryState) int64 {
		d := store.Delivery{OrderID: id, Kind: kind, State: state, Title: "x"}
		require.NoError(t, h.Store.DB.Create(&d).Error)
		require.NoError(t, h.Store.DB.Create(&store.DeliveryRender{DeliveryID: d.ID, RenderID: r.ID}).Error)
		return d.ID
	}
	set := func(delivery int64, state store.DeliveryState) {
		require.NoError(t, h.Store.DB.Exec("UPDATE deliveries SET state = ? WHERE id = ?", state,
			delivery).Error)
	}
	assert.Equal(t, "Rendered; send the link", step())
	require.NoError(t, h.Orders.Heads.Want(ctx, id, []store.DeliveryKind{store.DiscDelivery,
		store.LinkDelivery}))
	assert.Equal(t, "link and disc", housetest.Load(t, h, id).WantedInWords())
	link := deliver(store.LinkDelivery, store.DeliveryRunning)
	assert.Equal(t, "Mailing the link", step())
	set(link, store.DeliveryFailed)
	assert.Equal(t, "The link could not be mailed", step())
	set(link, store.DeliveryDone)
	assert.Equal(t, "Rendered; make the disc; the rest is delivered", step())
	disc := deliver(store.DiscDelivery, store.DeliveryWaiting)
	require.NoError(t, h.Store.DB.Create(&store.Disc{DeliveryID: disc}).Error)
	assert.Equal(t, "Making the disc; the rest is delivered", step())
	require.NoError(t, h.Store.DB.Exec("UPDATE discs SET image = (SELECT sha256 FROM renders WHERE id = ?)",
		r.ID).Error)
	assert.Equal(t, "Burn the disc; the rest is delivered", step())
	set(disc, store.DeliveryDone)
	assert.Equal(t, "Delivered", step())
	// What was promised beside that counts until it is given up.
	file := deliver(store.FileDelivery, store.DeliveryFailed)
	assert.Equal(t, "Not put into the folder; the rest is delivered", step())
	require.NoError(t, h.Delivery.Lists.GiveUp(ctx, id, file))
	assert.Equal(t, "Delivered", step())
	housetest.Caption(t, h, id, "Changed")
	assert.NotEqual(t, "Delivered", step(), "what was delivered is not the film any more")
	assert.Error(t, h.Orders.Heads.Want(ctx, id, []store.DeliveryKind{"pigeon"}))
}

func TestWhatARowsListWants(t *testing.T) {
	for said, want := range map[string][]store.DeliveryKind{
		"":           nil,
		"Link + DVD": {store.LinkDelivery, store.DiscDelivery},
		"USB stick":  {store.FileDelivery},
		"two discs":  {store.DiscDelivery},
		"poster":     nil,
	} {
		assert.Equal(t, want, orders.Wanted(store.Order{RunValues: map[list.Role]string{list.Wanted: said}}),
			said)
	}
	assert.Equal(t, []store.DeliveryKind{store.UploadDelivery}, orders.Wanted(store.Order{
		Wants:     []store.DeliveryKind{store.UploadDelivery},
		RunValues: map[list.Role]string{list.Wanted: "link"},
	}), "its own word goes first")
}

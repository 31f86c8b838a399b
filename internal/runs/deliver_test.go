package runs

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nelko/internal/core/list"
	"nelko/internal/orders"
	"nelko/internal/pressing"
	"nelko/internal/store"
)

// Why proofs, discs and copies leave a row out, or that there is nothing to do.
func TestWhyARowIsNotHandedOut(t *testing.T) {
	full := store.Facts{Pictures: 9}
	for _, c := range []struct {
		act  Act
		row  Row
		how  handed
		want string
	}{
		{Proof, Row{Order: store.Order{Facts: full}}, handed{}, ""},
		{Proof, Row{}, handed{approved: true}, done},
		{Proof, Row{}, handed{proofed: true}, done},
		{Proof, Row{Render: &store.Render{ID: 5}, Link: &orders.Link{RenderID: 5}}, handed{}, done},
		{Disc, Row{Order: store.Order{Facts: full}}, handed{}, ""},
		{Disc, Row{}, handed{}, "no pictures yet"},
		{Disc, Row{Order: store.Order{Facts: full}}, handed{disc: 3}, done},
		{Disc, Row{Order: store.Order{
			Facts:        full,
			AsksApproval: true,
		}}, handed{}, "not approved by its client"},
		{Disc, Row{Order: store.Order{Facts: full, AsksApproval: true}}, handed{approved: true}, ""},
		{Disc, Row{Order: store.Order{
			Facts:     full,
			RunValues: map[list.Role]string{list.Wanted: "link"},
		}}, handed{}, "wants no disc"},
		{Disc, Row{Order: store.Order{
			Facts:     full,
			RunValues: map[list.Role]string{list.Wanted: "2 DVDs"},
		}}, handed{}, ""},
		{Burn, Row{}, handed{}, "has no disc yet"},
		{Burn, Row{Order: store.Order{Wants: []store.DeliveryKind{store.LinkDelivery}}}, handed{}, done},
		{Burn, Row{}, handed{disc: 3}, "its disc is not made yet"},
		{Burn, Row{}, handed{disc: 3, pressed: true}, ""},
		{Burn, Row{}, handed{disc: 3, pressed: true, burned: true}, done},
	} {
		assert.Equal(t, c.want, c.row.whyNotHanded(c.act, c.how), "%s %+v", c.act, c.how)
	}
}

// What is written on a disc is whose it is, in what a disc's name may have.
func TestNamesOnDiscs(t *testing.T) {
	run := &Run{Run: store.Run{Event: "Lantern Regatta"}}
	row := Row{Order: store.Order{
		RunKey:  "07",
		Client:  "Mrs Tarrant",
		Details: map[string]string{"names": "The\n Gannets"},
	}}
	assert.Equal(t, "07 The Gannets · Lantern Regatta", discName(run, row))
	assert.Equal(t, "The Gannets · Lantern Regatta", titleOf(run, row))
	row.Details = nil
	assert.Equal(t, "07 Mrs Tarrant · Lantern Regatta", discName(run, row))
	assert.Equal(t, "Lantern Regatta", titleOf(run, row))
	row.Client = strings.Repeat("é", 80)
	name := discName(run, row)
	assert.LessOrEqual(t, len(name), pressing.MaxName)
	assert.NotContains(t, name, "\ufffd")
}

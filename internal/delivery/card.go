package delivery

import (
	"context"
	"errors"
	"io"
	"strings"

	"nelko/internal/invalid"
	"nelko/internal/paper"
	"nelko/internal/store"
)

// Stationery is what cards carry of the studio.
func (c *Cards) Stationery(ctx context.Context) (out paper.Studio, err error) {
	st, err := store.StudioOf(c.Store.DB.WithContext(ctx))
	if err != nil {
		return out, err
	}
	if out.Name = st.Name; st.MarkPicture == nil {
		return out, nil
	}
	f, err := c.Blobs.Open(ctx, st.MarkPicture.SHA256)
	if err != nil {
		return out, err
	}
	defer f.Close()
	out.Mark, err = io.ReadAll(f)
	return out, err
}

// Card writes a card to hand out with a link, which is known by its address:
// the token itself is not kept.
func (c *Cards) Card(ctx context.Context, orderID int64, address string, w io.Writer) error {
	token, ok := strings.CutPrefix(strings.TrimSpace(address), c.Address(""))
	if !ok {
		return invalid.Field("address", "This is not the address of a link.")
	}
	v, err := c.links.Open(ctx, token, 0)
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, ErrClosed) ||
		(err == nil && v.Order.ID != orderID) {
		return invalid.Field("address", "There is no open link of this order at that address.")
	}
	if err != nil {
		return err
	}
	st, err := c.Stationery(ctx)
	if err != nil {
		return err
	}
	return paper.Cards(w, st, []paper.Card{{
		Title:   v.Delivery.Title,
		Line:    v.Order.Event,
		Address: c.Address(token),
		Foot:    "open until " + v.Link.ExpiresAt.Format("2 January 2006"),
	}})
}

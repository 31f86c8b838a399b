package orders_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/edit"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/orders"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
	"nelko/themes/themestest"
)

// The day sheet finds orders by words and by what they need, a page at a time,
// with the same few statements however many there are.
func TestDaySheetFinds(t *testing.T) {
	s := housetest.Open(t)
	today := time.Now().UTC().Truncate(24 * time.Hour)
	open := func(client, event string, days int, details map[string]string) int64 {
		o, err := s.Orders.Heads.Open(ctx, orders.New{
			Head:    orders.Head{Client: client, Event: event, Due: today.AddDate(0, 0, days)},
			Details: details,
		}, nil)
		require.NoError(t, err)
		return o.ID
	}
	late := open("The Gannets", "Regatta 100%", -1, nil)
	now := open("Mrs Hollin", "Birthday", 0, map[string]string{"names": "Ada & Tarrant"})
	week := open("Émile Gannet", "Season", 7, nil)
	far := open("Harbour Lights", "Gala", 8, nil)
	find := func(q orders.Query) (ids []int64) {
		sheet, err := s.Orders.Days.DaySheet(ctx, q)
		require.NoError(t, err)
		for _, o := range sheet.Orders {
			ids = append(ids, o.ID)
		}
		assert.EqualValues(t, len(ids), sheet.Total)
		return ids
	}
	assert.Equal(t, []int64{late, now, week, far}, find(orders.Query{}), "by due date")
	assert.Equal(t, []int64{late, week}, find(orders.Query{Words: "GANNET"}))
	assert.Equal(t, []int64{late}, find(orders.Query{Words: "gannets regatta"}), "every word")
	assert.Equal(t, []int64{now}, find(orders.Query{Words: "tarrant"}), "in the details")
	assert.Equal(t, []int64{week}, find(orders.Query{Words: "émile"}))
	assert.Equal(t, []int64{late}, find(orders.Query{Words: "100%"}), "as typed, not a pattern")
	assert.Empty(t, find(orders.Query{Words: "%" + "x"}))
	assert.Empty(t, find(orders.Query{Words: `\`}))
	assert.Empty(t, find(orders.Query{Needs: orders.Finished}))
	sheet, err := s.Orders.Days.DaySheet(ctx, orders.Query{})
	require.NoError(t, err)
	assert.Equal(t, map[orders.Due]int64{
		orders.Overdue:  1,
		orders.DueToday: 1,
		orders.DueWeek:  1,
		orders.DueLater: 1,
	}, sheet.Groups)
	for _, o := range sheet.Orders {
		assert.Equal(t, map[int64]orders.Due{
			late: orders.Overdue,
			now:  orders.DueToday,
			week: orders.DueWeek,
			far:  orders.DueLater,
		}[o.ID], orders.DueOf(o, time.Now()), "a row is in the group it is counted in")
	}

	few := storetest.Queries(t, s.Store, 6, func() { find(orders.Query{}) })
	for i := range orders.PageLength + 10 {
		open(fmt.Sprintf("Client %d", i), "Event", 20, nil)
	}
	first, err := s.Orders.Days.DaySheet(ctx, orders.Query{})
	require.NoError(t, err)
	assert.Len(t, first.Orders, orders.PageLength)
	assert.EqualValues(t, orders.PageLength+14, first.Total)
	second, err := s.Orders.Days.DaySheet(ctx, orders.Query{Page: 1})
	require.NoError(t, err)
	assert.Len(t, second.Orders, 14)
	many := storetest.Queries(t, s.Store, 6, func() {
		_, err := s.Orders.Days.DaySheet(ctx, orders.Query{})
		require.NoError(t, err)
	})
	assert.Equal(t, few, many, "no statement per order")
}

// An order can be put away, deleted and restored; a deleted one goes for good
// after thirty days, with what is of the client, and not before.
func TestOrdersComeAndGo(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	require.NoError(t, s.Store.DB.Create(&store.StandinMail{Recipient: "gannets@saltmere.example"}).Error)
	on := func(which orders.Which) int {
		sheet, err := s.Orders.Days.DaySheet(ctx, orders.Query{Which: which})
		require.NoError(t, err)
		return len(sheet.Orders)
	}
	require.NoError(t, s.Orders.Keeping.Archive(ctx, id))
	assert.Equal(t, []int{0, 1, 0}, []int{on(orders.OpenOrders), on(orders.ArchivedOrders),
		on(orders.DeletedOrders)})
	assert.NotNil(t, housetest.Load(t, s, id), "it can be opened still")
	require.NoError(t, s.Orders.Keeping.Restore(ctx, id))
	require.NoError(t, s.Orders.Keeping.Delete(ctx, id))
	assert.Equal(t, []int{0, 0, 1}, []int{on(orders.OpenOrders), on(orders.ArchivedOrders),
		on(orders.DeletedOrders)})
	require.NoError(t, s.Orders.Keeping.Restore(ctx, id))
	assert.Equal(t, 1, on(orders.OpenOrders))
	assert.ErrorIs(t, s.Orders.Keeping.Delete(ctx, 999), store.ErrNotFound)

	require.NoError(t, s.Orders.Keeping.Delete(ctx, id))
	now := s.Orders.Now
	for days, want := range map[int]int64{0: 0, 29: 0, 31: 1} {
		s.Orders.Now = func() time.Time { return now().AddDate(0, 0, days) }
		n, err := s.Orders.Keeping.Purge(ctx, true)
		require.NoError(t, err)
		assert.Equal(t, want, n, "after %d days", days)
	}
	s.Orders.Now = func() time.Time { return now().AddDate(0, 0, 31) }
	n, err := s.Orders.Keeping.Purge(ctx, false)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	for _, table := range []string{"orders", "media", "slideshows", "revisions", "standin_mail"} {
		var left int64
		require.NoError(t, s.Store.DB.Table(table).Count(&left).Error)
		assert.Zero(t, left, table)
	}
}

// A copy has the same film and is edited by itself.
func TestCopiesStandAlone(t *testing.T) {
	s := housetest.Open(t)
	id := housetest.Ready(t, s)
	of := housetest.Load(t, s, id)
	c, err := s.Orders.Heads.Copy(ctx, id, nil)
	require.NoError(t, err)
	copied := housetest.Load(t, s, c.ID)
	assert.Equal(t, of.Doc, copied.Doc)
	assert.Equal(t, of.Plan, copied.Plan)
	assert.Empty(t, copied.Renders)
	assert.False(t, copied.CanUndo, "there is nothing before it")
	housetest.Edit(t, s, c.ID, edit.Details{Values: map[string]string{"names": "Somebody else"}})
	assert.Equal(t, of.Doc, housetest.Load(t, s, id).Doc)
	_, err = s.Orders.Heads.Copy(ctx, 999, nil)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// A theme of the studio's own changes on the shelf. An order goes on with the
// version it was made with, also after the program was started anew and the
// earlier zip is gone, until the newer one is taken; that can be undone.
func TestThemesChangeUnderOrders(t *testing.T) {
	s, blobs, own := storetest.Open(t), storetest.Blobs(t), t.TempDir()
	zip := filepath.Join(own, "charter.zip")
	require.NoError(t, os.Rename(themestest.Zip(t, "charter.zip", themestest.Same), zip))
	h := housetest.On(t, s, blobs, house.Settings{Themes: own})
	o, err := h.Orders.Heads.Open(ctx, orders.New{
		Head:    orders.Head{Client: "A", Event: "B", Due: time.Now()},
		Theme:   "charter",
		Details: map[string]string{"names": "A", "date": "2026"},
	}, nil)
	require.NoError(t, err)
	housetest.Bring(t, h, o.ID, housetest.Three(t))
	d := housetest.Load(t, h, o.ID)
	assert.Nil(t, h.Orders.NewerTheme(d))
	before, err := h.Looking.Frame(ctx, orders.Seen{Order: o.ID}, d.Slideshow.Head, 20, 320)
	require.NoError(t, err)

	newer := themestest.Zip(t, "charter.zip", func(path, body string) (string, string) {
		if path == "theme.json" {
			body = strings.Replace(body, `"version": "`, `"version": "9.`, 1)
			changed := strings.ReplaceAll(body, `"size": 0.05`, `"size": 0.07`)
			require.NotEqual(t, body, changed)
			body = changed
		}
		return path, body
	})
	require.NoError(t, os.Rename(newer, zip))
	require.NoError(t, os.Chtimes(zip, time.Now(), time.Now().Add(time.Minute)))
	h.Close()
	h = housetest.On(t, s, blobs, house.Settings{Themes: own})
	d = housetest.Load(t, h, o.ID)
	same, err := h.Looking.Frame(ctx, orders.Seen{Order: o.ID}, d.Slideshow.Head, 20, 320)
	require.NoError(t, err)
	assert.Equal(t, before, same, "it looks as it did")
	n := h.Orders.NewerTheme(d)
	require.NotNil(t, n)
	assert.True(t, strings.HasPrefix(n.Version, "9."))
	housetest.Edit(t, h, o.ID, edit.SetTheme{Theme: n.ID, Version: n.Content, Name: n.Name})
	d = housetest.Load(t, h, o.ID)
	assert.Nil(t, h.Orders.NewerTheme(d))
	other, err := h.Looking.Frame(ctx, orders.Seen{Order: o.ID}, d.Slideshow.Head, 20, 320)
	require.NoError(t, err)
	assert.NotEqual(t, before, other)
	_, err = h.Orders.Edits.Undo(ctx, o.ID, d.Slideshow.Head, nil)
	require.NoError(t, err)
	d = housetest.Load(t, h, o.ID)
	back, err := h.Looking.Frame(ctx, orders.Seen{Order: o.ID}, d.Slideshow.Head, 20, 320)
	require.NoError(t, err)
	assert.Equal(t, before, back)
}

package runs_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"nelko/internal/core/list"
	"nelko/internal/core/plan"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// What the client wrote is seen in the Run: a column, and an exception until it is answered.
func TestWhatClientsSayIsSeen(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 3)
	s := sheet(t, h, r.ID)
	has := func(s *runs.Sheet) bool {
		for _, c := range s.Columns {
			if c.Role == runs.Answers {
				return true
			}
		}
		return false
	}
	assert.False(t, has(s), "nobody was asked")
	did(t, h, s, runs.Proof)
	for _, rd := range renders(t, h) {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	s = sheet(t, h, r.ID)
	assert.True(t, has(s))
	assert.Contains(t, s.Rows[0].Said.Text(), "proof sent ")
	assert.Empty(t, s.Rows[0].Needs[runs.Answers])

	one, two := s.Rows[0].ID, s.Rows[1].ID
	watch := func(order int64) (l store.Link) {
		require.NoError(t, h.Store.DB.Where(
			"proof AND delivery_id IN (SELECT id FROM deliveries WHERE order_id = ?)", order).First(&l).Error)
		return l
	}
	see := func(order int64) {
		w, err := h.Delivery.Links.Open(ctx, watch(order).KeptToken, 0)
		require.NoError(t, err)
		if order == one {
			require.NoError(t, h.Proofs.Remark(ctx, w, "Ada", "The second picture\nis not hers", 2))
			return
		}
		require.NoError(t, h.Proofs.Approve(ctx, w, w.Render.ID, "Ben"))
	}
	see(one)
	see(two)
	s = sheet(t, h, r.ID)
	assert.Equal(t, "1 remark", s.Rows[0].Said.Text())
	assert.Equal(t, "1 remark: “The second picture is not hers”", s.Rows[0].Needs[runs.Answers])
	assert.Equal(t, runs.NeedsYou, s.Rows[0].Stage)
	assert.Equal(t, "approved "+time.Now().Format("2 Jan"), s.Rows[1].Said.Text())
	assert.Empty(t, s.Rows[1].Needs[runs.Answers])
	assert.Contains(t, s.Summary(), "1 with the client’s answer")

	var m store.Remark
	require.NoError(t, h.Store.DB.First(&m).Error)
	require.NoError(t, h.Proofs.Tick(ctx, one, m.ID, true))
	assert.Empty(t, sheet(t, h, r.ID).Rows[0].Needs[runs.Answers])
	// What was approved and is changed then is to be shown anew.
	_, err := h.Runs.Cells.Set(ctx, r.ID, "Typed", []runs.Cell{{
		OrderID: two,
		Role:    names,
		To:      "Somebody else",
	}}, nil)
	require.NoError(t, err)
	settle(t, h, r.ID)
	assert.Equal(t, "changed since approved; send a new proof", sheet(t, h, r.ID).Rows[1].Needs[runs.Answers])
	// Mail that did not get there is a finding, an exception and the next step.
	require.NoError(t, h.Store.DB.Model(&store.Link{}).Where("id = ?", watch(one).ID).Update("mail_error",
		"it came back: no such mailbox").Error)
	require.NoError(t, h.Store.Tx(ctx, func(tx *gorm.DB) error {
		return h.Orders.Days.Changed(ctx, tx, one)
	}))
	first := sheet(t, h, r.ID).Rows[0]
	assert.Equal(t, "the proof’s mail failed: it came back: no such mailbox", first.Needs[runs.Answers])
	assert.Equal(t, "The proof’s mail failed: it came back: no such mailbox", first.StepText)
	d := housetest.Load(t, h, one)
	assert.Contains(t, texts(d.Doubts(time.Now())), "The mail with the proof “"+d.Links[0].Delivery.Title+
		"” did not get there: it came back: no such mailbox")
}

func texts(checks []plan.Check) (out []string) {
	for _, c := range checks {
		out = append(out, c.Text)
	}
	return out
}

// A damaged picture, an address that is none or missing, and two rows that are called alike are
// exceptions, one reason at a time; the list says so when it is first read.
func TestExceptions(t *testing.T) {
	h := housetest.Open(t)
	tb := table(t, "Key;Crew;Date;E-mail;Deliveries\n01;The Gannets;12/9;a@saltmere.example;link\n02;the  "+
		"gannets;12/9;b(at)saltmere;link\n03;Terns;12/9;;link\n04;Gulls;12/9;;disc\n")
	r, err := h.Runs.Lists.Open(ctx, runs.New{
		Name:  "Regatta",
		Due:   time.Now().AddDate(0, 0, 3),
		Table: &tb,
	}, nil)
	require.NoError(t, err)
	drop(t, h, r.ID, map[string][]byte{
		"song.flac":      housetest.Song(t, 14),
		"01/a.jpg":       housetest.Photo(t, 1),
		"02/a.jpg":       housetest.Photo(t, 2),
		"03/a.jpg":       housetest.Photo(t, 3),
		"04/a.jpg":       housetest.Photo(t, 4),
		"04/b.jpg":       []byte("\xff\xd8\xff\xe0 no picture"),
		"03/a again.jpg": housetest.Photo(t, 3),
	})
	s := sheet(t, h, r.ID)
	of := func(key string) map[list.Role]string { return row(t, s, key).Needs }
	assert.Equal(t, "4 films: 1 ready, 1 called as another, 1 with damaged or unusable files, 1 e-mail "+
		"missing; 1 to look at", s.Summary())
	assert.Equal(t, "as row 02", of("01")[names])
	assert.Equal(t, "as row 01", of("02")[names])
	assert.Equal(t, "“b(at)saltmere” is no e-mail address", of("02")[list.Email])
	assert.Equal(t, "no e-mail address", of("03")[list.Email])
	assert.Empty(t, of("04")[list.Email], "a disc needs none")
	assert.Equal(t, "1 file damaged or unusable", of("04")[runs.Pictures])
	assert.Empty(t, of("03")[runs.Pictures], "with a file that is there twice nothing is wrong")
	role, why := s.Exception(row(t, s, "02"))
	assert.Equal(t, names, role)
	assert.Equal(t, "as row 01", why)
	assert.True(t, s.Asks(row(t, s, "02")), "its address is mended first")
	assert.False(t, s.Asks(row(t, s, "01")), "what is only to be looked at comes after that")

	p, err := h.Runs.Work.Plan(ctx, s, runs.Render)
	require.NoError(t, err)
	assert.Len(t, p.Rows, 4, "none of it keeps a film from being made")

	doubts, err := h.Runs.Sheets.Doubts(ctx, row(t, s, "02").Order)
	require.NoError(t, err)
	assert.Equal(t, []string{"Row 01 of the Run is called “the  gannets” too"}, texts(doubts))
	require.NoError(t, h.Orders.Heads.MarkMeant(ctx, row(t, s, "02").ID, []string{doubts[0].Key}, true, nil))
	d := housetest.Load(t, h, row(t, s, "04").ID)
	var keys []string
	for _, c := range d.Doubts(time.Now()) {
		keys = append(keys, c.Key)
	}
	require.Len(t, keys, 1)
	require.NoError(t, h.Orders.Heads.MarkMeant(ctx, d.Order.ID, keys, true, nil))
	s = sheet(t, h, r.ID)
	assert.Empty(t, of("02")[names])
	assert.Empty(t, of("04")[runs.Pictures])
	_, err = h.Runs.Cells.Set(ctx, r.ID, "Typed", []runs.Cell{{
		OrderID: row(t, s, "02").ID,
		Role:    list.Email,
		To:      "b@saltmere.example",
	}, {OrderID: row(t, s, "03").ID, Role: list.Email, To: "c@saltmere.example"}}, nil)
	require.NoError(t, err)
	s = sheet(t, h, r.ID)
	assert.Zero(t, s.Needing())
	assert.True(t, s.Asks(row(t, s, "01")))

	again := table(t, "Key;Crew;Date;E-mail;Deliveries\n01;The "+
		"Gannets;12/9;;link\n02;Terns;12/9;x;link\n03;Gulls;12/9;;disc\n")
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, again, nil))
	run, err := h.Runs.Load(ctx, r.ID)
	require.NoError(t, err)
	prop, err := h.Runs.Lists.Proposed(ctx, run)
	require.NoError(t, err)
	var problems []string
	for _, x := range prop.Problems {
		problems = append(problems, x.Text)
	}
	assert.Equal(t, []string{"no e-mail address", "\"x\" is not an e-mail address; left out"}, problems)
}

// The list of Runs says when the next film is due, not when the Run is.
func TestTheNextFilmDue(t *testing.T) {
	h := housetest.Open(t)
	tb := table(t, "Key;Crew;Date;Due\n01;The Gannets;12/9;2030-03-02\n02;Terns;12/9;2030-02-01\n")
	later, err := h.Runs.Lists.Open(ctx, runs.New{
		Name:  "Later",
		Due:   time.Date(2030, 5, 1, 0, 0, 0, 0, time.UTC),
		Table: &tb,
	}, nil)
	require.NoError(t, err)
	_, err = h.Runs.Lists.Open(ctx, runs.New{
		Name:  "Between",
		Due:   time.Date(2030, 2, 20, 0, 0, 0, 0, time.UTC),
		Table: new(table(t, "Key;Crew;Date\n01;A;12/9\n")),
	}, nil)
	require.NoError(t, err)
	lines, err := h.Runs.Sheets.Lines(ctx, false)
	require.NoError(t, err)
	require.Len(t, lines, 2)
	assert.Equal(t, later.ID, lines[0].Run.ID)
	assert.Equal(t, "2030-02-01", lines[0].Next.Format(time.DateOnly))
	assert.Equal(t, "2030-02-20", lines[1].Next.Format(time.DateOnly))
}

// The estimate counts what films share, and what was made before.
func TestTheEstimateCountsReuse(t *testing.T) {
	h := housetest.Open(t)
	r := ready(t, h, 3)
	s := sheet(t, h, r.ID)
	blind, err := h.Runs.Work.Plan(ctx, s, runs.Render)
	require.NoError(t, err)
	assert.False(t, blind.Work.Whole)
	told, err := h.Runs.Work.Reckon(ctx, s, runs.Render)
	require.NoError(t, err)
	assert.True(t, told.Work.Whole)
	assert.Positive(t, told.Work.Had, "the common slide is made once")
	assert.Equal(t, blind.Work.Frames, told.Work.Had+told.Work.Frames)
	for _, x := range s.Rows[:1] {
		_, err := h.Making.Renders.Begin(ctx, x.ID, "")
		require.NoError(t, err)
	}
	require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: renders(t, h)[0].ID}, "w", true))
	s = sheet(t, h, r.ID)
	after, err := h.Runs.Work.Plan(ctx, s, runs.Render)
	require.NoError(t, err)
	require.Len(t, after.Rows, 2)
	assert.True(t, after.Work.Whole, "what was laid out is remembered")
	// What is said is what the renders then have to make.
	_, err = h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	var made int64
	for _, rd := range renders(t, h)[1:] {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	for _, rd := range renders(t, h)[1:] {
		made += rd.FramesTotal
	}
	assert.EqualValues(t, made, after.Work.Frames)
	assert.Contains(t, after.InWords(), "% is made")
}

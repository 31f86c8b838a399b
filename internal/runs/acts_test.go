package runs_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/profile"
	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/making"
	"nelko/internal/proofs"
	"nelko/internal/runs"
	"nelko/internal/store"
)

// A row that was deleted makes room for its key, and cannot come back over the
// one that took it; a pattern cannot be put away by itself.
func TestRowsAndPatternsThatGo(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	s := sheet(t, h, r.ID)
	gone := s.Rows[0].ID
	require.NoError(t, h.Orders.Keeping.Delete(ctx, gone))
	assert.Len(t, sheet(t, h, r.ID).Rows, 2)
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, crews), nil))
	require.NoError(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	s = sheet(t, h, r.ID)
	require.Len(t, s.Rows, 3)
	assert.NotEqual(t, gone, s.Rows[0].ID)
	assert.ErrorContains(t, h.Orders.Keeping.Restore(ctx, gone), "Another row of its Run has its key")
	assert.ErrorContains(t, h.Orders.Keeping.Delete(ctx, *r.PatternID), "the pattern of a Run")
	assert.ErrorContains(t, h.Orders.Keeping.Archive(ctx, *r.PatternID), "the pattern of a Run")
	before, after, err := h.Runs.Neighbours(ctx, s.Rows[1].Order)
	require.NoError(t, err)
	assert.Equal(t, []int64{s.Rows[0].ID, s.Rows[2].ID}, []int64{before, after})
	// A copy of a row stands by itself, with the pictures it shared.
	drop(t, h, r.ID, map[string][]byte{"quay.jpg": housetest.Photo(t, 1), "02/a.jpg": housetest.Photo(t, 2)})
	o, err := h.Orders.Heads.Copy(ctx, s.Rows[1].ID, nil)
	require.NoError(t, err)
	d := housetest.Load(t, h, o.ID)
	assert.Nil(t, o.RunID)
	assert.Nil(t, d.Doc.Follows)
	assert.Len(t, d.Doc.Uses(), 2)
	for id := range d.Doc.Uses() {
		assert.Contains(t, d.Library, id)
	}
	assert.Len(t, sheet(t, h, r.ID).Rows, 3)
	lines, err := h.Runs.Sheets.Lines(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 3}, []int{len(lines), lines[0].Films})
	require.NoError(t, h.Runs.Archive(ctx, r.ID, true))
	lines, err = h.Runs.Sheets.Lines(ctx, false)
	require.NoError(t, err)
	assert.Empty(t, lines)
}

// Mail goes out with the row's own values in it, once; what fails is told in
// the row; a row that wants something else is left out.
func TestMailToAll(t *testing.T) {
	h := housetest.Open(t)
	box := &mailer{}
	h.Delivery.Mailer = box
	h.Delivery.BaseURL = "https://films.studio.example/"
	r := begin(t, h, "Key;Crew;Date;E-mail;Deliveries;Pet name\n01;The "+
		"Gannets;x;gannets@saltmere.example;;Gan\n02;Terns;x;terns@saltmere.example;disc;\n03;Auks;x;;;\n04;Bad;x;not an address;;\n05;Skuas;x;skuas@saltmere.example;link, disc;\n")
	files := map[string][]byte{"s.flac": housetest.Song(t, 12), "q.jpg": housetest.Photo(t, 7)}
	for i := range 5 {
		files[fmt.Sprintf("%02d/a.jpg", i+1)] = housetest.Photo(t, 20+i)
	}
	_, err := h.Orders.Edits.Do(ctx, *r.PatternID, edit.Shape{Frame: doc.Frame{W: 320, H: 180}}, nil)
	require.NoError(t, err)
	drop(t, h, r.ID, files)
	require.NoError(t, h.Runs.Out.SetMail(ctx, r.ID, store.RunMail{
		Subject: "{names}, your film",
		Text:    "Dear {Pet name}, {key}: {link}",
	}))
	_, err = h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	for _, rd := range renders(t, h) {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	// Who makes links first mails those: one film has one address.
	linked, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Link)
	require.NoError(t, err)
	assert.Equal(t, 4, linked.Begun)
	done, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Mail)
	require.NoError(t, err)
	assert.Equal(t, 2, done.Begun)
	assert.Contains(t, done.InWords(), "no e-mail address (03, 04)")
	assert.Contains(t, done.InWords(), "wants no link but disc (02)")
	var links []store.Link
	require.NoError(t, h.Store.DB.Where("mailed_to <> ''").Order("id").Find(&links).Error)
	require.Len(t, links, 2)
	box.fail = "550 no such mailbox"
	require.Error(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: links[1].ID}))
	box.fail = ""
	require.NoError(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: links[0].ID}))
	require.Len(t, box.sent, 1)
	assert.Equal(t, "gannets@saltmere.example", box.sent[0][0])
	assert.Equal(t, "The Gannets, your film", box.sent[0][1])
	assert.Equal(t, "Dear Gan, 01: https://films.studio.example/watch/"+links[0].KeptToken+"\n",
		box.sent[0][2])
	s := sheet(t, h, r.ID)
	assert.Contains(t, row(t, s, "05").Needs[runs.Gone], "550 no such mailbox")
	assert.Empty(t, row(t, s, "01").Needs[runs.Gone])
	again, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Mail)
	require.NoError(t, err)
	assert.Equal(t, 1, again.Begun, "only the one that failed")
	var after []store.Link
	require.NoError(t, h.Store.DB.Order("id").Find(&after).Error)
	require.Len(t, after, 4, "by the address it has")
	require.NoError(t, h.Delivery.Post.Send(ctx, delivery.SendLink{LinkID: links[1].ID}))
	require.Len(t, box.sent, 2)
	assert.Equal(t, "Dear , 05: https://films.studio.example/watch/"+links[1].KeptToken+"\n", box.sent[1][2])
	assert.Empty(t, row(t, sheet(t, h, r.ID), "05").Needs[runs.Gone])
	// Tokens go with the links.
	h.Delivery.Now = func() time.Time { return time.Now().AddDate(1, 0, 0) }
	n, err := h.Delivery.Links.Forget(ctx, false)
	require.NoError(t, err)
	assert.EqualValues(t, 4, n)
	assert.Zero(t, sheet(t, h, r.ID).Linked())
}

// mailer keeps what is sent, or refuses it.
type mailer struct {
	fail string
	sent [][3]string
}

func (m *mailer) Send(_ context.Context, l delivery.Mail) error {
	if m.fail != "" {
		return errors.New(m.fail)
	}
	m.sent = append(m.sent, [3]string{l.To, l.Subject, l.Body})
	return nil
}

// A row's own history is stepped through without going back behind what its
// pattern gave it.
func TestUndoInARowKeepsThePattern(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	drop(t, h, r.ID, map[string][]byte{
		"s.flac":   housetest.Song(t, 12),
		"01/a.jpg": housetest.Photo(t, 1),
		"01/b.jpg": housetest.Photo(t, 2),
	})
	id := sheet(t, h, r.ID).Rows[0].ID
	head := func() int { return housetest.Load(t, h, id).Slideshow.Head }
	give := func(message string) {
		_, err := h.Orders.Edits.Do(ctx, *r.PatternID,
			edit.Details{Values: map[string]string{"message": message}},
			nil)
		require.NoError(t, err)
		require.NoError(t, h.Runs.Patterns.Give(ctx, r.ID))
	}
	wren, err := h.Accounts.Add(ctx, "wren@studio.example", "Wren", "a long password", store.Operator)
	require.NoError(t, err)
	step := func(do func(context.Context, int64, int, *int64) (int, error)) error {
		_, err := do(ctx, id, head(), &wren.ID)
		return err
	}
	state := func() (seed uint64, pace float64, message string) {
		d := housetest.Load(t, h, id)
		return d.Doc.Seed, d.Doc.Fit.PaceSeconds, d.Order.Details["message"]
	}
	was, _, _ := state()
	_, err = h.Orders.Edits.Edit(ctx, id, head(), edit.Recast{Seed: 77}, &wren.ID)
	require.NoError(t, err)
	give("First")
	_, err = h.Orders.Edits.Edit(ctx, id, head(), edit.Fit{Mode: doc.AtPace, Pace: 7}, &wren.ID)
	require.NoError(t, err)
	give("Second")
	type now struct {
		seed    uint64
		pace    float64
		message string
	}
	at := func() now { a, b, c := state(); return now{a, b, c} }
	require.Equal(t, now{77, 7, "Second"}, at())
	require.NoError(t, step(h.Orders.Edits.Undo))
	assert.Equal(t, now{77, 4, "Second"}, at())
	assert.True(t, housetest.Load(t, h, id).CanRedo)
	require.NoError(t, step(h.Orders.Edits.Undo))
	assert.Equal(t, now{was, 4, "Second"}, at())
	require.NoError(t, step(h.Orders.Edits.Redo))
	assert.Equal(t, now{77, 4, "Second"}, at())
	require.NoError(t, step(h.Orders.Edits.Redo))
	assert.Equal(t, now{77, 7, "Second"}, at())
	assert.ErrorContains(t, step(h.Orders.Edits.Redo), "nothing to redo")
	assert.False(t, housetest.Load(t, h, id).CanRedo)
	// A change that waits to be given is not given by going back.
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID, edit.Details{Values: map[string]string{"message": "Third"}},
		nil)
	require.NoError(t, err)
	require.NoError(t, step(h.Orders.Edits.Undo))
	assert.Equal(t, now{77, 4, "Second"}, at())
}

// did does an act as it was said beforehand.
func did(t *testing.T, h *house.House, s *runs.Sheet, act runs.Act) runs.Done {
	p, err := h.Runs.Work.Plan(ctx, s, act)
	require.NoError(t, err)
	done, err := h.Runs.Acts.DoAll(ctx, s.ID, act)
	require.NoError(t, err)
	assert.Len(t, p.Rows, done.Begun, "as it was said beforehand")
	return done
}

// handOut makes discs and burns them for all rows of a Run at
// once, each act leaving out with a word what it does not suit.
func handOut(t *testing.T, h *house.House, s *runs.Sheet) {
	do := func(act runs.Act) runs.Done { return did(t, h, s, act) }
	assert.Zero(t, do(runs.Proof).Begun, "what was delivered needs no draft")
	assert.Equal(t, "0 copies to be burned, one after the other; 3 rows left out: has no disc yet (01, "+
		"02, 03).", do(runs.Burn).InWords())
	require.NoError(t, h.Store.DB.Exec("UPDATE orders SET wants = '[\"link\"]' WHERE id = ?",
		s.Rows[2].ID).Error)
	s = sheet(t, h, s.ID)
	assert.Equal(t, "2 discs being made; 1 row left out: wants no disc (03).", do(runs.Disc).InWords())
	assert.Zero(t, do(runs.Disc).Begun)
	var rows []store.Disc
	require.NoError(t, h.Store.DB.Order("delivery_id").Find(&rows).Error)
	require.Len(t, rows, 2)
	assert.Equal(t, "01 The Gannets · Lantern Regatta", rows[0].Setting.Name, "the name to write on it")
	assert.Equal(t, "2 rows left out: its disc is not made yet (01, 02)",
		strings.TrimSuffix(strings.SplitN(do(runs.Burn).InWords(), "; ", 2)[1], "."))
	// As if the images were made.
	require.NoError(t, h.Store.DB.Exec("UPDATE discs SET image = (SELECT sha256 FROM renders WHERE state = "+
		"'done' LIMIT 1), pressed_at = now()").Error)
	faces, err := h.Runs.Out.Faces(ctx, s)
	require.NoError(t, err)
	assert.Len(t, faces, 2)
	assert.Equal(t, 2, do(runs.Burn).Begun)
	assert.Zero(t, do(runs.Burn).Begun)
	open, _, err := h.Pressing.Burner.Burns(ctx)
	require.NoError(t, err)
	require.Len(t, open, 2)
	assert.Equal(t, "02 Harbour Lights · Lantern Regatta", open[1].Words)

	// One page with all films, and one set of discs.
	address, err := h.Runs.Out.LinkTogether(ctx, s.ID)
	require.NoError(t, err)
	w, err := h.Delivery.Links.Open(ctx, address[strings.LastIndex(address, "/")+1:], s.Rows[1].Render.ID)
	require.NoError(t, err)
	films, err := h.Delivery.Links.Films(ctx, w)
	require.NoError(t, err)
	require.Len(t, films, 3)
	assert.Equal(t, "Harbour Lights", films[1].Title)
	assert.Equal(t, s.Rows[1].Render.ID, w.Render.ID, "the one that was asked for")
	together := runs.Ask{
		Act: runs.Together,
		How: store.DiscSetting{
			Kind:     store.DVDVideo,
			Blank:    "DVD 4.7 GB",
			Profiles: []string{"DVD PAL 16:9"},
			Menu:     true,
		},
	}
	put, err := h.Runs.Acts.DoAllWith(ctx, s.ID, together)
	require.NoError(t, err)
	assert.Equal(t, "1 disc being made with all films; the Run’s pattern has them under Deliveries.",
		put.InWords())
	list, err := h.Pressing.List(ctx, s.Pattern.Order.ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, 3, list[0].Films())
	together.How.Blank = "none"
	_, err = h.Runs.Acts.Start(ctx, s.ID, together, nil)
	assert.Error(t, err)
	require.NoError(t, h.Store.DB.Exec(
		"UPDATE renders SET state = 'cancelled' WHERE state = 'waiting'").Error)
}

// Cancelling the films of a Run leaves the drafts alone that clients were asked to look at,
// and a proof's address is no link of the film's: neither on cards nor in lists.
func TestCancelLeavesProofsAlone(t *testing.T) {
	h := housetest.Open(t)
	r, err := h.Runs.Lists.Open(ctx, runs.New{Name: "Crews", Due: time.Now().AddDate(0, 0, 5)}, nil)
	require.NoError(t, err)
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, "Key;Crew;Date\n01;The Gannets;12/9\n"), nil))
	drop(t, h, r.ID, map[string][]byte{
		"song.flac": housetest.Song(t, 18),
		"01/a.jpg":  housetest.Photo(t, 3),
		"01/b.jpg":  housetest.Photo(t, 4),
		"01/c.jpg":  housetest.Photo(t, 5),
	})
	settle(t, h, r.ID)
	s := sheet(t, h, r.ID)
	id := s.Rows[0].ID
	token, err := h.Proofs.Send(ctx, id, proofs.New{Title: "Your film", Days: 30})
	require.NoError(t, err)
	require.NotEmpty(t, token)
	_, err = h.Making.Renders.BeginAll(ctx, id, making.Wanted{Profiles: []string{""}})
	require.NoError(t, err)
	n, err := h.Runs.Work.Running(ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n, "the film; the draft does not count")
	n, err = h.Runs.Work.Cancel(ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	states := map[string]store.RenderState{}
	for _, x := range housetest.Load(t, h, id).Renders {
		states[x.Profile] = x.State
	}
	assert.Equal(t, store.RenderWaiting, states[profile.Proof.Name])
	s = sheet(t, h, r.ID)
	assert.Nil(t, s.Rows[0].Link)
	var b bytes.Buffer
	require.NoError(t, h.Runs.Out.Links(s, &b))
	assert.NotContains(t, b.String(), token)
	assert.ErrorContains(t, h.Runs.Out.Cards(ctx, s, &b), "no links yet")
}

// The sheet costs the same however many rows it has.
func TestTheSheetIsCheap(t *testing.T) {
	h := housetest.Open(t)
	count := func(n int) int64 {
		var b strings.Builder
		b.WriteString("Key;Crew;Date\n")
		for i := range n {
			fmt.Fprintf(&b, "%d;Crew %d;12 September 2026\n", i, i)
		}
		r := begin(t, h, b.String())
		sheet(t, h, r.ID)
		before := h.Store.Statements()
		s := sheet(t, h, r.ID)
		require.Len(t, s.Rows, n)
		return h.Store.Statements() - before
	}
	few, many := count(2), count(40)
	assert.Equal(t, few, many)
	assert.LessOrEqual(t, many, int64(24))
}

// No file that comes is lost, and none is in two rows, however they are called
// and in whatever order list, files and answers come.
func TestNoFileIsLost(t *testing.T) {
	h := housetest.Open(t)
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 9))
		r, err := h.Runs.Lists.Open(ctx, runs.New{Name: fmt.Sprint("Run ", seed), Due: time.Now()}, nil)
		require.NoError(t, err)
		csv := "Key;Crew;Date\n"
		for i := range 5 {
			csv += fmt.Sprintf("%02d;Crew %c;12/9\n", i+1, 'A'+i)
		}
		places := []string{"01/", "Crew B/", "crew c/", "D Crew/", "05 someone/", "Nobody/", "Crew/", "",
			"03_"}
		sent := 0
		actions := []func(){
			func() {
				require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, csv), nil))
			},
			func() { require.NoError(t, h.Runs.Folders.AnswerAll(ctx, r.ID, nil)) },
			func() { require.NoError(t, h.Runs.Folders.Answer(ctx, r.ID, "Nobody", 0, nil)) },
		}
		for i := range 12 {
			p := places[rng.IntN(len(places))] + fmt.Sprintf("f%d.jpg", i)
			actions = append(actions, func() {
				for range 2 { // sent twice, taken once
					require.NoError(t, h.Runs.Material.Receive(ctx, r.ID, fmt.Sprintf("%d %s", r.ID, p), p,
						strings.NewReader(fmt.Sprint(seed, p)), nil))
				}
				sent++
			})
		}
		rng.Shuffle(len(actions), func(i, j int) { actions[i], actions[j] = actions[j], actions[i] })
		for _, a := range actions {
			a()
			if rng.IntN(3) == 0 {
				require.NoError(t, h.Runs.Material.Sort(ctx, runs.Sort{RunID: r.ID}))
			}
		}
		require.NoError(t, h.Runs.Material.Sort(ctx, runs.Sort{RunID: r.ID}))
		require.NoError(t, h.Runs.Folders.AnswerAll(ctx, r.ID, nil))
		require.NoError(t, h.Runs.Material.Sort(ctx, runs.Sort{RunID: r.ID}))
		var media, waiting []string
		require.NoError(t, h.Store.DB.Model(&store.Media{}).
			Where("run_id = ? OR order_id IN (SELECT id FROM orders WHERE run_id = ?)", r.ID, r.ID).
			Pluck("upload_id", &media).Error)
		require.NoError(t, h.Store.DB.Model(&store.RunFile{}).Where("run_id = ?", r.ID).Pluck("upload_id",
			&waiting).Error)
		all := append(media, waiting...)
		slices.Sort(all)
		require.Len(t, slices.Compact(all), sent, "seed %d", seed)
		require.Len(t, append(media, waiting...), sent, "seed %d: none twice", seed)
		for _, id := range waiting {
			require.Regexp(t, "Nobody/|Crew/", id, "seed %d: all others have found their row", seed)
		}
	}
}

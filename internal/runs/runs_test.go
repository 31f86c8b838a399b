package runs_test

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/list"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/listfile"
	"nelko/internal/making"
	"nelko/internal/runs"
	"nelko/internal/store"
	"nelko/internal/store/storetest"
)

var ctx = context.Background()

const crews = "Key;Crew;Date;Coach\n01;The Gannets;12 September 2026;B. Reed\n02;Harbour Lights;12 " +
	"September 2026;M. Okoro\n03;;12 September 2026;L. Varga\n"

func table(t testing.TB, csv string) list.Table {
	tb, err := listfile.Trusted("crews.csv", []byte(csv))
	require.NoError(t, err)
	return tb
}

// begin begins a Run with three rows.
func begin(t testing.TB, h *house.House, csv string) store.Run {
	tb := table(t, csv)
	r, err := h.Runs.Lists.Open(ctx, runs.New{
		Name:  "Lantern Regatta",
		Due:   time.Now().AddDate(0, 0, 3),
		Table: &tb,
	}, nil)
	require.NoError(t, err)
	settle(t, h, r.ID)
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID, edit.AnyTime(), nil)
	require.NoError(t, err)
	return r
}

// drop brings files in as they lie in a tree.
func drop(t testing.TB, h *house.House, run int64, files map[string][]byte) {
	for _, p := range slices.Sorted(func(yield func(string) bool) {
		for k := range files {
			if !yield(k) {
				return
			}
		}
	}) {
		require.NoError(t, h.Runs.Material.Receive(ctx, run, fmt.Sprintf("%d %s", run, p), p,
			bytes.NewReader(files[p]), nil))
	}
	settle(t, h, run)
}

// settle does what the queue would: files are sorted, read and poured, and the
// rows follow.
func settle(t testing.TB, h *house.House, run int64) {
	require.NoError(t, h.Runs.Material.Sort(ctx, runs.Sort{RunID: run}))
	for range 2 {
		var waiting []store.Media
		require.NoError(t, h.Store.DB.Where("state = 'waiting'").Find(&waiting).Error)
		for _, m := range waiting {
			require.NoError(t, h.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
		}
		var all []store.Order
		require.NoError(t, h.Store.DB.Where("run_id = ?", run).Find(&all).Error)
		for _, o := range all {
			require.NoError(t, h.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: o.ID}))
		}
		again, err := h.Runs.Patterns.Tend(ctx, runs.Tend{RunID: run})
		require.NoError(t, err)
		require.False(t, again)
	}
}

func sheet(t testing.TB, h *house.House, run int64) *runs.Sheet {
	s, err := h.Runs.Sheets.Sheet(ctx, run)
	require.NoError(t, err)
	return s
}

func row(t testing.TB, s *runs.Sheet, key string) runs.Row {
	for _, r := range s.Rows {
		if r.RunKey == key {
			return r
		}
	}
	require.Fail(t, "no row "+key)
	return runs.Row{}
}

const names = list.Role("detail:names")

// The whole of a small Run: list, folders, exceptions, render, links.
func TestARun(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	s := sheet(t, h, r.ID)
	require.Len(t, s.Rows, 3)
	assert.Equal(t, "The Gannets", s.Rows[0].Details["names"])
	assert.Equal(t, "The Gannets", s.Rows[0].Client)
	assert.Equal(t, "B. Reed", s.Rows[0].RunCells["Coach"])
	assert.Equal(t, "names missing", s.Rows[2].Needs[names])
	assert.Equal(t, "3 films: 1 name missing, 2 with no pictures", s.Summary())

	drop(t, h, r.ID, map[string][]byte{
		"quay.jpg":              housetest.Photo(t, 1),
		"song.flac":             housetest.Song(t, 14),
		"02_start.jpg":          housetest.Photo(t, 2),
		"The Gannets/a.jpg":     housetest.Photo(t, 3),
		"The Gannets/raw/b.jpg": housetest.Photo(t, 4),
		"HarbourLights/c.jpg":   housetest.Photo(t, 5),
		"03/d.jpg":              housetest.Photo(t, 6),
		"Kittiwakes/e.jpg":      housetest.Photo(t, 7),
		"The Gannets/.DS_Store": []byte("x"),
		"The Gannets/notes.txt": []byte("x"),
	})
	_, err := h.Orders.Edits.Edit(ctx, *r.PatternID, housetest.Load(t, h, *r.PatternID).Slideshow.Head,
		edit.Shape{Frame: doc.Frame{
			W: 320,
			H: 180,
		}}, nil)
	require.NoError(t, err)
	settle(t, h, r.ID)
	s = sheet(t, h, r.ID)
	g := housetest.Load(t, h, s.Rows[0].ID)
	assert.Equal(t, 2, s.Rows[0].Pictures, "its own")
	assert.Equal(t, 3, len(g.Doc.Uses()), "and the common one")
	assert.Equal(t, doc.Frame{W: 320, H: 180}, g.Doc.Frame)
	assert.Equal(t, "song.flac", g.Library[g.Doc.Soundtrack.Songs()[0]].Name)
	assert.Equal(t, 1, row(t, s, "02").Pictures, "by the key its name begins with")
	// The folder whose words are run together waits, with the others.
	var asked []string
	for _, f := range s.Asked() {
		asked = append(asked, fmt.Sprint(f.Name, " ", f.Sure))
	}
	assert.Equal(t, []string{"HarbourLights 1", "Kittiwakes 0"}, asked)
	// What was answered is answered: yes to all the others does not touch it.
	require.NoError(t, h.Runs.Folders.Answer(ctx, r.ID, "HarbourLights", 0, nil))
	require.NoError(t, h.Runs.Folders.AnswerAll(ctx, r.ID, nil))
	settle(t, h, r.ID)
	assert.Equal(t, 1, row(t, sheet(t, h, r.ID), "02").Pictures)
	require.NoError(t, h.Runs.Folders.Answer(ctx, r.ID, "HarbourLights", row(t, s, "02").ID, nil))
	require.NoError(t, h.Runs.Folders.AnswerAll(ctx, r.ID, nil))
	settle(t, h, r.ID)
	s = sheet(t, h, r.ID)
	assert.Equal(t, 2, row(t, s, "02").Pictures)
	assert.Equal(t, map[string]int{"Kittiwakes": 1}, s.Loose)
	// The pattern is seen with the first row's.
	p := housetest.Load(t, h, *r.PatternID)
	assert.Equal(t, "The Gannets", p.Doc.Details["names"])
	assert.Len(t, p.Doc.Uses(), 3)

	// One act for all that is ready, said beforehand.
	plan, err := h.Runs.Work.Plan(ctx, s, runs.Render)
	require.NoError(t, err)
	assert.Contains(t, plan.InWords(), "2 films, 0:14.0 each")
	assert.Equal(t, "missing: Names (03)", plan.WhyLeftOut())
	refused, err := h.Runs.Cells.Set(ctx, r.ID, "Typed", []runs.Cell{{
		OrderID: row(t, s, "03").ID,
		Role:    names,
		To:      "The Shearwaters",
	}}, nil)
	require.NoError(t, err)
	require.Empty(t, refused)
	done, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	assert.Equal(t, "3 films queued to be rendered.", done.InWords())
	again, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Render)
	require.NoError(t, err)
	assert.Zero(t, again.Begun, "pressed twice, rendered once")
	var renders []store.Render
	require.NoError(t, h.Store.DB.Find(&renders).Error)
	for _, rd := range renders {
		require.NoError(t, h.Making.Attempts.Film(ctx, making.Film{RenderID: rd.ID}, "w", true))
	}
	s = sheet(t, h, r.ID)
	assert.Equal(t, "3 films: 3 rendered; 2 to look at", s.Summary())
	assert.Equal(t, []string{"01 The Gannets.mp4", "02 Harbour Lights.mp4", "03 The Shearwaters.mp4"},
		s.Names())

	assert.Equal(t, "3 proofs being made for their clients.", did(t, h, s, runs.Proof).InWords())
	assert.Zero(t, did(t, h, s, runs.Proof).Begun, "pressed twice, sent once")
	var proofs int64
	require.NoError(t, h.Store.DB.Model(&store.Link{}).Where("proof").Count(&proofs).Error)
	assert.EqualValues(t, 3, proofs)
	require.NoError(t, h.Store.DB.Exec("UPDATE renders SET state = 'cancelled' WHERE state = 'waiting'; "+
		"UPDATE links SET closed_at = now() WHERE proof").Error)
	require.NoError(t, h.Orders.Days.ChangedAll(ctx))

	linked, err := h.Runs.Acts.DoAll(ctx, r.ID, runs.Link)
	require.NoError(t, err)
	assert.Equal(t, 3, linked.Begun)
	s = sheet(t, h, r.ID)
	assert.Equal(t, "3 films: 3 delivered; 2 to look at", s.Summary())
	var csv, pdf, films bytes.Buffer
	require.NoError(t, h.Runs.Out.Links(s, &csv))
	assert.Equal(t, 4, strings.Count(csv.String(), "\r\n"))
	assert.Contains(t, csv.String(), "01,The Gannets,,The Gannets,")
	require.NoError(t, h.Runs.Out.Cards(ctx, s, &pdf))
	assert.True(t, bytes.HasPrefix(pdf.Bytes(), []byte("%PDF-")))
	require.NoError(t, h.Runs.Out.Films(ctx, s, &films))
	z, err := zip.NewReader(bytes.NewReader(films.Bytes()), int64(films.Len()))
	require.NoError(t, err)
	require.Len(t, z.File, 3)
	f, err := z.File[0].Open()
	require.NoError(t, err)
	film, err := io.ReadAll(f)
	require.NoError(t, err)
	assert.EqualValues(t, s.Rows[0].Render.Size, len(film))

	handOut(t, h, s)

	// A change of the pattern touches the films that follow it, and says so.
	_, err = h.Orders.Edits.Do(ctx, *r.PatternID,
		edit.Details{Values: map[string]string{"message": "Thank you for rowing"}}, nil)
	require.NoError(t, err)
	_, err = h.Runs.Patterns.Tend(ctx, runs.Tend{RunID: r.ID})
	require.NoError(t, err)
	run, err := h.Runs.Load(ctx, r.ID)
	require.NoError(t, err)
	assert.NotEqual(t, run.Given, run.Pattern.Slideshow.Head, "films are made: nothing is given unasked")
	impact, err := h.Runs.Patterns.Impact(ctx, run)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 3}, []int{impact.Rows, impact.Films})
	assert.Positive(t, impact.Frames)
	assert.Less(t, int64(impact.Frames), 3*renders[0].FramesTotal/2, "only the segments that change")
	require.NoError(t, h.Runs.Patterns.Give(ctx, r.ID))
	s = sheet(t, h, r.ID)
	assert.Contains(t, s.Rows[0].FilmText(time.Now()), "changed since (revision")
	assert.Equal(t, "Thank you for rowing", s.Rows[0].Details["message"])
}

// A corrected list is compared by key; what was set by hand stays; rows that
// are gone are kept aside and come back.
func TestACorrectedList(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	s := sheet(t, h, r.ID)
	_, err := h.Runs.Cells.Set(ctx, r.ID, "Typed", []runs.Cell{{
		OrderID: s.Rows[1].ID,
		Role:    names,
		To:      "By hand",
	}}, nil)
	require.NoError(t, err)
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, crews), nil))
	assert.Nil(t, sheet(t, h, r.ID).Pending, "the same list changes nothing")
	corrected := "Key;Crew;Date;Coach\n01;The Gannet Crew;12 September 2026;B. Reed\n02;Harbour Lamps;12 " +
		"September 2026;M. Okoro\n04;Dunlin Eight;12 September 2026;x\n"
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, corrected), nil))
	s = sheet(t, h, r.ID)
	require.NotNil(t, s.Pending)
	assert.Equal(t, "The Gannets", s.Rows[0].Details["names"], "nothing before it is agreed to")
	p, err := h.Runs.Lists.Proposed(ctx, s.Run)
	require.NoError(t, err)
	assert.Equal(t, "1 name changed, 1 new row, 1 gone, 1 cell as changed by hand", p.Summary)
	require.NoError(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	s = sheet(t, h, r.ID)
	assert.Equal(t, []string{"The Gannet Crew", "By hand", "Dunlin Eight"},
		[]string{s.Rows[0].Details["names"], s.Rows[1].Details["names"], s.Rows[2].Details["names"]})
	assert.Equal(t, "The Gannet Crew", s.Rows[0].Client)
	assert.Equal(t, 1, s.Aside)
	require.NoError(t, h.Runs.Lists.Bring(ctx, r.ID, table(t, crews), nil))
	require.NoError(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	s = sheet(t, h, r.ID)
	assert.Equal(t, 1, s.Aside)
	assert.Equal(t, "03", s.Rows[2].RunKey)
	require.Error(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	// Other meanings for the columns.
	roles := slices.Clone(s.List.Roles)
	roles[3] = list.Client
	require.NoError(t, h.Runs.Lists.Roles(ctx, r.ID, roles, nil))
	require.NoError(t, h.Runs.Lists.Agree(ctx, r.ID, false, nil))
	assert.Equal(t, "B. Reed", sheet(t, h, r.ID).Rows[0].Client)
	roles[2] = list.Client
	assert.ErrorContains(t, h.Runs.Lists.Roles(ctx, r.ID, roles, nil),
		"Two columns cannot both be the Client")
}

// Cells are changed like those of a sheet, many at once, and undone in one
// step; what cannot be is told, the rest is done.
func TestCells(t *testing.T) {
	h := housetest.Open(t)
	r := begin(t, h, crews)
	drop(t, h, r.ID, map[string][]byte{
		"01/own.flac": housetest.Song(t, 12),
		"all.flac":    housetest.Song(t, 14),
		"01/a.jpg":    housetest.Photo(t, 1),
		"02/b.jpg":    housetest.Photo(t, 2),
	})
	s := sheet(t, h, r.ID)
	assert.True(t, s.Rows[0].IsOwn(runs.Fit, s.ByRow()), "a song of its own")
	assert.False(t, s.Rows[1].IsOwn(runs.Fit, s.ByRow()))
	_, err := h.Orders.Edits.Do(ctx, *r.PatternID,
		edit.Details{Values: map[string]string{"place": "Saltmere"}},
		nil)
	require.NoError(t, err)
	require.NoError(t, h.Runs.Patterns.Give(ctx, r.ID))
	a, b, c := s.Rows[0].ID, s.Rows[1].ID, s.Rows[2].ID
	place := list.DetailRole("place")
	refused, err := h.Runs.Cells.Set(ctx, r.ID, "Pasted", []runs.Cell{{a, names, "A"}, {b, names, "B"},
		{c, names, "C"}, {a, place, "The mole"}, {b, list.Pace, "3,5"}, {c, list.Pace, "quick"},
		{c, list.Email, "c@saltmere.example"},
		{a, list.Key, "02"}, {b, list.Due, "24.12.2026"}, {a, list.Note, "mind the hats"},
		{a, "strange", "x"}}, nil)
	require.NoError(t, err)
	why := map[string]string{}
	for _, x := range refused {
		why[x.Key+" "+string(x.Role)] = x.Why
	}
	assert.Len(t, why, 3)
	assert.Contains(t, why["03 pace"], "is no pace")
	assert.Contains(t, why["01 key"], `Another row has the key "02"`)
	assert.Contains(t, why["01 strange"], "cannot be typed in")
	s = sheet(t, h, r.ID)
	assert.Equal(t, []string{"A", "B", "C"}, []string{s.Rows[0].Details["names"], s.Rows[1].Details["names"],
		s.Rows[2].Details["names"]})
	assert.Equal(t, []string{"The mole", "Saltmere"}, []string{s.Rows[0].Details["place"],
		s.Rows[1].Details["place"]})
	assert.True(t, s.Rows[0].IsOwn(place, s.ByRow()))
	assert.False(t, s.Rows[0].IsOwn(names, s.ByRow()), "every row has its own names")
	assert.Equal(t, "2026-12-24", s.Rows[1].Value(list.Due))
	assert.Equal(t, 3.5, housetest.Load(t, h, b).Doc.Fit.PaceSeconds)
	assert.Equal(t, "A", s.Rows[0].Client, "a client who was called by the names is so still")

	said, err := h.Runs.Cells.Undo(ctx, r.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "Undone: Pasted", said)
	s = sheet(t, h, r.ID)
	assert.Equal(t, []string{"The Gannets", "Harbour Lights", ""}, []string{s.Rows[0].Details["names"],
		s.Rows[1].Details["names"], s.Rows[2].Details["names"]})
	assert.Equal(t, "Saltmere", s.Rows[0].Details["place"])
	assert.False(t, s.Rows[0].IsOwn(place, s.ByRow()), "as the pattern has it again")
	assert.Equal(t, doc.ToMusic, housetest.Load(t, h, b).Doc.Fit.Mode)
	_, err = h.Runs.Cells.Redo(ctx, r.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "The mole", sheet(t, h, r.ID).Rows[0].Details["place"])
	_, err = h.Runs.Cells.Redo(ctx, r.ID, nil)
	assert.ErrorContains(t, err, "nothing to redo")
	// Given back to the pattern.
	o, err := store.One[store.Order](h.Store.DB, "id = ?", a)
	require.NoError(t, err)
	require.NoError(t, h.Runs.Cells.GiveBack(ctx, o, []string{"detail:place", "soundtrack"}, nil))
	d := housetest.Load(t, h, a)
	assert.Equal(t, "Saltmere", d.Order.Details["place"])
	assert.Equal(t, "all.flac", d.Library[d.Doc.Soundtrack.Songs()[0]].Name)
	// A song by name, from a column.
	_, err = h.Runs.Cells.Set(ctx, r.ID, "Songs", []runs.Cell{{a, list.Songs, "OWN"}, {b, list.Songs, "own"}},
		nil)
	require.NoError(t, err)
	d = housetest.Load(t, h, a)
	assert.Equal(t, "own.flac", d.Library[d.Doc.Soundtrack.Songs()[0]].Name)
	assert.Equal(t, "no song “own”", row(t, sheet(t, h, r.ID), "02").Needs[list.Songs])
}

// A zip of material is taken apart as the folders would be; what an operating
// system leaves in it is passed over; the same again doubles nothing.
func TestAZipAndAWatchedFolder(t *testing.T) {
	watch := t.TempDir()
	h := housetest.On(t, storetest.Open(t), storetest.Blobs(t), house.Settings{Watch: watch})
	r := begin(t, h, crews)
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, n := range []string{"Crews/01/a.jpg", "Crews/02 lights/b.jpg", "Crews/quay.jpg",
		"Crews/__MACOSX/._a.jpg", "Crews/01/../../../etc/evil.jpg"} {
		w, err := z.Create(n)
		require.NoError(t, err)
		_, err = w.Write(housetest.Photo(t, len(n)))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	require.NoError(t, h.Runs.Material.Receive(ctx, r.ID, "zip1", "crews.zip", bytes.NewReader(b.Bytes()),
		nil))
	sha, _, err := h.Blobs.Put(ctx, bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	for range 2 {
		require.NoError(t, h.Runs.Material.Unpack(ctx, runs.Unpack{
			RunID:    r.ID,
			UploadID: "zip1",
			Name:     "crews.zip",
			SHA256:   sha,
		}))
		settle(t, h, r.ID)
	}
	s := sheet(t, h, r.ID)
	assert.Equal(t, []int{1, 1, 0}, []int{s.Rows[0].Pictures, s.Rows[1].Pictures, s.Rows[2].Pictures})
	assert.Equal(t, "Crews/", runs.Around([]string{"Crews/01/a.jpg", "Crews/q.jpg"}))
	assert.Empty(t, runs.Around([]string{"01/a.jpg", "01/b.jpg"}), "the one folder is a row's")

	require.NoError(t, os.MkdirAll(filepath.Join(watch, "regatta", "03"), 0o755))
	old := time.Now().Add(-time.Minute)
	for name, b := range map[string][]byte{
		"03/late.jpg": housetest.Photo(t, 90),
		"03/new.jpg":  housetest.Photo(t, 91),
	} {
		p := filepath.Join(watch, "regatta", name)
		require.NoError(t, os.WriteFile(p, b, 0o600))
		if strings.HasSuffix(name, "late.jpg") {
			require.NoError(t, os.Chtimes(p, old, old))
		}
	}
	assert.ErrorContains(t, h.Runs.Material.WatchFolder(ctx, r.ID, "nowhere"), `no folder "nowhere"`)
	require.NoError(t, h.Runs.Material.WatchFolder(ctx, r.ID, "../regatta"))
	// Another Run's folder is gone: that is told of there, and keeps nobody else.
	gone := begin(t, h, "Key;Crew;Date\n1;A;12/9\n")
	require.NoError(t, os.Mkdir(filepath.Join(watch, "away"), 0o755))
	require.NoError(t, h.Runs.Material.WatchFolder(ctx, gone.ID, "away"))
	require.NoError(t, os.Remove(filepath.Join(watch, "away")))
	real, after := h.Runs.Now, time.Duration(0)
	h.Runs.Now = func() time.Time { return real().Add(after) }
	for range 3 {
		require.NoError(t, h.Runs.Material.Look(ctx))
		settle(t, h, r.ID)
		// One that grows between looks is not taken.
		f, err := os.OpenFile(filepath.Join(watch, "regatta", "03/new.jpg"), os.O_APPEND|os.O_WRONLY, 0)
		require.NoError(t, err)
		_, err = f.WriteString("more")
		require.NoError(t, errors.Join(err, f.Close()))
		after += 10 * time.Second
	}
	assert.Equal(t, 1, row(t, sheet(t, h, r.ID), "03").Pictures, "the other is still being written")
	assert.Equal(t, "The watched folder “away” is missing", sheet(t, h, gone.ID).Trouble)
	require.NoError(t, os.Mkdir(filepath.Join(watch, "away"), 0o755))
	require.NoError(t, h.Runs.Material.Look(ctx))
	assert.Empty(t, sheet(t, h, gone.ID).Trouble)
}

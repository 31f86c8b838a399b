package intake_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/demo/paint"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/invalid"
	"nelko/internal/media/vips"
	"nelko/internal/standin"
	"nelko/internal/store"
)

// read has all waiting files looked at, and what is ready poured.
func read(t *testing.T, s *house.House, order int64) {
	for _, m := range housetest.Load(t, s, order).Media {
		require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
	}
	require.NoError(t, s.Intake.Pourer.Pour(ctx, intake.Pour{OrderID: order}))
}

func slides(t *testing.T, s *house.House, order int64) int {
	return len(housetest.Load(t, s, order).Doc.Uses())
}

// What is held back is in no film before it is accepted, one at a time or all.
func TestHeldBack(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	require.NoError(t, s.Intake.Held.HoldBack(ctx, o.ID, true))
	var first store.Media
	for i := range 3 {
		m, err := s.Intake.In.Receive(ctx, o.ID, string(rune('a'+i)), "p.jpg",
			bytes.NewReader(housetest.Photo(t, i+1)))
		require.NoError(t, err)
		assert.True(t, m.Held)
		if i == 0 {
			first = m
		}
	}
	read(t, s, o.ID)
	assert.Zero(t, slides(t, s, o.ID))
	assert.Empty(t, housetest.Load(t, s, o.ID).Library, "nor can any film show it")
	n, err := s.Intake.Held.Accept(ctx, o.ID, nil, first.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	read(t, s, o.ID)
	assert.Equal(t, 1, slides(t, s, o.ID))
	n, err = s.Intake.Held.Accept(ctx, o.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	read(t, s, o.ID)
	assert.Equal(t, 3, slides(t, s, o.ID))
	assert.Contains(t, housetest.Load(t, s, o.ID).Revision.Title, "2 files, as slides ",
		"it is said where they went")
	require.ErrorIs(t, s.Intake.Held.HoldBack(ctx, 99999, true), store.ErrNotFound)
}

// A file in the watched folder is taken when it has stopped growing, and lies
// in done or in refused, with the reason beside it.
func TestWatchedFolder(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	s.Intake.Folder = t.TempDir()
	mine := filepath.Join(s.Intake.Folder, "1 with words behind it")
	require.EqualValues(t, 1, o.ID)
	put := func(dir, name string, b []byte) {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), b, 0o644))
	}
	put(mine, "a.jpg", housetest.Photo(t, 1))
	put(mine, "day 2/b.jpg", housetest.Photo(t, 2))
	put(mine, "letter.jpg", []byte("Dear studio"))
	put(mine, ".part", []byte("not yet"))
	put(filepath.Join(s.Intake.Folder, "nobody"), "c.jpg", housetest.Photo(t, 3))
	look := func() (again bool) {
		again, err := s.Intake.Watched.LookIntoFolder(ctx)
		require.NoError(t, err)
		return again
	}
	real := s.Intake.Now
	assert.True(t, look(), "just written: not taken yet")
	assert.Empty(t, housetest.Load(t, s, o.ID).Media)
	later := func(d time.Duration) { s.Intake.Now = func() time.Time { return real().Add(d) } }
	// One that is still being sent, however slowly, is not taken, nor is one that says so itself.
	put(mine, "slow.jpg", []byte("the beginning"))
	put(mine, "half.jpg.part", []byte("the beginning"))
	later(5 * time.Second)
	assert.True(t, look(), "a pause of some seconds is none")
	assert.Empty(t, housetest.Load(t, s, o.ID).Media)
	put(mine, "slow.jpg", []byte("the beginning, and more"))
	later(time.Minute)
	assert.True(t, look(), "taken, and not read yet")
	require.NoError(t, os.Remove(filepath.Join(mine, "slow.jpg")))
	assert.FileExists(t, filepath.Join(mine, "half.jpg.part"))
	require.Len(t, housetest.Load(t, s, o.ID).Media, 3)
	look()
	require.Len(t, housetest.Load(t, s, o.ID).Media, 3, "taken once")
	read(t, s, o.ID)
	assert.False(t, look())
	for _, want := range []string{"done/a.jpg", "done/day 2/b.jpg", "refused/letter.jpg", ".part"} {
		assert.FileExists(t, filepath.Join(mine, want))
	}
	why, err := os.ReadFile(filepath.Join(mine, "refused/letter.jpg.txt"))
	require.NoError(t, err)
	assert.Contains(t, string(why), "not a photo")
	why, err = os.ReadFile(filepath.Join(s.Intake.Folder, "nobody/refused/c.jpg.txt"))
	require.NoError(t, err)
	assert.Contains(t, string(why), "no order’s number")
	assert.Equal(t, 2, slides(t, s, o.ID))
	// The same name again is another file, and the same content is refused.
	put(mine, "a.jpg", housetest.Photo(t, 1))
	later(2 * time.Minute)
	look()
	later(3 * time.Minute)
	look()
	assert.FileExists(t, filepath.Join(mine, "refused/a.jpg"))
	assert.FileExists(t, filepath.Join(mine, "refused/a.jpg.txt"))

	// What cannot be read is told of on its order, keeps nothing else, and is taken once it can be.
	if os.Geteuid() == 0 {
		return // who may read everything
	}
	put(mine, "z.jpg", housetest.Photo(t, 8))
	put(mine, "locked.jpg", housetest.Photo(t, 9))
	require.NoError(t, os.Chmod(filepath.Join(mine, "locked.jpg"), 0))
	look()
	later(4 * time.Minute)
	look()
	assert.Equal(t, "In the watched folder, “locked.jpg” may not be read",
		housetest.Load(t, s, o.ID).Order.Trouble)
	require.NoError(t, os.Chmod(filepath.Join(mine, "locked.jpg"), 0o600))
	read(t, s, o.ID)
	look()
	assert.Empty(t, housetest.Load(t, s, o.ID).Order.Trouble)
	assert.FileExists(t, filepath.Join(mine, "done/z.jpg"))
}

// A client's page takes as much as it should, for as long as it should, and
// nothing of it is in the film before it is accepted.
func TestClientsPage(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	for _, l := range []intake.Limits{{}, {
		Files: 1,
		GB:    1,
	}, {Files: 1, GB: 500, Days: 1}, {Files: 99999, GB: 1, Days: 1}} {
		_, err := s.Intake.Pages.OpenPage(ctx, o.ID, l)
		var wrong *invalid.Input
		require.ErrorAs(t, err, &wrong, "%+v", l)
	}
	old, err := s.Intake.Pages.OpenPage(ctx, o.ID, intake.UsualLimits)
	require.NoError(t, err)
	p, err := s.Intake.Pages.OpenPage(ctx, o.ID, intake.Limits{Files: 2, GB: 1, Days: 3})
	require.NoError(t, err)
	_, err = s.Intake.Pages.Page(ctx, old.Token)
	require.ErrorIs(t, err, intake.ErrClosed, "a page of before is closed")
	_, err = s.Intake.Pages.Page(ctx, "guessed")
	require.ErrorIs(t, err, store.ErrNotFound)

	none := intake.Load{}
	require.NoError(t, s.Intake.Pages.MayReceiveByPage(ctx, p.Token, 1000, none, none))
	require.Error(t, s.Intake.Pages.MayReceiveByPage(ctx, p.Token, 2<<30, none, none),
		"more than it takes together")
	require.Error(t, s.Intake.Pages.MayReceiveByPage(ctx, old.Token, 1000, none, none))
	for i := range 3 {
		m, err := s.Intake.Pages.ReceiveByPage(ctx, p.Token, "c"+string(rune('0'+i)), "photo.jpg",
			bytes.NewReader(housetest.Photo(t, i+1)))
		require.NoError(t, err)
		assert.True(t, m.Held)
		assert.Equal(t, i == 2, m.State == store.Refused, "two come by it, a third does not: %s", m.Reason)
	}
	require.Error(t, s.Intake.Pages.MayReceiveByPage(ctx, p.Token, 1000, none, none),
		"it has taken as many as it takes")
	read(t, s, o.ID)
	assert.Zero(t, slides(t, s, o.ID))

	require.NoError(t, s.Intake.Pages.FillIn(ctx, p.Token, map[string]string{
		"names":         " Ada & Bo ",
		"nothing-asked": "x",
	}))
	require.Error(t, s.Intake.Pages.FillIn(ctx, p.Token,
		map[string]string{"names": strings.Repeat("x", 3000)}))
	assert.NotEqual(t, "Ada & Bo", housetest.Load(t, s, o.ID).Doc.Details["names"],
		"not before it is accepted")
	require.NoError(t, s.Intake.Pages.ClosePage(ctx, o.ID))
	n, err := s.Intake.Held.Accept(ctx, o.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	read(t, s, o.ID)
	d := housetest.Load(t, s, o.ID)
	assert.Equal(t, "Ada & Bo", d.Doc.Details["names"])
	assert.Len(t, d.Doc.Uses(), 2)
	page, err := s.Intake.Pages.PageOf(ctx, o.ID)
	require.NoError(t, err)
	assert.Nil(t, page, "closed, and nothing of it waits")

	p, err = s.Intake.Pages.OpenPage(ctx, o.ID, intake.Limits{Files: 2, GB: 1, Days: 3})
	require.NoError(t, err)
	real := s.Intake.Now
	s.Intake.Now = func() time.Time { return real().AddDate(0, 0, 4) }
	_, err = s.Intake.Pages.Page(ctx, p.Token)
	require.ErrorIs(t, err, intake.ErrClosed, "its time is over")
}

// An album of the photo source comes in whole, once, and goes on where it
// broke off. The stand-in is WebDAV (RFC 4918) by golang.org/x/net, read by
// another implementation.
func TestPhotoSource(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	none, err := s.Intake.Source.Albums(ctx)
	require.NoError(t, err)
	assert.Empty(t, none, "no photo source is set")
	dir := t.TempDir()
	for i, name := range []string{"Walk/a.jpg", "Walk/b.jpg", "Walk/.hidden", "Empty/.hidden"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), housetest.Photo(t, i+1), 0o644))
	}
	srv := httptest.NewServer(standin.NewPhotos(dir, "/albums", "n", "p"))
	defer srv.Close()
	at := func(who *url.Userinfo) string {
		u, err := url.Parse(srv.URL)
		require.NoError(t, err)
		return (&url.URL{Scheme: "dav", Host: u.Host, Path: "/albums", User: who}).String()
	}
	s.Intake.Photos = at(url.UserPassword("n", "wrong"))
	_, err = s.Intake.Source.Albums(ctx)
	var wrong *invalid.Input
	require.ErrorAs(t, err, &wrong)
	s.Intake.Photos = at(url.UserPassword("n", "p"))
	albums, err := s.Intake.Source.Albums(ctx)
	require.NoError(t, err)
	assert.Equal(t, []intake.Album{{Name: "Walk", Files: 2}}, albums)
	_, err = s.Intake.Source.FetchAlbum(ctx, o.ID, "Nowhere")
	require.ErrorAs(t, err, &wrong)
	_, err = s.Intake.Source.FetchAlbum(ctx, o.ID, "Walk")
	require.NoError(t, err)
	for range 2 {
		require.NoError(t, s.Intake.Source.Fetch(ctx, intake.Fetch{OrderID: o.ID, Album: "Walk"}))
	}
	read(t, s, o.ID)
	assert.Equal(t, 2, slides(t, s, o.ID))
	srv.Close()
	require.Error(t, s.Intake.Source.Fetch(ctx, intake.Fetch{
		OrderID: o.ID,
		Album:   "Walk",
	}), "tried again by the queue")
	require.Error(t, intake.CheckPhotos("ftp://x"))
	require.NoError(t, intake.CheckPhotos(""))
}

// A clock is put right by two pictures of the same moment; a single time by
// hand.
func TestClocksByTwoPictures(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	at := func(minute int) *time.Time { v := time.Date(2026, 9, 12, 10, minute, 0, 0, time.UTC); return &v }
	var ids []int64
	for i, m := range []store.Media{{
		Seen:     &store.Seen{Camera: "One"},
		Captured: at(30),
	}, {
		Seen:     &store.Seen{Camera: "Two"},
		Captured: at(3),
	}, {Seen: &store.Seen{Camera: "Two"}, Captured: at(5)}, {Seen: &store.Seen{Camera: "Two"}}} {
		m.OrderID, m.UploadID, m.SHA256, m.State, m.Kind = &o.ID, string(rune('a'+i)),
			strings.Repeat(string(rune('a'+i)), 64), store.Ready, "photo"
		require.NoError(t, store.KeepBlob(s.Store.DB, m.SHA256, 1))
		require.NoError(t, s.Store.DB.Create(&m).Error)
		ids = append(ids, m.ID)
	}
	n, err := s.Intake.Material.ShiftBy(ctx, o.ID, ids[0], ids[1])
	require.NoError(t, err)
	assert.Equal(t, 2, n, "of this camera and with a time")
	took := func(i int) *time.Time {
		m, err := s.Intake.Medium(ctx, ids[i])
		require.NoError(t, err)
		return m.Captured
	}
	assert.Equal(t, at(32).UTC(), took(2).UTC())
	for _, two := range [][2]int64{{ids[1], ids[2]}, {ids[0], ids[3]}, {ids[0], 999}} {
		_, err := s.Intake.Material.ShiftBy(ctx, o.ID, two[0], two[1])
		var wrong *invalid.Input
		require.True(t, errors.As(err, &wrong), "%v", two)
	}
	require.NoError(t, s.Intake.Material.Retime(ctx, o.ID, ids[3], at(50)))
	assert.Equal(t, at(50).UTC(), took(3).UTC())
	require.NoError(t, s.Intake.Material.Retime(ctx, o.ID, ids[3], nil))
	assert.Nil(t, took(3))
	require.ErrorIs(t, s.Intake.Material.Retime(ctx, o.ID, 999, nil), store.ErrNotFound)
}

// A camera raw file is kept as it was received, and the picture the camera put
// into it stands for it; the same file again is refused.
func TestCameraRaw(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	px, err := paint.Paint(paint.Spec{Scene: paint.Pots, W: 1200, H: 800, Seed: 3})
	require.NoError(t, err)
	jpg, err := vips.JPEG(px, 80)
	require.NoError(t, err)
	le := binary.LittleEndian
	raw := append([]byte("II*\x00"), le.AppendUint32(nil, 100)...)
	raw = append(raw, make([]byte, 92)...)
	raw = le.AppendUint16(raw, 2)
	for tag, value := range map[uint16]int{0x201: 200, 0x202: len(jpg)} {
		raw = le.AppendUint32(le.AppendUint32(le.AppendUint16(le.AppendUint16(raw, tag), 4), 1),
			uint32(value))
	}
	raw = append(raw, make([]byte, 200-len(raw))...)
	raw = append(raw, jpg...)
	got := func(upload, name string, b []byte) store.Media {
		m, err := s.Intake.In.Receive(ctx, o.ID, upload, name, bytes.NewReader(b))
		require.NoError(t, err)
		require.NoError(t, s.Intake.Reader.Read(ctx, intake.Read{MediaID: m.ID, Song: true}))
		m, err = store.One[store.Media](s.Store.DB, "id = ?", m.ID)
		require.NoError(t, err)
		return m
	}
	m := got("r1", "DSC_1.NEF", raw)
	require.Equal(t, store.Ready, m.State, m.Reason)
	assert.Equal(t, []int{1200, 800}, []int{m.Width, m.Height})
	require.NotNil(t, m.Original)
	r, err := s.Blobs.Open(ctx, *m.Original)
	require.NoError(t, err)
	kept, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, raw, kept, "as it was received")
	assert.Equal(t, store.Refused, got("r2", "copy.NEF", raw).State)
	assert.Contains(t, got("r3", "broken.CR2", append(raw[:200:200], "nothing"...)).Reason, "send a JPEG")
	assert.Nil(t, got("r4", "taken out.nef", append(jpg, 0)).Original, "a JPEG by its content")
}

// Files of all orders are read in turn: who sends one waits for one of each other order, not for
// all that another sent before.
func TestOrdersTakeTurns(t *testing.T) {
	s := housetest.Open(t)
	ctx := t.Context()
	many, one := housetest.Order(t, s), housetest.Order(t, s)
	send := func(o store.Order, n int) {
		_, err := s.Intake.In.Receive(ctx, o.ID, fmt.Sprint("turn", o.ID, "-", n), fmt.Sprintf("%d.jpg", n),
			bytes.NewReader(housetest.Photo(t, 100+n)))
		require.NoError(t, err)
	}
	for n := range 8 {
		send(many, n)
	}
	send(one, 8)
	send(one, 9)
	var turn []int64
	require.NoError(t, s.Store.DB.Raw("SELECT (args->>'of')::bigint FROM river_job WHERE kind = 'ingest' "+
		"AND state = 'available' ORDER BY priority, scheduled_at, id").Scan(&turn).Error)
	m, o := many.ID, one.ID
	assert.Equal(t, []int64{m, o, m, o, m, m, m, m, m, m}, turn)
}

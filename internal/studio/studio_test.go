package studio_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/core/framing"
	"nelko/internal/core/scene"
	"nelko/internal/media/pango"
	"nelko/internal/store"
	"nelko/internal/studio"
	"nelko/internal/studio/studiotest"
)

var ctx = context.Background()

func load(t *testing.T, s *studio.Studio, id int64) *studio.Work {
	w, err := s.Load(ctx, id)
	require.NoError(t, err)
	return w
}

func three(t *testing.T) map[string][]byte {
	return map[string][]byte{"a.jpg": studiotest.Photo(t, 1), "b.jpg": studiotest.Photo(t, 2), "c.jpg": studiotest.Photo(t, 3)}
}

func TestOrdersAreChecked(t *testing.T) {
	s := studiotest.Open(t)
	good := studio.NewOrder{Client: "A", Event: "B", Due: time.Now()}
	for field, n := range map[string]studio.NewOrder{
		"client": {Client: "  ", Event: "B", Due: good.Due}, "event": {Client: "A", Due: good.Due}, "due": {Client: "A", Event: "B"},
		"client_email": {Client: "A", Event: "B", Due: good.Due, ClientEmail: "not an address"}, "theme": {Client: "A", Event: "B", Due: good.Due, Theme: "none"},
	} {
		_, err := s.OpenOrder(ctx, n, nil)
		var inv *studio.Invalid
		require.ErrorAs(t, err, &inv, field)
		assert.Equal(t, field, inv.Field)
	}
	o, err := s.OpenOrder(ctx, good, nil)
	require.NoError(t, err)
	good.Client = "C"
	require.NoError(t, s.UpdateOrder(ctx, o.ID, good))
	assert.Equal(t, "C", load(t, s, o.ID).Order.Client)
	assert.ErrorIs(t, s.UpdateOrder(ctx, 999, good), store.ErrNotFound)
	_, err = s.Load(ctx, 999)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// The day of an order, by the one next thing it needs.
func TestTheNextStepFollowsFromFacts(t *testing.T) {
	s := studiotest.Open(t)
	o, err := s.OpenOrder(ctx, studio.NewOrder{Client: "A", Event: "B", Due: time.Now()}, nil)
	require.NoError(t, err)
	next := func() string { return load(t, s, o.ID).Next().Text }
	assert.Equal(t, "Missing: Names, Date", next())
	_, err = s.Edit(ctx, o.ID, 1, edit.Details{Values: map[string]string{"names": "X", "date": "Y"}}, nil)
	require.NoError(t, err)
	assert.Equal(t, "No pictures yet", next())
	m, err := s.Receive(ctx, o.ID, "u1", "a.jpg", bytes.NewReader(studiotest.Photo(t, 1)))
	require.NoError(t, err)
	assert.Equal(t, "Reading 1 file", next())
	require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: m.ID}))
	require.NoError(t, s.DoPour(ctx, studio.Pour{OrderID: o.ID}))
	assert.Equal(t, "No music yet", next())
	_, err = s.StartRender(ctx, o.ID)
	assert.ErrorContains(t, err, "No music yet")
	studiotest.Bring(t, s, o.ID, map[string][]byte{"song.flac": studiotest.Song(t, 16)})
	assert.Contains(t, next(), "longer than")
	_, err = s.Edit(ctx, o.ID, load(t, s, o.ID).Slideshow.Head, edit.Fit{Mode: doc.ToMusic}, nil)
	require.NoError(t, err)
	assert.Equal(t, "Ready to render", next())
	r, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	again, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	assert.Equal(t, r.ID, again.ID, "pressed twice, rendered once")
	assert.Equal(t, "Rendering", next())
	require.NoError(t, s.CancelRender(ctx, o.ID, r.ID))
	require.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, "w", true), "a cancelled render is not begun")
	assert.Equal(t, "Ready to render", next())
}

func TestReceivingTwiceAndTwins(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	jpg := studiotest.Photo(t, 1)
	a, err := s.Receive(ctx, o.ID, "u1", `C:\photos\a.jpg`, bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, "a.jpg", a.Name)
	b, err := s.Receive(ctx, o.ID, "u1", "a.jpg", bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, a.ID, b.ID, "the same upload")
	twin, err := s.Receive(ctx, o.ID, "u2", "copy of a.jpg", bytes.NewReader(jpg))
	require.NoError(t, err)
	assert.Equal(t, store.Refused, twin.State)
	assert.Contains(t, twin.Reason, "the same file as a.jpg")
	require.NoError(t, s.Dismiss(ctx, o.ID, twin.ID))
	require.NoError(t, s.Dismiss(ctx, o.ID, a.ID), "only refused files can be dismissed")
	assert.Len(t, load(t, s, o.ID).Media, 1)

	bad, err := s.Receive(ctx, o.ID, "u3", "letter.jpg", strings.NewReader("Dear studio"))
	require.NoError(t, err)
	require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: bad.ID}))
	require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: a.ID}))
	require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: a.ID}), "an attempt after a crash")
	require.NoError(t, s.DoIngest(ctx, studio.Ingest{MediaID: 12345}))
	w := load(t, s, o.ID)
	assert.Equal(t, store.Ready, w.Media[0].State)
	assert.NotNil(t, w.Media[0].Thumbnail)
	assert.Equal(t, store.Refused, w.Media[1].State)
	assert.Contains(t, w.Media[1].Reason, "not a photo")
	_, err = s.Receive(ctx, 999, "u4", "a.jpg", bytes.NewReader(jpg))
	assert.Error(t, err, "no such order")
}

func TestEditsConflictAndUndo(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	studiotest.Bring(t, s, o.ID, three(t))
	mara, err := s.AddUser(ctx, "mara@studio.example", "Mara", "a long password", store.Operator)
	require.NoError(t, err)
	w := load(t, s, o.ID)
	base := w.Slideshow.Head
	first := w.Doc.Slides[1].ID

	h1, err := s.Edit(ctx, o.ID, base, edit.Time{Slides: []doc.SlideID{first}, Linger: 2}, &mara.ID)
	require.NoError(t, err)

	// Someone who still looks at the old revision is told who did what.
	_, err = s.Edit(ctx, o.ID, base, edit.Remove{Slides: []doc.SlideID{first}}, &mara.ID)
	var c *studio.Conflict
	require.ErrorAs(t, err, &c)
	assert.Equal(t, "Mara", c.By)
	assert.Contains(t, c.Error(), "Mara changed this slideshow meanwhile (set linger 2 on 1 slide)")
	assert.Equal(t, h1, load(t, s, o.ID).Slideshow.Head, "nothing was overwritten")

	// The program's own pour in between is no conflict.
	studiotest.Bring(t, s, o.ID, map[string][]byte{"d.jpg": studiotest.Photo(t, 4)})
	assert.Greater(t, load(t, s, o.ID).Slideshow.Head, h1)
	h2, err := s.Edit(ctx, o.ID, h1, edit.Time{Slides: []doc.SlideID{first}, Pin: 3}, &mara.ID)
	require.NoError(t, err)

	// Undo and redo walk the revisions; a new edit after an undo ends redo.
	u1, err := s.Undo(ctx, o.ID, h2)
	require.NoError(t, err)
	assert.Zero(t, load(t, s, o.ID).Doc.Slides[1].Pinned)
	assert.True(t, load(t, s, o.ID).CanRedo)
	r1, err := s.Redo(ctx, o.ID, u1)
	require.NoError(t, err)
	assert.Equal(t, h2, r1)
	_, err = s.Redo(ctx, o.ID, r1)
	assert.ErrorContains(t, err, "nothing to redo")
	_, err = s.Undo(ctx, o.ID, r1)
	require.NoError(t, err)
	h3, err := s.Edit(ctx, o.ID, u1, edit.Recast{Seed: 5}, &mara.ID)
	require.NoError(t, err)
	assert.False(t, load(t, s, o.ID).CanRedo)

	// An undo that someone else does not know of is a conflict too.
	_, err = s.Undo(ctx, o.ID, h3)
	require.NoError(t, err)
	_, err = s.Edit(ctx, o.ID, h3, edit.Recast{Seed: 6}, &mara.ID)
	require.ErrorAs(t, err, &c)

	// To the beginning and no further.
	for range 10 {
		w = load(t, s, o.ID)
		if _, err = s.Undo(ctx, o.ID, w.Slideshow.Head); err != nil {
			break
		}
	}
	assert.ErrorContains(t, err, "nothing to undo")
	assert.Empty(t, load(t, s, o.ID).Doc.Slides)
}

// No file is forgotten when many come at once: a pour while others are still
// being read may be left out, the last one takes all.
func TestPoursTakeEverything(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	var jobs []studio.Ingest
	for i := range 4 {
		m, err := s.Receive(ctx, o.ID, fmt.Sprint(i), fmt.Sprint(i, ".jpg"), bytes.NewReader(studiotest.Photo(t, i)))
		require.NoError(t, err)
		jobs = append(jobs, studio.Ingest{MediaID: m.ID})
	}
	bad, err := s.Receive(ctx, o.ID, "bad", "bad.jpg", strings.NewReader("no picture"))
	require.NoError(t, err)
	pours := func() (n int) {
		require.NoError(t, s.Store.DB.Raw("SELECT count(*) FROM river_job WHERE kind = 'pour'").Scan(&n).Error)
		return n
	}
	for i, j := range append(jobs, studio.Ingest{MediaID: bad.ID}) {
		require.NoError(t, s.DoIngest(ctx, j))
		assert.Equal(t, i+1, pours(), "each file brings a pour, refused ones too")
		require.NoError(t, s.DoPour(ctx, studio.Pour{OrderID: o.ID}))
	}
	w := load(t, s, o.ID)
	assert.Len(t, w.Doc.Uses(), 4)
	assert.LessOrEqual(t, w.Slideshow.Head, 3, "in few steps")
	head := w.Slideshow.Head
	require.NoError(t, s.DoPour(ctx, studio.Pour{OrderID: o.ID}))
	same, err := s.Edit(ctx, o.ID, head, edit.Pour{Media: []doc.MediaID{w.Media[0].DocID()}}, nil)
	require.NoError(t, err)
	assert.Equal(t, head, same, "an edit that changes nothing makes no revision")
}

// Two people at once: exactly one edit of the same revision succeeds.
func TestConcurrentEdits(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	u, err := s.AddUser(ctx, "a@studio.example", "A", "a long password", store.Operator)
	require.NoError(t, err)
	const n = 6
	errs := make(chan error, n)
	for i := range n {
		go func() {
			_, err := s.Edit(ctx, o.ID, 1, edit.Fit{Mode: doc.AtPace, Pace: 5 + float64(i)}, &u.ID)
			errs <- err
		}()
	}
	ok := 0
	for range n {
		var c *studio.Conflict
		if err := <-errs; err == nil {
			ok++
		} else {
			assert.True(t, errors.As(err, &c), "%v", err)
		}
	}
	assert.Equal(t, 1, ok)
	assert.Equal(t, 2, load(t, s, o.ID).Slideshow.Head)
}

func TestRenderDeliverAndOpen(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	studiotest.Bring(t, s, o.ID, three(t))
	studiotest.Bring(t, s, o.ID, map[string][]byte{"song.flac": studiotest.Song(t, 13.5)})
	_, err := s.Edit(ctx, o.ID, load(t, s, o.ID).Slideshow.Head, edit.Fit{Mode: doc.ToMusic}, nil)
	require.NoError(t, err)
	_, _, err = s.MakeLink(ctx, o.ID, studio.NewLink{Title: "x", Days: 3})
	assert.ErrorContains(t, err, "Render the film first")

	// Small, so that the test is quick.
	require.NoError(t, s.Store.DB.Exec(`UPDATE revisions SET document = jsonb_set(document, '{frame}', '{"w":320,"h":180}')`).Error)
	w := load(t, s, o.ID)
	jpg, err := s.Frame(ctx, w, 75, 160)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xd8}, jpg[:2])
	_, err = s.Frame(ctx, w, 1<<40, 160)
	require.NoError(t, err, "a frame past the end is the last")

	r, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	require.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, "worker-1", false))
	w = load(t, s, o.ID)
	done := w.Renders[0]
	require.Equal(t, store.RenderDone, done.State, done.Error)
	assert.Equal(t, int64(405), done.FramesDone)
	assert.InDelta(t, 13.5, done.Seconds, 0.034)
	assert.Equal(t, "Rendered; send the link", w.Next().Text)

	for field, n := range map[string]studio.NewLink{
		"title": {RenderID: r.ID, Days: 3}, "days": {RenderID: r.ID, Title: "x"}, "render": {RenderID: 99, Title: "x", Days: 3},
	} {
		_, _, err := s.MakeLink(ctx, o.ID, n)
		var inv *studio.Invalid
		require.ErrorAs(t, err, &inv)
		assert.Equal(t, field, inv.Field)
	}
	l, token, err := s.MakeLink(ctx, o.ID, studio.NewLink{RenderID: r.ID, Title: "Your film", Days: 3, Downloadable: true, Mail: true})
	require.NoError(t, err)
	assert.Equal(t, "Delivered", load(t, s, o.ID).Next().Text)
	var stored string
	require.NoError(t, s.Store.DB.Raw("SELECT row_to_json(links)::text FROM links").Scan(&stored).Error)
	assert.NotContains(t, stored, token, "only a hash of the token is kept")

	got, err := s.OpenLink(ctx, token)
	require.NoError(t, err)
	assert.Equal(t, done.ID, got.Render.ID)
	_, err = s.OpenLink(ctx, token[:len(token)-1]+"!")
	assert.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, s.CountView(ctx, l.ID))
	assert.Equal(t, int64(1), load(t, s, o.ID).Links[0].Views)

	box := &letters{fail: errors.New("server away")}
	assert.Error(t, s.DoSendLink(ctx, studio.SendLink{LinkID: l.ID, Token: token}, box, "https://films.example/"))
	assert.Equal(t, "server away", load(t, s, o.ID).Links[0].MailError)
	box.fail = nil
	for range 2 { // an attempt after a crash sends nothing twice
		require.NoError(t, s.DoSendLink(ctx, studio.SendLink{LinkID: l.ID, Token: token}, box, "https://films.example/"))
	}
	require.Len(t, box.bodies, 1)
	assert.Contains(t, box.bodies[0], "https://films.example/watch/"+token)
	assert.NotNil(t, load(t, s, o.ID).Links[0].MailedAt)

	later := &studio.Studio{Store: s.Store, Blobs: s.Blobs, Queue: s.Queue, Now: func() time.Time { return time.Now().AddDate(0, 0, 4) }}
	_, err = later.OpenLink(ctx, token)
	assert.ErrorIs(t, err, studio.ErrClosed, "expired")
	require.NoError(t, s.CloseLink(ctx, o.ID, l.ID))
	_, err = s.OpenLink(ctx, token)
	assert.ErrorIs(t, err, studio.ErrClosed)

	_, err = s.Edit(ctx, o.ID, w.Slideshow.Head, edit.Recast{Seed: 9}, nil)
	require.NoError(t, err)
	assert.Equal(t, "Changed since it was rendered; render again", load(t, s, o.ID).Next().Text)
}

type letters struct {
	bodies []string
	fail   error
}

func (l *letters) Send(_ context.Context, _, _, _, body string) error {
	if l.fail == nil {
		l.bodies = append(l.bodies, body)
	}
	return l.fail
}

// A photo that has gone from the store fails the render with the slide and
// file in words, not the worker.
func TestFailedRenderNamesSlideAndFile(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	files := three(t)
	files["song.flac"] = studiotest.Song(t, 15)
	studiotest.Bring(t, s, o.ID, files)
	var b store.Media
	require.NoError(t, s.Store.DB.Where("name = 'b.jpg'").Take(&b).Error)
	broken, _, err := s.Blobs.Put(ctx, strings.NewReader("not a picture any more"))
	require.NoError(t, err)
	require.NoError(t, s.Store.DB.Create(&store.Blob{SHA256: broken}).Error)
	require.NoError(t, s.Store.DB.Model(&b).Update("sha256", broken).Error)
	require.NoError(t, s.Store.DB.Exec(`UPDATE revisions SET document = jsonb_set(document, '{frame}', '{"w":160,"h":90}')`).Error)
	r, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	require.NoError(t, s.DoRender(ctx, studio.Render{RenderID: r.ID}, "w", false))
	w := load(t, s, o.ID)
	assert.Equal(t, store.RenderFailed, w.Renders[0].State)
	assert.Regexp(t, `^slide \d: b\.jpg: `, w.Renders[0].Error)
	assert.Contains(t, w.Next().Text, "Render failed: slide")
}

func TestUsersSignIn(t *testing.T) {
	s := studiotest.Open(t)
	_, err := s.AddUser(ctx, "mara@studio.example", "", "a long password", store.Owner)
	require.NoError(t, err)
	u, err := s.SignIn(ctx, " Mara@Studio.example ", "a long password")
	require.NoError(t, err)
	assert.Equal(t, "mara", u.Name)
	assert.True(t, strings.HasPrefix(u.PasswordHash, "$argon2id$"))
	for _, try := range [][2]string{{"mara@studio.example", "wrong password"}, {"nobody@studio.example", "a long password"}, {"", ""}} {
		_, err := s.SignIn(ctx, try[0], try[1])
		assert.ErrorIs(t, err, studio.ErrSignIn)
	}
	for field, a := range map[string][3]string{"email": {"MARA@studio.example", "a long password", "operator"}, "password": {"b@x.example", "short", "operator"}, "role": {"c@x.example", "a long password", "king"}} {
		_, err := s.AddUser(ctx, a[0], "", a[1], store.Role(a[2]))
		var inv *studio.Invalid
		require.ErrorAs(t, err, &inv)
		assert.Equal(t, field, inv.Field)
	}
	require.NoError(t, s.SetPassword(ctx, "mara@studio.example", "another password"))
	_, err = s.SignIn(ctx, "mara@studio.example", "a long password")
	assert.ErrorIs(t, err, studio.ErrSignIn)
	assert.ErrorIs(t, s.SetPassword(ctx, "x@studio.example", "another password"), store.ErrNotFound)
}

func TestTimeLeft(t *testing.T) {
	began := time.Now().Add(-10 * time.Second)
	left, ok := studio.TimeLeft(store.Render{State: store.RenderRunning, StartedAt: &began, FramesDone: 100, FramesTotal: 400}, began.Add(10*time.Second))
	assert.True(t, ok)
	assert.Equal(t, 30*time.Second, left)
	_, ok = studio.TimeLeft(store.Render{State: store.RenderRunning, StartedAt: &began}, time.Now())
	assert.False(t, ok, "nothing to go by yet")
}

func TestFileName(t *testing.T) {
	assert.Equal(t, "A-B - C- D.mp4", studio.FileName(store.Order{Client: "A/B", Event: "C: D"}))
}

// Words typed nearly on the edge of the title-safe area are put right on it,
// measured as they are set: with the title's own height.
func TestWordsSnapAsTheyAreSet(t *testing.T) {
	s, order := ready(t)
	_, err := s.Edit(ctx, order, load(t, s, order).Slideshow.Head, edit.AddCard{Words: doc.Words{Kind: "title", Main: "Half-time"}}, nil)
	require.NoError(t, err)
	w := load(t, s, order)
	card := w.Doc.Slides[len(w.Doc.Slides)-2].ID
	set := func(at framing.Point) framing.Rect {
		w := load(t, s, order)
		_, err := s.Edit(ctx, order, w.Slideshow.Head, edit.Words{Slide: card, Words: doc.Words{Kind: "title", Main: "Half-time", At: &at}, Snap: true}, nil)
		require.NoError(t, err)
		w = load(t, s, order)
		for _, sl := range scene.Build(w.Doc, w.Theme, w.Plan, w.Library, pango.Words, scene.Options{}).Slides {
			if sl.ID == card {
				return sl.Words
			}
		}
		return framing.Rect{}
	}
	box := set(framing.Point{X: 0.3, Y: 0.3})
	require.Positive(t, box.H)
	box = set(framing.Point{X: 0.05 + box.W/2 + 0.008, Y: 0.95 - box.H/2 - 0.008})
	assert.InDelta(t, 0.05, box.X, 1e-6)
	assert.InDelta(t, 0.95, box.Y+box.H, 1e-6)
}

package queue_test

import (
	"bytes"
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/house"
	"nelko/internal/house/housetest"
	"nelko/internal/intake"
	"nelko/internal/making"
	"nelko/internal/orders"
	"nelko/internal/queue"
	"nelko/internal/standin"
	"nelko/internal/store"
)

var ctx = context.Background()

func startWorkers(t *testing.T, s *house.House) *queue.Workers {
	box := &standin.Mailbox{Store: s.Store}
	require.NoError(t, box.Start())
	t.Cleanup(box.Stop)
	s.Delivery.Mailer, s.Delivery.BaseURL = delivery.SMTP{URL: box.URL(), From: "films@studio.example"}, "http://films.example"
	w, err := queue.Start(ctx, s.Store, "", s.Rooms()...)
	require.NoError(t, err)
	return w
}

func eventually(t *testing.T, s *house.House, order int64, what string, ok func(*orders.Dossier) bool) *orders.Dossier {
	t.Helper()
	var w *orders.Dossier
	require.Eventually(t, func() bool {
		var err error
		w, err = s.Orders.Load(ctx, order)
		require.NoError(t, err)
		return ok(w)
	}, 90*time.Second, 100*time.Millisecond, what)
	return w
}

// From received files to a mailed link, all by the queue.
func TestWorkersDoAllOfIt(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	for i := range 4 {
		_, err := s.Intake.Receive(ctx, o.ID, fmt.Sprint("u", i), fmt.Sprintf("%d.jpg", i), bytes.NewReader(housetest.Photo(t, i)))
		require.NoError(t, err)
	}
	_, err := s.Intake.Receive(ctx, o.ID, "song", "song.flac", bytes.NewReader(housetest.Song(t, 14)))
	require.NoError(t, err)
	work := eventually(t, s, o.ID, "everything poured", func(w *orders.Dossier) bool {
		return len(w.Doc.Uses()) == 4 && len(w.Doc.Soundtrack.Songs()) == 1
	})
	assert.LessOrEqual(t, work.Slideshow.Head, 5, "files that come together are poured together")

	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 160, H: 90}})
	r, err := s.Making.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	work = eventually(t, s, o.ID, "rendered", func(w *orders.Dossier) bool { return w.Renders[0].State.Over() })
	require.Equal(t, store.RenderDone, work.Renders[0].State, work.Renders[0].Error)
	assert.Equal(t, w.ID(), work.Renders[0].Worker)

	_, token, err := s.Delivery.MakeLink(ctx, o.ID, delivery.NewLink{RenderID: r.ID, Title: "Zoë’s film", Days: 5, Mail: true})
	require.NoError(t, err)
	eventually(t, s, o.ID, "mailed", func(w *orders.Dossier) bool { return w.Links[0].MailedAt != nil })
	mail, err := store.One[store.StandinMail](s.Store.DB, "recipient = ?", "gannets@saltmere.example")
	require.NoError(t, err)
	assert.Equal(t, "Zoë’s film", mail.Subject)
	assert.Contains(t, mail.Body, "http://films.example/watch/"+token)
}

// The job of a worker that died is taken up by another within seconds, though
// the queue still calls it running; one that lives keeps its job.
func TestJobsOfDeadWorkersGoOn(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	m, err := s.Intake.Receive(ctx, o.ID, "u", "a.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	mark := func(worker string) {
		require.NoError(t, s.Store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now(), attempted_by = ARRAY[?]", worker).Error)
	}
	state := func() store.MediaState {
		got, err := store.One[store.Media](s.Store.DB, "id = ?", m.ID)
		require.NoError(t, err)
		return got.State
	}
	require.NoError(t, s.Store.DB.Exec("INSERT INTO workers (id, seen_at) VALUES ('dead', now() - interval '1 minute'), ('alive', now() + interval '1 minute')").Error)
	mark("alive")
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	assert.Never(t, func() bool { return state() != store.Waiting }, 5*time.Second, 200*time.Millisecond)
	mark("dead")
	assert.Eventually(t, func() bool { return state() == store.Ready }, 30*time.Second, 100*time.Millisecond)
}

// Stopping in the middle of a render gives it back; the next worker finishes
// it.
func TestStoppedRenderIsFinishedByTheNextWorker(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	housetest.Bring(t, s, o.ID, map[string][]byte{"a.jpg": housetest.Photo(t, 1), "b.jpg": housetest.Photo(t, 2), "song.flac": housetest.Song(t, 14)})
	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 640, H: 360}})
	first := startWorkers(t, s)
	_, err := s.Making.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	eventually(t, s, o.ID, "begun", func(w *orders.Dossier) bool { return w.Renders[0].FramesDone > 0 || w.Renders[0].State.Over() })
	first.Stop(10 * time.Second)
	require.Equal(t, store.RenderRunning, eventually(t, s, o.ID, "", func(*orders.Dossier) bool { return true }).Renders[0].State)
	second := startWorkers(t, s)
	defer second.Stop(5 * time.Second)
	w := eventually(t, s, o.ID, "finished", func(w *orders.Dossier) bool { return w.Renders[0].State.Over() })
	assert.Equal(t, store.RenderDone, w.Renders[0].State, w.Renders[0].Error)
	assert.Equal(t, 2, w.Renders[0].Attempt)
	assert.Equal(t, second.ID(), w.Renders[0].Worker)
}

// A file on which workers died twice is refused by name, with the reason, and
// not tried for ever; one death is forgiven.
func TestDeadlyJobsAreRefused(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	_, err := s.Intake.Receive(ctx, o.ID, "a", "deadly.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	die := func() {
		require.NoError(t, s.Store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now(), attempted_by = ARRAY['gone'] WHERE kind = 'ingest' AND state = 'available'").Error)
		require.NoError(t, queue.Rescue(ctx, s.Store))
	}
	die()
	die()
	_, err = s.Intake.Receive(ctx, o.ID, "b", "unlucky.jpg", bytes.NewReader(housetest.Photo(t, 2)))
	require.NoError(t, err)
	require.NoError(t, s.Store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now(), attempted_by = ARRAY['gone'] WHERE kind = 'ingest' AND metadata->>'nelko_deaths' IS NULL").Error)
	require.NoError(t, queue.Rescue(ctx, s.Store))
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	d := eventually(t, s, o.ID, "both settled", func(d *orders.Dossier) bool {
		return len(d.Media) == 2 && d.Media[0].State != store.Waiting && d.Media[1].State != store.Waiting
	})
	assert.Equal(t, store.Refused, d.Media[0].State)
	assert.Contains(t, d.Media[0].Reason, "the program ended 2 times")
	assert.Equal(t, store.Ready, d.Media[1].State, d.Media[1].Reason)
	var state string
	require.Eventually(t, func() bool {
		return s.Store.DB.Raw("SELECT state FROM river_job WHERE (metadata->>'nelko_deaths')::int = 2").Scan(&state).Error == nil && state == "cancelled"
	}, 10*time.Second, 50*time.Millisecond, "it is not tried again")
}

// Reading files, pours, mail and rendering wait for nothing but themselves:
// each kind says a queue of its own.
func TestQueuesOfTheirOwn(t *testing.T) {
	queues := map[string]string{}
	for kind, opts := range map[string]river.InsertOpts{"read": intake.Read{}.InsertOpts(), "pour": intake.Pour{}.InsertOpts(), "mail": delivery.SendLink{}.InsertOpts(), "film": making.Film{}.InsertOpts(), "help": making.Help{}.InsertOpts()} {
		assert.Empty(t, queues[opts.Queue], "%s shares a queue", kind)
		queues[opts.Queue] = kind
	}
}

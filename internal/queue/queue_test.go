package queue_test

import (
	"bytes"
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nelko/internal/deliver"
	"nelko/internal/queue"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/studio"
	"nelko/internal/studio/studiotest"
)

var ctx = context.Background()

func startWorkers(t *testing.T, s *studio.Studio) *queue.Workers {
	box := &standin.Mailbox{Store: s.Store}
	require.NoError(t, box.Start())
	t.Cleanup(box.Stop)
	w := &queue.Workers{Studio: s, Mailer: deliver.SMTP{URL: box.URL(), From: "films@studio.example"}, BaseURL: "http://films.example", Films: 1}
	require.NoError(t, w.Start(ctx))
	return w
}

func eventually(t *testing.T, s *studio.Studio, order int64, what string, ok func(*studio.Work) bool) *studio.Work {
	t.Helper()
	var w *studio.Work
	require.Eventually(t, func() bool {
		var err error
		w, err = s.Load(ctx, order)
		require.NoError(t, err)
		return ok(w)
	}, 90*time.Second, 100*time.Millisecond, what)
	return w
}

// From received files to a mailed link, all by the queue.
func TestWorkersDoAllOfIt(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	for i := range 4 {
		_, err := s.Receive(ctx, o.ID, fmt.Sprint("u", i), fmt.Sprintf("%d.jpg", i), bytes.NewReader(studiotest.Photo(t, i)))
		require.NoError(t, err)
	}
	_, err := s.Receive(ctx, o.ID, "song", "song.flac", bytes.NewReader(studiotest.Song(t, 14)))
	require.NoError(t, err)
	work := eventually(t, s, o.ID, "everything poured", func(w *studio.Work) bool {
		return len(w.Doc.Uses()) == 4 && len(w.Doc.Soundtrack.Songs) == 1
	})
	assert.LessOrEqual(t, work.Slideshow.Head, 5, "files that come together are poured together")

	require.NoError(t, s.Store.DB.Exec(`UPDATE revisions SET document = jsonb_set(document, '{frame}', '{"w":160,"h":90}')`).Error)
	r, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	work = eventually(t, s, o.ID, "rendered", func(w *studio.Work) bool { return w.Renders[0].State.Over() })
	require.Equal(t, store.RenderDone, work.Renders[0].State, work.Renders[0].Error)
	assert.Equal(t, w.ID(), work.Renders[0].Worker)

	_, token, err := s.MakeLink(ctx, o.ID, studio.NewLink{RenderID: r.ID, Title: "Zoë’s film", Days: 5, Mail: true})
	require.NoError(t, err)
	eventually(t, s, o.ID, "mailed", func(w *studio.Work) bool { return w.Links[0].MailedAt != nil })
	mail, err := store.One[store.StandinMail](s.Store.DB, "recipient = ?", "gannets@saltmere.example")
	require.NoError(t, err)
	assert.Equal(t, "Zoë’s film", mail.Subject)
	assert.Contains(t, mail.Body, "http://films.example/watch/"+token)
}

// The job of a worker that died is taken up by another within seconds, though
// the queue still calls it running; one that lives keeps its job.
func TestJobsOfDeadWorkersGoOn(t *testing.T) {
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	m, err := s.Receive(ctx, o.ID, "u", "a.jpg", bytes.NewReader(studiotest.Photo(t, 1)))
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
	s := studiotest.Open(t)
	o := studiotest.Order(t, s)
	studiotest.Bring(t, s, o.ID, map[string][]byte{"a.jpg": studiotest.Photo(t, 1), "b.jpg": studiotest.Photo(t, 2), "song.flac": studiotest.Song(t, 14)})
	require.NoError(t, s.Store.DB.Exec(`UPDATE revisions SET document = jsonb_set(document, '{frame}', '{"w":640,"h":360}')`).Error)
	first := startWorkers(t, s)
	_, err := s.StartRender(ctx, o.ID)
	require.NoError(t, err)
	eventually(t, s, o.ID, "begun", func(w *studio.Work) bool { return w.Renders[0].FramesDone > 0 || w.Renders[0].State.Over() })
	first.Stop(10 * time.Second)
	require.Equal(t, store.RenderRunning, eventually(t, s, o.ID, "", func(*studio.Work) bool { return true }).Renders[0].State)
	second := startWorkers(t, s)
	defer second.Stop(5 * time.Second)
	w := eventually(t, s, o.ID, "finished", func(w *studio.Work) bool { return w.Renders[0].State.Over() })
	assert.Equal(t, store.RenderDone, w.Renders[0].State, w.Renders[0].Error)
	assert.Equal(t, 2, w.Renders[0].Attempt)
	assert.Equal(t, second.ID(), w.Renders[0].Worker)
}

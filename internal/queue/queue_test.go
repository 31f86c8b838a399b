package queue_test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
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
	"nelko/internal/media/hostile"
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
	s.Delivery.Mailer, s.Delivery.BaseURL = delivery.SMTP{
		URL:  box.URL(),
		From: "films@studio.example",
	}, "http://films.example"
	w, err := queue.Start(ctx, s.Store, "", s.Rooms()...)
	require.NoError(t, err)
	return w
}

func eventually(t *testing.T, s *house.House, order int64, what string,
	ok func(*orders.Dossier) bool) *orders.Dossier {
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
		_, err := s.Intake.In.Receive(ctx, o.ID, fmt.Sprint("u", i), fmt.Sprintf("%d.jpg", i),
			bytes.NewReader(housetest.Photo(t, i)))
		require.NoError(t, err)
	}
	_, err := s.Intake.In.Receive(ctx, o.ID, "song", "song.flac", bytes.NewReader(housetest.Song(t, 14)))
	require.NoError(t, err)
	work := eventually(t, s, o.ID, "everything poured", func(w *orders.Dossier) bool {
		return len(w.Doc.Uses()) == 4 && len(w.Doc.Soundtrack.Songs()) == 1
	})
	assert.LessOrEqual(t, work.Slideshow.Head, 5, "files that come together are poured together")

	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 160, H: 90}})
	r, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	work = eventually(t, s, o.ID, "rendered", func(w *orders.Dossier) bool {
		return w.Renders[0].State.Over()
	})
	require.Equal(t, store.RenderDone, work.Renders[0].State, work.Renders[0].Error)
	assert.Equal(t, w.ID(), work.Renders[0].Worker)

	_, token, err := s.Delivery.Links.MakeLink(ctx, o.ID, delivery.NewLink{
		RenderID: r.ID,
		Title:    "Zoë’s film",
		Days:     5,
		Mail:     true,
	})
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
	m, err := s.Intake.In.Receive(ctx, o.ID, "u", "a.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	mark := func(worker string) {
		require.NoError(t, s.Store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, "+
			"attempted_at = now(), attempted_by = ARRAY[?] WHERE kind = 'ingest'", worker).Error)
	}
	state := func() store.MediaState {
		got, err := store.One[store.Media](s.Store.DB, "id = ?", m.ID)
		require.NoError(t, err)
		return got.State
	}
	require.NoError(t, s.Store.DB.Exec("INSERT INTO workers (id, seen_at) VALUES ('dead', now() - interval "+
		"'1 minute'), ('alive', now() + interval '1 minute')").Error)
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
	housetest.Bring(t, s, o.ID, map[string][]byte{
		"a.jpg":     housetest.Photo(t, 1),
		"b.jpg":     housetest.Photo(t, 2),
		"song.flac": housetest.Song(t, 14),
	})
	housetest.Edit(t, s, o.ID, edit.Shape{Frame: doc.Frame{W: 640, H: 360}})
	first := startWorkers(t, s)
	_, err := s.Making.Renders.Begin(ctx, o.ID, "")
	require.NoError(t, err)
	eventually(t, s, o.ID, "begun", func(w *orders.Dossier) bool {
		return w.Renders[0].FramesDone > 0 || w.Renders[0].State.Over()
	})
	first.Stop(10 * time.Second)
	require.Equal(t, store.RenderRunning, eventually(t, s, o.ID, "", func(*orders.Dossier) bool {
		return true
	}).Renders[0].State)
	second := startWorkers(t, s)
	defer second.Stop(5 * time.Second)
	w := eventually(t, s, o.ID, "finished", func(w *orders.Dossier) bool { return w.Renders[0].State.Over() })
	assert.Equal(t, store.RenderDone, w.Renders[0].State, w.Renders[0].Error)
	assert.Equal(t, 2, w.Renders[0].Attempt)
	assert.Equal(t, second.ID(), w.Renders[0].Worker)
}

// A file on which workers died twice by a fault is refused by name, with the
// reason, and not tried for ever; one such death is forgiven, and so are some by
// which workers were only killed.
func TestDeadlyJobsAreRefused(t *testing.T) {
	s := housetest.Open(t)
	o := housetest.Order(t, s)
	boot, err := os.ReadFile("/proc/sys/kernel/random/boot_id")
	require.NoError(t, err)
	n := 0
	die := func(name, lastWords string) {
		n++
		witness := filepath.Join(t.TempDir(), "words")
		require.NoError(t, os.WriteFile(witness, []byte(lastWords), 0o600))
		id := fmt.Sprint("gone-", n)
		require.NoError(t, s.Store.DB.Exec("INSERT INTO workers (id, seen_at, boot, witness, oom_kills) "+
			"VALUES (?, now() - interval '1 minute', ?, ?, 1 << 40)", id, strings.TrimSpace(string(boot)),
			witness).Error)
		require.NoError(t, s.Store.DB.Exec("UPDATE river_job SET state = 'running', attempt = 1, "+
			"attempted_at = now(), attempted_by = ARRAY[?] WHERE kind = 'ingest' AND "+
			"(args->>'media_id')::bigint = (SELECT id FROM media WHERE name = ?)", id, name).Error)
		require.NoError(t, queue.Rescue(ctx, s.Store))
		if lastWords != "" {
			assert.NoFileExists(t, witness)
		}
	}
	for i, name := range []string{"deadly.jpg", "unlucky.jpg", "killed.jpg"} {
		_, err := s.Intake.In.Receive(ctx, o.ID, name, name, bytes.NewReader(housetest.Photo(t, i)))
		require.NoError(t, err)
	}
	die("deadly.jpg", "SIGSEGV: segmentation violation")
	die("deadly.jpg", "panic: runtime error")
	die("unlucky.jpg", "panic: runtime error")
	for range 4 {
		die("killed.jpg", "")
	}
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	d := eventually(t, s, o.ID, "both settled", func(d *orders.Dossier) bool {
		return len(d.Media) == 3 && !slices.ContainsFunc(d.Media, func(m store.Media) bool {
			return m.State == store.Waiting
		})
	})
	assert.Equal(t, store.Refused, d.Media[0].State)
	assert.Contains(t, d.Media[0].Reason, "the program ended 2 times")
	for _, m := range d.Media[1:] {
		assert.Equal(t, store.Ready, m.State, "%s: %s", m.Name, m.Reason)
	}
	var state string
	require.Eventually(t, func() bool {
		return s.Store.DB.Raw("SELECT state FROM river_job WHERE (metadata->>'nelko_deaths')::int = 2").
			Scan(&state).Error == nil && state == "cancelled"
	}, 10*time.Second, 50*time.Millisecond, "it is not tried again")
}

// What takes a reader's whole patience holds nobody up: another order's photo
// is ready meanwhile. A file that is dismissed while it is read is read no more.
func TestHostileFilesHoldNobodyUp(t *testing.T) {
	s := housetest.Open(t)
	bad, good := housetest.Order(t, s), housetest.Order(t, s)
	w := startWorkers(t, s)
	defer w.Stop(5 * time.Second)
	dir := t.TempDir()
	require.NoError(t, hostile.Make(ctx, dir))
	for _, f := range hostile.Files() {
		b, err := os.ReadFile(f.Path(dir))
		require.NoError(t, err)
		_, err = s.Intake.In.Receive(ctx, bad.ID, f.Name, f.Name, bytes.NewReader(b))
		require.NoError(t, err)
	}
	begun := time.Now()
	_, err := s.Intake.In.Receive(ctx, good.ID, "good", "good.jpg", bytes.NewReader(housetest.Photo(t, 1)))
	require.NoError(t, err)
	eventually(t, s, good.ID, "the photo is ready", func(d *orders.Dossier) bool {
		return d.Media[0].State == store.Ready
	})
	took := time.Since(begun)
	assert.Less(t, took, 30*time.Second)
	find := func(d *orders.Dossier) (waits int, endless int64) {
		for _, m := range d.Media {
			if m.Name == "turbulence.svg" && m.State == store.Waiting {
				endless = m.ID
			} else if m.State == store.Waiting {
				waits++
			}
		}
		return waits, endless
	}
	_, endless := find(housetest.Load(t, s, bad.ID))
	require.NotZero(t, endless, "others were ready before it")
	require.NoError(t, s.Intake.Material.Dismiss(ctx, bad.ID, endless))
	eventually(t, s, bad.ID, "all others are settled", func(d *orders.Dossier) bool {
		n, _ := find(d)
		return n == 0
	})
	assert.Eventually(t, func() bool {
		var n int64
		return s.Store.DB.Raw("SELECT count(*) FROM river_job WHERE kind = 'ingest' AND state <> 'completed'").Scan(&n).Error == nil && n == 0
	}, 10*time.Second, 100*time.Millisecond, "the job of the one that was dismissed has ended")
	for _, m := range housetest.Load(t, s, bad.ID).Media {
		if m.State == store.Refused {
			assert.NotEmpty(t, m.Reason, m.Name)
		}
	}
}

// Reading files, pours, mail and rendering wait for nothing but themselves:
// each kind says a queue of its own.
func TestQueuesOfTheirOwn(t *testing.T) {
	queues := map[string]string{}
	for kind, opts := range map[string]river.InsertOpts{
		"read":  intake.Read{}.InsertOpts(),
		"songs": intake.Read{Song: true}.InsertOpts(),
		"slow":  intake.Read{Slow: true}.InsertOpts(),
		"pour":  intake.Pour{}.InsertOpts(),
		"mail":  delivery.SendLink{}.InsertOpts(),
		"film":  making.Film{}.InsertOpts(),
		"help":  making.Help{}.InsertOpts(),
	} {
		assert.Empty(t, queues[opts.Queue], "%s shares a queue", kind)
		queues[opts.Queue] = kind
	}
}

// A worker that a fault ends leaves its last words, one that is killed none.
func TestLastWords(t *testing.T) {
	if how := os.Getenv("NELKO_TEST_END"); how != "" {
		s := housetest.Open(t)
		_, err := queue.Start(ctx, s.Store, "", s.Rooms()...)
		require.NoError(t, err)
		var witness string
		require.NoError(t, s.Store.DB.Raw("SELECT witness FROM workers").Scan(&witness).Error)
		fmt.Println("witness", witness)
		if how == "killed" {
			require.NoError(t, syscall.Kill(os.Getpid(), syscall.SIGKILL))
		}
		go func() { panic("a fault") }()
		select {}
	}
	for _, how := range []string{"fault", "killed"} {
		cmd := exec.Command(os.Args[0], "-test.run=^TestLastWords$", "-test.v")
		cmd.Env = append(os.Environ(), "NELKO_TEST_END="+how)
		out, err := cmd.CombinedOutput()
		require.Error(t, err, how)
		_, rest, ok := strings.Cut(string(out), "witness ")
		require.True(t, ok, string(out))
		path, _, _ := strings.Cut(rest, "\n")
		b, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.Remove(path))
		assert.Equal(t, how == "fault", strings.Contains(string(b), "a fault"), how)
	}
}

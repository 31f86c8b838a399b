// Package soak runs a studio of its own for a while, with operators who send
// files in, edit, render and deliver, and viewers who watch, while its server,
// its worker and its database are killed at random moments; and then looks
// whether everything is there that was acknowledged, once.
package soak

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"nelko/internal/app"
	"nelko/internal/delivery"
	"nelko/internal/demo/paint"
	"nelko/internal/media"
	"nelko/internal/media/vips"
	"nelko/internal/standin"
	"nelko/internal/store"
)

// Settings are what a soak is run with.
type Settings struct {
	For       time.Duration // how long it works and kills
	Seed      uint64        // of what is done and killed, and when
	Operators int
	Checkout  string // folder with scripts/pg
	Binary    string // of nelko
	Log       io.Writer
}

// Settling is how long the studio may take, after the last fault, to finish
// what was begun.
const settling = 10 * time.Minute

// Figures are what a soak came to. Whatever is lost, double or damaged should
// be nought.
type Figures struct {
	Orders, Uploads, Edits, Renders, Links, Views int // acknowledged
	Unanswered                                    int // asked for, and nobody knows
	KilledServer, KilledWorker, KilledDatabase    int
	StoreAway, MovedBack, Joined                  int // workers that joined or left
	MailsUnanswered                               int // that the mail server took and did not answer
	MailsAsked                                    int // of which it is said that they may have gone
	Lost, Double, Damaged, Unfinished, MailsTwice int
	Wrong                                         []string
}

// Print writes the figures as name=value lines.
func (f Figures) Print(w io.Writer) {
	for _, l := range []struct {
		name string
		n    int
	}{{"orders", f.Orders}, {"uploads", f.Uploads}, {"edits", f.Edits}, {"renders", f.Renders},
		{"deliveries", f.Links}, {"views", f.Views}, {"unanswered", f.Unanswered},
		{"killed_server", f.KilledServer}, {"killed_worker", f.KilledWorker},
		{"killed_database", f.KilledDatabase},
		{"store_away", f.StoreAway}, {"moved_back", f.MovedBack}, {"workers_joined_or_left", f.Joined},
		{"mails_unanswered", f.MailsUnanswered}, {"mails_asked", f.MailsAsked},
		{"lost", f.Lost}, {"double", f.Double}, {"damaged", f.Damaged}, {"unfinished", f.Unfinished},
		{"mails_twice", f.MailsTwice}} {
		fmt.Fprintf(w, "soak_%s=%d\n", l.name, l.n)
	}
}

// studio is the one that is soaked.
type studio struct {
	*place
	operators *operator
	checks    *checker
}

// operator works at the studio as people do, through a browser's requests.
type operator struct{ *place }

// checker looks at the end whether all that was acknowledged is there, once.
type checker struct{ *place }

// place is where the studio is, what it was told, and what is wrong with it.
type place struct {
	Settings
	dir  string
	url  string // of the database
	addr string
	env  []string

	server, worker *process
	joined         []*process // further workers
	workers        int        // that joined, ever

	photo []byte
	song  []byte

	quiet atomic.Bool // nothing is hurt any more
	mu    sync.Mutex
	acked acked
	f     Figures
}

// acked is what was acknowledged, and what was asked for without an answer.
type acked struct {
	orders  []string           // events
	uploads map[string]string  // identifiers, and the sums of what was sent
	edits   []int              // numbers in a detail
	unknown map[int]bool       // edits without an answer
	renders map[int64]int      // by order
	perhaps map[int64]int      // renders without an answer, by order
	links   map[string]watched // by title
}

// watched is a link as a viewer has it.
type watched struct {
	order int64
	path  string
}

// Run soaks a studio and gives the figures. An error means that it could not be
// run; what it found wrong is in the figures.
func Run(ctx context.Context, set Settings) (Figures, error) {
	slog.SetLogLoggerLevel(slog.LevelError) // a database that is killed is no news here
	dir, err := os.MkdirTemp("", "nelko-soak-")
	if err != nil {
		return Figures{}, err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // PostgreSQL's user goes through
		return Figures{}, err
	}
	at := &place{Settings: set, dir: dir}
	s := &studio{at, &operator{at}, &checker{at}}
	s.acked = acked{
		uploads: map[string]string{},
		unknown: map[int]bool{},
		renders: map[int64]int{},
		perhaps: map[int64]int{},
		links:   map[string]watched{},
	}
	if err := s.materials(ctx); err != nil {
		return s.f, err
	}
	if s.url, err = s.startDatabase(ctx); err != nil {
		return s.f, err
	}
	defer s.stopDatabase()
	db, err := store.Open(ctx, s.url)
	if err != nil {
		return s.f, err
	}
	defer db.Close()
	box := &standin.Mailbox{Store: db, Silent: s.silently()}
	if err := box.Start(); err != nil {
		return s.f, err
	}
	defer box.Stop()
	if s.addr, err = freeAddress(); err != nil {
		return s.f, err
	}
	s.env = append(os.Environ(), "NELKO_DATABASE_URL="+s.url, "NELKO_VAR="+filepath.Join(dir, "var"),
		"NELKO_ADDR="+s.addr, "NELKO_METRICS=", "NELKO_LOG=warn", "NELKO_MAIL="+box.URL())
	for i := range set.Operators {
		if err := s.nelko(ctx, password+"\n", "user", "add", "--role", "owner", email(i)); err != nil {
			return s.f, err
		}
	}
	s.server, s.worker = s.supervise("serve", "serve"), s.supervise("work", "work")
	defer s.server.stop()
	defer s.worker.stop()
	if err := s.awaitServer(ctx); err != nil {
		return s.f, err
	}

	working, over := context.WithTimeout(ctx, set.For)
	defer over()
	g, working := errgroup.WithContext(working)
	for i := range set.Operators {
		g.Go(func() error { return s.operators.operate(working, i) })
	}
	g.Go(func() error { return s.view(working) })
	g.Go(func() error { return s.hurting(working) })
	err = g.Wait()
	s.quiet.Store(true)
	if err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return s.f, err
	}
	s.say("the faults are over; what was begun is finished")
	if err := s.awaitServer(ctx); err != nil {
		return s.f, err
	}
	if err := s.settle(ctx, db); err != nil {
		return s.f, err
	}
	return s.f, s.checks.check(ctx, db)
}

func (p *place) say(format string, a ...any) {
	fmt.Fprintf(p.Log, time.Now().Format(time.TimeOnly)+" "+format+"\n", a...)
}

// wrong notes something that is not as it should be.
func (p *place) wrong(count *int, format string, a ...any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	*count++
	p.f.Wrong = append(p.f.Wrong, fmt.Sprintf(format, a...))
}

func freeAddress() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	defer l.Close()
	return l.Addr().String(), nil
}

const password = "gravel lantern heron"

func email(i int) string { return fmt.Sprintf("operator%d@soak.example", i) }

// silently has the mail server take a mail now and then and not answer, until the faults are over.
func (s *studio) silently() func() bool {
	rnd := rand.New(rand.NewPCG(s.Seed, 3))
	var mu sync.Mutex
	return func() bool {
		mu.Lock()
		defer mu.Unlock()
		if s.quiet.Load() || rnd.IntN(5) > 0 {
			return false
		}
		s.f.MailsUnanswered++
		return true
	}
}

// materials paints a photo and has a song made, from which all that is sent in
// is derived.
func (s *studio) materials(ctx context.Context) error {
	if err := media.Startup(); err != nil {
		return err
	}
	px, err := paint.Paint(paint.Spec{Scene: paint.Pots, W: 900, H: 600, Seed: s.Seed})
	if err == nil {
		s.photo, err = vips.JPEG(px, 80)
	}
	if err != nil {
		return err
	}
	path := filepath.Join(s.dir, "song.flac")
	if err := command(ctx, nil, "", "ffmpeg", "-v", "error", "-f", "lavfi", "-i",
		"sine=330:d=13,tremolo=f=2:d=0.7", path); err != nil {
		return err
	}
	s.song, err = os.ReadFile(path)
	return err
}

// browser is an operator's or a viewer's.
func (p *place) browser() (*client, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	return &client{
		base: "http://" + p.addr,
		http: &http.Client{
			Jar:           jar,
			Timeout:       30 * time.Second,
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
	}, nil
}

// view watches films that were delivered.
func (s *studio) view(ctx context.Context) error {
	rnd := rand.New(rand.NewPCG(s.Seed, 2))
	c, err := s.browser()
	if err != nil {
		return err
	}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(time.Duration(200+rnd.IntN(800)) * time.Millisecond):
		}
		s.mu.Lock()
		var paths []string
		for _, l := range s.acked.links {
			paths = append(paths, l.path)
		}
		s.mu.Unlock()
		if len(paths) == 0 {
			continue
		}
		slices.Sort(paths)
		path := paths[rnd.IntN(len(paths))]
		if status, _, err := c.get(ctx, path); err == nil && status == http.StatusOK {
			s.mu.Lock()
			s.f.Views++
			s.mu.Unlock()
		} else if err == nil && status < 500 {
			s.wrong(&s.f.Lost, "%s was answered %d to a viewer", path, status)
		}
	}
}

// settle waits until everything that was begun is over.
func (s *studio) settle(ctx context.Context, db *store.Store) error {
	last := ""
	for end := time.Now().Add(settling); time.Now().Before(end); time.Sleep(time.Second) {
		var open struct{ Media, Renders, Mails, Jobs, Uploads int }
		err := db.DB.WithContext(ctx).
			Raw(`SELECT (SELECT count(*) FROM media WHERE state = 'waiting') AS media, (SELECT count(*) FROM renders WHERE state IN ('waiting', 'running')) AS renders,
			(SELECT count(*) FROM links WHERE mailed_to <> '' AND mailed_at IS NULL AND mail_error <> ?) AS mails,
			(SELECT count(*) FROM river_job WHERE state IN ('available', 'running', 'retryable', 'scheduled')) AS jobs`, delivery.MayHaveGone).Scan(&open).Error
		if ctx.Err() != nil {
			return ctx.Err()
		}
		// none: the pattern is right
		infos, _ := filepath.Glob(filepath.Join(s.dir, "var", "uploads", "*.info"))
		for _, info := range infos {
			if s.acked.uploads[upload(info)] != "" {
				open.Uploads++
			}
		}
		if err == nil && open == (struct{ Media, Renders, Mails, Jobs, Uploads int }{}) {
			return nil
		}
		last = fmt.Sprintf("%+v", open)
	}
	s.wrong(&s.f.Unfinished, "still open after %v: %s", settling, last)
	return nil
}

// house opens the studio's rooms, without server or workers.
func (p *place) house(ctx context.Context) (*app.App, error) {
	return app.Open(ctx, app.Settings{
		DatabaseURL: p.url,
		Var:         filepath.Join(p.dir, "var"),
		Blobs:       "file://" + filepath.ToSlash(filepath.Join(p.dir, "var", "blobs")),
		BaseURL:     "http://" + p.addr,
		Addr:        p.addr,
	})
}

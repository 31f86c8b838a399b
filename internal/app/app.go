// Package app puts the application together from its parts and settings.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/caarlos0/env/v11"

	"nelko/internal/delivery"
	"nelko/internal/demo"
	"nelko/internal/house"
	"nelko/internal/queue"
	"nelko/internal/standin"
	"nelko/internal/store"
	"nelko/internal/web"
	"nelko/internal/web/page"
	"nelko/themes"
)

// Settings come from the environment.
type Settings struct {
	Addr string `env:"NELKO_ADDR" envDefault:"127.0.0.1:8080"` // where to listen
	// the address clients reach; by default the listening one
	BaseURL string `env:"NELKO_URL"`
	// postgres://…; by default the one that ./run started in Var
	DatabaseURL string `env:"NELKO_DATABASE_URL"`
	// any gocloud.dev blob URL; by default a folder in Var
	Blobs string `env:"NELKO_BLOBS"`
	Var   string `env:"NELKO_VAR" envDefault:"var"` // folder for local files
	// smtp:// or smtps:// URL; by default the stand-in mailbox
	Mail string `env:"NELKO_MAIL"`
	// address of a video host; by default the stand-in, while there is no mail server
	Host     string `env:"NELKO_HOST"`
	MailFrom string `env:"NELKO_MAIL_FROM" envDefault:"films@studio.example"`
	// imaps:// or imap:// URL of the mailbox to which mail comes back; empty: none is read
	MailBack string `env:"NELKO_MAIL_BACK"`
	Films    int    `env:"NELKO_FILMS" envDefault:"1"` // films rendered at the same time
	// folder of the studio's own themes, as zip files
	Themes string `env:"NELKO_THEMES"`
	// folder with a folder for each order, whose files are brought in; by default one in Var
	Intake string `env:"NELKO_INTAKE"`
	// folder whose sub-folders Runs may watch; empty: none
	Watch string `env:"NELKO_WATCH"`
	// room for kept segments; 0 is the usual
	SegmentsGB int `env:"NELKO_SEGMENTS_GB"`
	// loopback address for Prometheus; empty: none
	Metrics string `env:"NELKO_METRICS" envDefault:"127.0.0.1:9180"`
	// addresses and networks of proxies that say whom they ask for
	Proxies  string `env:"NELKO_TRUSTED_PROXIES"`
	LogLevel string `env:"NELKO_LOG" envDefault:"info"`
}

// ReadSettings reads the environment.
func ReadSettings() (Settings, error) {
	var s Settings
	if err := env.Parse(&s); err != nil {
		return s, err
	}
	abs, err := filepath.Abs(s.Var)
	if err != nil {
		return s, err
	}
	s.Var = abs
	if s.DatabaseURL == "" {
		s.DatabaseURL = bundled(s.Var)
	}
	if s.Blobs == "" {
		s.Blobs = "file://" + filepath.ToSlash(filepath.Join(s.Var, "blobs"))
	}
	if s.Intake == "" {
		s.Intake = filepath.Join(s.Var, "intake")
	}
	if s.BaseURL == "" {
		s.BaseURL = "http://" + s.Addr
	}
	var level slog.Level
	if err := level.UnmarshalText([]byte(s.LogLevel)); err != nil {
		return s, fmt.Errorf("NELKO_LOG: %w", err)
	}
	slog.SetDefault(slog.New(byActor{slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})}))
	return s, nil
}

// bundled is the database that ./run keeps in a folder or in the studio's below
// it; empty if none can be read there.
func bundled(folder string) string {
	for _, dir := range []string{filepath.Join(folder, "postgres"), filepath.Join(folder, "studio",
		"postgres")} {
		password, err := os.ReadFile(filepath.Join(dir, "password"))
		if err != nil {
			continue
		}
		// The fourth line of PostgreSQL's lock file is its port.
		lock, err := os.ReadFile(filepath.Join(dir, "data", "postmaster.pid"))
		lines := strings.Split(string(lock), "\n")
		if err != nil || len(lines) < 4 {
			continue
		}
		u := url.URL{
			Scheme:   "postgres",
			User:     url.UserPassword("nelko", strings.TrimSpace(string(password))),
			Host:     net.JoinHostPort("127.0.0.1", strings.TrimSpace(lines[3])),
			Path:     "nelko",
			RawQuery: "sslmode=disable",
		}
		return u.String()
	}
	return ""
}

// App is the opened application, without server or workers.
type App struct {
	Settings Settings
	House    *house.House
}

// Open opens database and blob store, migrates the schema and opens the rooms.
func Open(ctx context.Context, s Settings) (*App, error) {
	if s.DatabaseURL == "" {
		return nil, fmt.Errorf("there is no database: set NELKO_DATABASE_URL, or start ./run, whose "+
			"database is found in NELKO_VAR (%s)", s.Var)
	}
	if err := os.MkdirAll(s.Var, 0o700); err != nil {
		return nil, fmt.Errorf("folder for local files: %w", err)
	}
	db, err := store.Open(ctx, s.DatabaseURL)
	if err != nil {
		return nil, err
	}
	if err := db.Migrate(ctx, themeVersions(s.Themes)); err != nil {
		db.Close()
		return nil, err
	}
	blobs, err := store.OpenBlobs(ctx, s.Blobs, filepath.Join(s.Var, "cache"))
	if err != nil {
		db.Close()
		return nil, err
	}
	h, err := house.Open(ctx, db, blobs, house.Settings{
		Themes:       s.Themes,
		SegmentBytes: int64(s.SegmentsGB) << 30,
		Films:        s.Films,
		BaseURL:      s.BaseURL,
		Watch:        s.Watch,
		Intake:       s.Intake,
		Photos:       s.photoSource(),
		Host:         s.videoHost(),
	})
	if err != nil {
		db.Close()
		return nil, errors.Join(err, blobs.Close())
	}
	return &App{Settings: s, House: h}, nil
}

// The photo source that ships with the program is for trying things out: what
// it shows is made up, and it is there only where there is no mail server.
const photosName, photosPassword = "studio", "saltmere"

// photoSource is the address of the stand-in photo source; empty if there is
// none.
func (s Settings) photoSource() string {
	u, err := url.Parse(s.BaseURL)
	if s.Mail != "" || err != nil {
		return ""
	}
	u.Scheme = map[string]string{"http": "dav", "https": "davs"}[u.Scheme]
	u.User, u.Path = url.UserPassword(photosName, photosPassword), web.PhotosPath
	return u.String()
}

// videoHost is the address of the video host: the stand-in's is below the
// studio's own.
func (s Settings) videoHost() string {
	if s.Host == "" && s.Mail == "" {
		return strings.TrimRight(s.BaseURL, "/") + "/standins/host"
	}
	return s.Host
}

// themeVersions gives the content of the themes on the shelf now, which are
// those that documents of before named by ID alone.
func themeVersions(own string) func(string) string {
	return func(id string) string {
		on, err := themes.Shipped()
		if err != nil {
			return ""
		}
		if own != "" {
			on.Look(own, nil) // what is refused is told of when the rooms are opened
		}
		t, err := on.Get(id)
		if err != nil {
			return ""
		}
		return t.Content
	}
}

// Close closes what Open opened.
func (a *App) Close() {
	a.House.Close()
	if err := a.House.Blobs.Close(); err != nil {
		slog.Warn("closing the blob store", "error", err)
	}
	a.House.Store.Close()
}

// stopWithin is how long running work may take to come to a stop.
const stopWithin = 10 * time.Second

// work begins to work on jobs. mail is where mail is sent.
func (a *App) work(ctx context.Context, mail string) (*queue.Workers, error) {
	a.House.Delivery.Mailer = delivery.SMTP{URL: mail, From: a.Settings.MailFrom}
	rooms := append(a.House.Rooms(), demo.Painter{House: a.House})
	return queue.Start(ctx, a.House.Store, a.House.Orders.House.Tools.String(), rooms...)
}

// hearReturnsEvery is how often it is asked which mail came back.
const hearReturnsEvery = 5 * time.Minute

// attend hears what changes elsewhere, looks at the studio's folder of themes
// and sweeps, until ctx ends; running counts what then still goes on. hear may be nil.
func (a *App) attend(ctx context.Context, running *sync.WaitGroup, hear func(store.Event)) {
	if a.Settings.MailBack != "" {
		running.Go(func() {
			a.House.Delivery.Post.HearReturns(ctx, &delivery.Mailbox{URL: a.Settings.MailBack},
				hearReturnsEvery)
		})
	}
	running.Go(func() { a.House.Shelf.Watch(ctx) })
	running.Go(func() { a.House.KeepTidy(ctx) })
	running.Go(func() { a.House.Runs.Material.WatchFolders(ctx) })
	running.Go(func() { a.House.Intake.Watched.WatchFolder(ctx) })
	running.Go(func() {
		a.House.Store.Listen(ctx, func(e store.Event) {
			a.House.Hear(e)
			if hear != nil {
				hear(e)
			}
		})
	})
}

// Work runs workers only, until ctx ends.
func (a *App) Work(ctx context.Context) error {
	if a.Settings.Mail == "" {
		return errors.New("set NELKO_MAIL to the mail server: workers of their own have no stand-in mailbox")
	}
	var running sync.WaitGroup
	defer running.Wait()
	ctx, end := context.WithCancel(ctx)
	defer end()
	a.attend(ctx, &running, nil)
	w, err := a.work(ctx, a.Settings.Mail)
	if err != nil {
		return err
	}
	slog.Info("worker ready", "id", w.ID())
	<-ctx.Done()
	w.Stop(stopWithin)
	return nil
}

// maxHeader is how long the head of a request may be, in bytes.
const maxHeader = 64 << 10

// Serve runs web server, workers and stand-ins until ctx ends. ready is
// called with the address once requests are answered.
func (a *App) Serve(ctx context.Context, ready func(url string)) error {
	l, err := net.Listen("tcp", a.Settings.Addr)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w. Stop what runs there, or set NELKO_ADDR to another "+
			"address", a.Settings.Addr, err)
	}
	defer l.Close()
	var running sync.WaitGroup
	defer running.Wait()
	ctx, end := context.WithCancel(ctx)
	defer end()
	mail := a.Settings.Mail
	if mail == "" {
		box := &standin.Mailbox{Store: a.House.Store}
		if err := box.Start(); err != nil {
			return err
		}
		defer box.Stop()
		mail = box.URL()
		running.Go(func() {
			a.House.Delivery.Post.HearReturns(ctx, &delivery.Mailbox{URL: box.Returns.URL()}, 2*time.Second)
		})
	}
	var host *standin.Host
	if a.Settings.Host == "" && a.Settings.Mail == "" {
		host = &standin.Host{
			Dir:   filepath.Join(a.Settings.Var, "host"),
			Base:  a.House.Hosting.Host,
			Takes: 5 * time.Second,
		}
	}
	var photos http.Handler
	if a.Settings.Mail == "" {
		dir := filepath.Join(a.Settings.Var, "photos")
		photos = standin.NewPhotos(dir, web.PhotosPath, photosName, photosPassword)
		if studio, err := a.House.Shelf.Studio(ctx); err == nil && studio.Demo {
			running.Go(func() {
				if err := demo.Albums(ctx, dir); err != nil && ctx.Err() == nil {
					slog.Warn("the photo source's albums", "error", err)
				}
			})
		}
	}
	proxies, err := page.ParseProxies(a.Settings.Proxies)
	if err != nil {
		return fmt.Errorf("NELKO_TRUSTED_PROXIES: %w", err)
	}
	handler, err := web.New(web.Config{
		Proxies:   proxies,
		Photos:    photos,
		VideoHost: host,
		House:     a.House,
		BaseURL:   a.Settings.BaseURL,
		UploadDir: filepath.Join(a.Settings.Var, "uploads"),
		StandIns:  a.Settings.Mail == "",
	})
	if err != nil {
		return err
	}
	defer handler.Close()
	a.attend(ctx, &running, handler.Hear)
	if err := a.metrics(ctx); err != nil {
		slog.Warn("figures are not served; set NELKO_METRICS to a free loopback address, or to nothing",
			"error", err)
	}
	a.House.Pressing.Drive = &standin.Drive{Store: a.House.Store, Dir: filepath.Join(a.Settings.Var, "drive")}
	workers, err := a.work(ctx, mail)
	if err != nil {
		return err
	}
	defer workers.Stop(stopWithin)
	srv := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    maxHeader,
	}
	srv.RegisterOnShutdown(handler.StopEvents)
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	ready("http://" + strings.Replace(l.Addr().String(), "[::]", "127.0.0.1", 1))
	select {
	case err := <-failed:
		return fmt.Errorf("web server: %w", err)
	case <-ctx.Done():
	}
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	if err := srv.Shutdown(stop); err != nil {
		srv.Close() // what is still being sent is cut
	}
	return nil
}

// Loopback reports whether only this machine reaches an address to listen on.
func Loopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	ip := net.ParseIP(host)
	return err == nil && (host == "localhost" || ip != nil && ip.IsLoopback())
}

// metrics serves figures for Prometheus on a loopback address of their own
// until ctx ends.
func (a *App) metrics(ctx context.Context) error {
	if a.Settings.Metrics == "" {
		return nil
	}
	if !Loopback(a.Settings.Metrics) {
		return fmt.Errorf("%s is not a loopback address", a.Settings.Metrics)
	}
	l, err := net.Listen("tcp", a.Settings.Metrics)
	if err != nil {
		return err
	}
	srv := &http.Server{Handler: web.Metrics(), ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(l) }() // ends with Close
	context.AfterFunc(ctx, func() { srv.Close() })
	return nil
}

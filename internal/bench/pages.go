package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"time"

	"gorm.io/gorm"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/demo/paint"
	"nelko/internal/house"
	"nelko/internal/intake"
	"nelko/internal/media/vips"
	"nelko/internal/orders"
	"nelko/internal/store"
)

// Site is a studio with an empty database, and its pages.
type Site struct {
	House *house.House
	Pages http.Handler
}

// The measures of a bench of pages.
const (
	manyOrders = 10000
	openOrders = 300
	fewOrders  = 200
	manySlides = 300
	tries      = 60   // of each page whose times are measured
	edits      = 1000 // of one slideshow
)

// Pages measures what pages cost: statements sent to the database, and the
// server's times at the 95th percentile.
func Pages(ctx context.Context, out io.Writer, s Site) error {
	b := &pagesBench{Site: s, ctx: ctx, out: out}
	srv := httptest.NewServer(s.Pages)
	defer srv.Close()
	b.base = srv.URL
	for _, step := range []func() error{b.signIn, b.daySheets, b.order, b.idle, b.frames, b.pages, b.edits,
		b.revisions} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

type pagesBench struct {
	Site
	ctx         context.Context
	out         io.Writer
	base        string
	client      *http.Client
	user        int64
	id          int64  // the order of many slides
	song        []byte // of songSeconds
	songSeconds int
	problems    error
}

func (b *pagesBench) say(name string, v float64, digits int) {
	fmt.Fprintf(b.out, "%s=%.*f\n", name, digits, v) // a lost line shows in the output
}

func (b *pagesBench) signIn() error {
	u, err := b.House.Accounts.Add(b.ctx, "bench@studio.example", "Bench", "a long password", store.Owner)
	if err != nil {
		return err
	}
	b.user = u.ID
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	b.client = &http.Client{Jar: jar}
	_, _, err = b.post("/signin", url.Values{"email": {u.Email}, "password": {"a long password"}})
	return err
}

// ask sends a request and gives the answer and how long it took, in
// milliseconds.
func (b *pagesBench) ask(method, path string, form url.Values) (string, float64, error) {
	var body io.Reader
	if form != nil {
		body = strings.NewReader(form.Encode())
	}
	r, err := http.NewRequestWithContext(b.ctx, method, b.base+path, body)
	if err != nil {
		return "", 0, err
	}
	r.Header.Set("Accept", "text/html")
	if form != nil {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	start := time.Now()
	res, err := b.client.Do(r)
	if err != nil {
		return "", 0, err
	}
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	took := float64(time.Since(start).Microseconds()) / 1000
	if err == nil && res.StatusCode >= 400 {
		err = fmt.Errorf("%s %s: %s: %.200s", method, path, res.Status, text)
	}
	return string(text), took, err
}

func (b *pagesBench) get(path string) (string, float64, error) { return b.ask("GET", path, nil) }

func (b *pagesBench) post(path string, form url.Values) (string, float64, error) {
	return b.ask("POST", path, form)
}

// times asks again and again, and gives the 95th percentile in milliseconds.
func (b *pagesBench) times(n int, ask func(i int) (float64, error)) (float64, error) {
	var all []float64
	for i := range n {
		took, err := ask(i)
		if err != nil {
			return 0, err
		}
		all = append(all, took)
	}
	return p95(all), nil
}

// statements counts what is sent to the database meanwhile.
func (b *pagesBench) statements(do func() error) (float64, error) {
	before := b.House.Store.Statements()
	err := do()
	return float64(b.House.Store.Statements() - before), err
}

func (b *pagesBench) addOrders(n, open int) error {
	return b.House.Store.DB.WithContext(b.ctx).
		Exec(`INSERT INTO orders (client, event, due, step_kind, step_text, step_place, words, details)
		SELECT 'Crew ' || i, 'Regatta', current_date + (i % 60) - 20, CASE WHEN i <= ? THEN 'todo' ELSE 'done' END, 'Missing: Names', 'detail-names', 'crew ' || i || E'\nregatta', '{}'
		FROM generate_series(1, ?) i`, open, n).Error
}

func (b *pagesBench) daySheets() error {
	sheet := func() error { _, _, err := b.get("/"); return err }
	if err := b.addOrders(fewOrders, fewOrders/2); err != nil {
		return err
	}
	few, err := b.statements(sheet)
	if err != nil {
		return err
	}
	if err := b.addOrders(manyOrders-fewOrders, openOrders-fewOrders/2); err != nil {
		return err
	}
	if err := b.House.Store.DB.WithContext(b.ctx).Exec("ANALYZE orders").Error; err != nil {
		return err
	}
	many, err := b.statements(sheet)
	if err != nil {
		return err
	}
	p, err := b.times(tries, func(i int) (float64, error) {
		_, took, err := b.get([]string{"/", "/?words=crew+77", "/?page=3", "/?needs=todo"}[i%4])
		return took, err
	})
	b.say("daysheet_queries", few, 0)
	b.say("daysheet_queries_10000", many, 0)
	b.say("daysheet_p95_ms", p, 1)
	return err
}

// order makes the order of many slides.
func (b *pagesBench) order() error {
	if err := b.fill("bench", manySlides); err != nil {
		return err
	}
	b.say("slides", float64(len(b.slides())), 0)
	return nil
}

// fill fills an order with so many pictures: one painted photo, made different
// by a few bytes after its end.
func (b *pagesBench) fill(name string, pictures int) error {
	o, err := b.House.Orders.Heads.Open(b.ctx, orders.New{
		Head:    orders.Head{Client: "Many", Event: "Bench", Due: time.Now()},
		Details: map[string]string{"names": "Many", "date": "2026"},
	}, &b.user)
	if err != nil {
		return err
	}
	b.id = o.ID
	px, err := paint.Paint(paint.Spec{
		Scene: paint.Race,
		W:     900,
		H:     600,
		Seed:  5,
		Club:  [2]uint32{0x1f6f78, 0xf2c14e},
	})
	if err != nil {
		return err
	}
	jpg, err := vips.JPEG(px, 85)
	if err != nil {
		return err
	}
	err = b.House.Store.Tx(b.ctx, func(tx *gorm.DB) error {
		for i := range pictures {
			sha, size, err := b.House.Blobs.Put(b.ctx, bytes.NewReader(fmt.Appendf(bytes.Clone(jpg), "%s %d",
				name, i)))
			if err != nil {
				return err
			}
			taken := time.Date(2026, 9, 12, 10, 0, 0, 0, time.UTC).Add(time.Duration(i) * time.Minute)
			m := store.Media{
				OrderID:   &o.ID,
				UploadID:  fmt.Sprint(name, "-", i),
				Name:      fmt.Sprintf("IMG_%04d.jpg", i),
				SHA256:    sha,
				Size:      size,
				State:     store.Ready,
				Kind:      doc.PhotoMedia,
				Width:     900,
				Height:    600,
				Captured:  &taken,
				Thumbnail: &sha,
				Seen:      &store.Seen{Print: uint64(0x1234567)},
			}
			if err := tx.Create(&m).Error; err != nil {
				return err
			}
		}
		seconds := pictures * 5
		sha, size, err := b.putSong(seconds)
		if err != nil {
			return err
		}
		return tx.Create(&store.Media{
			OrderID: &o.ID, UploadID: name + "-song", Name: "song.flac",
			SHA256: sha, Size: size, State: store.Ready, Kind: doc.SongMedia,
			Samples: int64(seconds) * 48000, LUFS: -14, Waveform: make([]byte, seconds*50),
		}).Error
	})
	if err != nil {
		return errors.Join(err, b.problems)
	}
	if err := b.House.Intake.Pourer.Pour(b.ctx, intake.Pour{OrderID: o.ID}); err != nil {
		return err
	}
	for _, op := range []edit.Op{edit.Split{Slides: b.slides()}, edit.AnyTime(),
		edit.Fit{Mode: doc.ToMusic}} {
		if err := b.edit(op); err != nil {
			return err
		}
	}
	return nil
}

// putSong keeps a song of so many seconds; the last one is made once.
func (b *pagesBench) putSong(seconds int) (sha string, size int64, err error) {
	if b.songSeconds != seconds {
		if b.song, err = tone(b.ctx, float64(seconds)); err != nil {
			return "", 0, err
		}
		b.songSeconds = seconds
	}
	return b.House.Blobs.Put(b.ctx, bytes.NewReader(b.song))
}

func (b *pagesBench) slides() (ids []doc.SlideID) {
	d, err := b.House.Orders.Load(b.ctx, b.id)
	b.problems = errors.Join(b.problems, err)
	if err != nil {
		return nil
	}
	for _, s := range d.Doc.Slides {
		ids = append(ids, s.ID)
	}
	return ids
}

func (b *pagesBench) head() int {
	show, err := store.One[store.Slideshow](b.House.Store.DB.WithContext(b.ctx), "order_id = ?", b.id)
	b.problems = errors.Join(b.problems, err)
	return show.Head
}

func (b *pagesBench) edit(op edit.Op) error {
	_, err := b.House.Orders.Edits.Edit(b.ctx, b.id, b.head(), op, &b.user)
	return errors.Join(err, b.problems)
}

// idle leaves a page open with nothing new.
func (b *pagesBench) idle() error {
	ctx, cancel := context.WithTimeout(b.ctx, 4*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, "GET", fmt.Sprintf("%s/events?order=%d", b.base, b.id), nil)
	if err != nil {
		return err
	}
	res, err := b.client.Do(r)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if _, err := res.Body.Read(make([]byte, 1)); err != nil {
		return err // what comes with opening has come
	}
	n, err := b.statements(func() error {
		_, err := io.Copy(io.Discard, res.Body)
		if errors.Is(err, context.DeadlineExceeded) {
			return nil
		}
		return err
	})
	b.say("idle_queries", n, 0)
	return err
}

func (b *pagesBench) frame(n int) (float64, error) {
	_, took, err := b.get(fmt.Sprintf("/orders/%d/frame?n=%d&w=640&r=%d", b.id, n, b.head()))
	return took, err
}

func (b *pagesBench) frames() error {
	if _, err := b.frame(500); err != nil {
		return err
	}
	n, err := b.statements(func() error {
		_, _, err := b.get(fmt.Sprintf("/orders/%d/frame?n=500&w=640&r=%d", b.id, b.head()))
		return err
	})
	if err != nil {
		return err
	}
	b.say("frame_queries", n-1, 0) // the bench asks for the head itself
	// Frames of slides not looked at yet, before and right after an edit.
	slides := b.slides()
	var before, after []float64
	for i := range tries {
		x, err := b.frame(700 + i*300)
		if err != nil {
			return err
		}
		if err := b.postEdit("caption", url.Values{
			"slide":   {string(slides[2])},
			"caption": {fmt.Sprint("Caption ", i)},
		}); err != nil {
			return err
		}
		y, err := b.frame(850 + i*300)
		if err != nil {
			return err
		}
		before, after = append(before, x), append(after, y)
	}
	b.say("frame_before_edit_p95_ms", p95(before), 1)
	b.say("frame_after_edit_p95_ms", p95(after), 1)
	b.say("frame_after_edit_ratio", p95(after)/p95(before), 2)
	return nil
}

func (b *pagesBench) postEdit(op string, form url.Values) error {
	form.Set("base", fmt.Sprint(b.head()))
	_, _, err := b.post(fmt.Sprintf("/orders/%d/edit/%s", b.id, op), form)
	return err
}

func (b *pagesBench) pages() error {
	page := fmt.Sprintf("/orders/%d", b.id)
	body, _, err := b.get(page)
	if err != nil {
		return err
	}
	if n := len(regexp.MustCompile(`class="slide"`).FindAllString(body, -1)); n < manySlides {
		return fmt.Errorf("the page shows %d slides", n)
	}
	p, err := b.times(tries, func(int) (float64, error) { _, took, err := b.get(page); return took, err })
	b.say("order_page_p95_ms", p, 1)
	return err
}

func (b *pagesBench) edits() error {
	slides := b.slides()
	p, err := b.times(tries, func(i int) (float64, error) {
		form := url.Values{
			"base":   {fmt.Sprint(b.head())},
			"leaf":   {"running-order"},
			"chosen": {string(slides[10])},
			"moment": {"900"},
			"slide":  {string(slides[10])},
		}
		op := []string{"shift", "caption", "linger"}[i%3]
		form.Set("by", "1")
		form.Set("caption", fmt.Sprint("So it goes ", i))
		form.Set("linger", fmt.Sprint(1+float64(i%7)/10))
		_, took, err := b.post(fmt.Sprintf("/orders/%d/edit/%s", b.id, op), form)
		return took, err
	})
	b.say("edit_p95_ms", p, 1)
	return err
}

// revisions makes many edits of all kinds and tells what they take in the
// database, and how long any of them takes to open.
func (b *pagesBench) revisions() error {
	first := b.head()
	slides := b.slides()
	for i := range edits {
		s := slides[1+(i*37)%(len(slides)-2)]
		op := []edit.Op{edit.Shift{
			Slides: []doc.SlideID{s},
			By:     1 + i%9,
		}, edit.Caption{Slides: []doc.SlideID{s}, Text: fmt.Sprint("Caption number ", i)},
			edit.Time{
				Slides: []doc.SlideID{s},
				Linger: 1 + float64(i%10)/10,
			}, edit.Time{Slides: slides[1:20], Pin: 2 + float64(i%5)}}[i%4]
		if i%250 == 249 {
			op = edit.Sort{By: "random", Seed: uint64(i)}
		}
		if err := b.edit(op); err != nil {
			return err
		}
	}
	var size int64
	err := b.House.Store.DB.WithContext(b.ctx).
		Raw(`SELECT coalesce(sum(pg_column_size(r.*)), 0) FROM revisions r JOIN slideshows s ON s.id = r.slideshow_id WHERE s.order_id = ? AND r.number > ?`, b.id, first).Scan(&size).Error
	if err != nil {
		return err
	}
	show, err := store.One[store.Slideshow](b.House.Store.DB.WithContext(b.ctx), "order_id = ?", b.id)
	if err != nil {
		return err
	}
	open, err := b.times(200, func(i int) (float64, error) {
		start := time.Now()
		r, err := store.One[store.Revision](b.House.Store.DB.WithContext(b.ctx),
			"slideshow_id = ? AND number = ?", show.ID, 1+(i*61)%show.Head)
		if err != nil {
			return 0, err
		}
		text, err := b.House.Store.Document(b.House.Store.DB.WithContext(b.ctx), r)
		if err == nil {
			_, err = doc.Parse(text)
		}
		return float64(time.Since(start).Microseconds()) / 1000, err
	})
	b.say("revision_bytes_per_edit", float64(size)/edits, 0)
	b.say("revision_open_p95_ms", open, 1)
	return err
}

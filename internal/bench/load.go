package bench

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"time"

	"nelko/internal/core/doc"
	"nelko/internal/core/edit"
	"nelko/internal/delivery"
	"nelko/internal/making"
	"nelko/internal/store"
)

// What a studio at its busiest is: operators who open a page every few seconds, clients who
// watch, and a film that is being made.
const (
	loadOperators = 50
	loadViewers   = 200
	loadOrders    = 8  // that the operators work in
	loadSlides    = 60 // of each
	loadLooks     = 4 * time.Second
	loadWatches   = 8 * time.Second
)

// Load measures how long pages take, at the 95th percentile, while many ask for them and a film
// is being made, for so long.
func Load(ctx context.Context, out io.Writer, s Site, d time.Duration) error {
	b := &pagesBench{Site: s, ctx: ctx, out: out}
	srv := httptest.NewServer(s.Pages)
	defer srv.Close()
	b.base = srv.URL
	l := &load{pagesBench: b, took: map[string][]float64{}}
	if err := errors.Join(b.signIn(), b.addOrders(fewOrders, fewOrders/2)); err != nil {
		return err
	}
	for n := range loadOrders {
		if err := b.fill(fmt.Sprint("load ", n), loadSlides); err != nil {
			return err
		}
		l.orders = append(l.orders, b.id)
	}
	if err := l.deliver(); err != nil {
		return err
	}
	// Nothing is measured before everything was looked at once.
	for _, id := range l.orders {
		for _, path := range l.pages(id) {
			if _, _, err := b.get(path); err != nil {
				return err
			}
		}
	}
	working, over := context.WithTimeout(ctx, d)
	defer over()
	var all sync.WaitGroup
	all.Go(func() { l.render(working) })
	for n := range loadOperators {
		all.Go(func() { l.ask(working, uint64(n), loadLooks, l.operators) })
	}
	for n := range loadViewers {
		all.Go(func() { l.ask(working, uint64(1000+n), loadWatches, l.viewers) })
	}
	all.Wait()
	for _, page := range slices.Sorted(maps.Keys(l.took)) {
		b.say("load_"+page+"_p95_ms", p95(l.took[page]), 1)
	}
	b.say("load_requests", float64(l.requests), 0)
	b.say("load_failed", float64(l.failed), 0)
	b.say("load_frames_made", float64(l.frames), 0)
	return l.problems
}

type load struct {
	*pagesBench
	orders []int64
	watch  string // the link's page

	mu               sync.Mutex
	took             map[string][]float64
	requests, failed int
	frames           int64
}

// deliver makes a small film and a link to it; the next ones are of the usual size.
func (l *load) deliver() error {
	d, err := l.House.Orders.Load(l.ctx, l.id)
	if err != nil {
		return err
	}
	small := edit.Shape{Frame: doc.Frame{W: 320, H: 180}}
	for _, op := range []edit.Op{small, edit.Fit{Mode: doc.AtPace, Pace: 1}} {
		if err := l.edit(op); err != nil {
			return err
		}
	}
	r, err := l.film(l.ctx)
	if err != nil {
		return err
	}
	_, token, err := l.House.Delivery.Links.MakeLink(l.ctx, l.id, delivery.NewLink{
		RenderID: r,
		Title:    "Load",
		Days:     3,
	})
	l.watch, l.frames = "/watch/"+token, 0
	return errors.Join(err, l.edit(edit.Shape{Frame: d.Doc.Frame}))
}

// film makes the last order's film anew, and counts its frames.
func (l *load) film(ctx context.Context) (int64, error) {
	if err := l.House.Store.DB.WithContext(ctx).Exec("DELETE FROM segments").Error; err != nil {
		return 0, err
	}
	r, err := l.House.Making.Renders.BeginAll(ctx, l.id, making.Wanted{Profiles: []string{""}})
	if err != nil {
		return 0, err
	}
	failed := l.House.Making.Attempts.Film(ctx, making.Film{RenderID: r[0].ID}, "bench", true)
	// What was made of a film when the time was over counts too.
	after := context.WithoutCancel(ctx)
	now, err := store.One[store.Render](l.House.Store.DB.WithContext(after), "id = ?", r[0].ID)
	l.frames += now.FramesDone
	if err = errors.Join(failed, err); err == nil && now.State != store.RenderDone {
		err = fmt.Errorf("the film: %s", now.Error)
	}
	return r[0].ID, err
}

// render makes a film again and again, until ctx ends.
func (l *load) render(ctx context.Context) {
	for ctx.Err() == nil {
		if _, err := l.film(ctx); err != nil && ctx.Err() == nil {
			l.problems = errors.Join(l.problems, err)
			return
		}
	}
}

// pages are an order's, as operators look at them, by what they are called.
func (l *load) pages(id int64) map[string]string {
	return map[string]string{
		"order":    fmt.Sprintf("/orders/%d/", id),
		"material": fmt.Sprintf("/orders/%d/material", id),
	}
}

func (l *load) operators(rnd *rand.Rand) (page, path string) {
	of := l.pages(l.orders[rnd.IntN(len(l.orders))])
	switch page = []string{"daysheet", "order", "material"}[rnd.IntN(3)]; page {
	case "daysheet":
		return page, "/"
	default:
		return page, of[page]
	}
}

func (l *load) viewers(rnd *rand.Rand) (page, path string) {
	if rnd.IntN(2) == 0 {
		return "link", l.watch
	}
	return "poster", l.watch + "/poster.jpg"
}

// ask asks for a page every now and then, until ctx ends.
func (l *load) ask(ctx context.Context, seed uint64, every time.Duration, what func(*rand.Rand) (page,
	path string)) {
	rnd := rand.New(rand.NewPCG(seed, 9))
	client := &http.Client{Jar: l.client.Jar}
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Duration(rnd.ExpFloat64() * float64(every))):
		}
		page, path := what(rnd)
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, l.base+path, nil)
		if err != nil {
			return // the address is ours
		}
		req.Header.Set("Accept", "text/html")
		began := time.Now()
		res, err := client.Do(req)
		if err == nil {
			_, err = io.Copy(io.Discard, res.Body)
			res.Body.Close()
		}
		ms := float64(time.Since(began).Microseconds()) / 1000
		if ctx.Err() != nil {
			return
		}
		l.mu.Lock()
		l.requests++
		if err != nil || res.StatusCode >= 400 {
			l.failed++
		} else {
			l.took[page] = append(l.took[page], ms)
		}
		l.mu.Unlock()
	}
}

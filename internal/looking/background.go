package looking

import (
	"context"
	"errors"
	"sync"

	"golang.org/x/sync/semaphore"
)

// errClosing means that the room is being closed.
var errClosing = errors.New("the application is being stopped")

// background runs what outlives the request that began it. The zero value is
// ready for use.
type background struct {
	mu     sync.Mutex
	ctx    context.Context
	stop   context.CancelFunc
	closed bool
	runs   sync.WaitGroup
}

// Context ends when the background is closed.
func (b *background) Context() context.Context {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.context()
}

func (b *background) context() context.Context {
	if b.ctx == nil {
		b.ctx, b.stop = context.WithCancel(context.Background())
	}
	return b.ctx
}

// Go runs f, and tells whether it did: a closed background runs nothing more.
func (b *background) Go(f func(context.Context)) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.closed {
		return false
	}
	ctx := b.context()
	b.runs.Go(func() { f(ctx) })
	return true
}

// Close stops what runs and waits until it has stopped.
func (b *background) Close() {
	b.mu.Lock()
	b.context()
	b.closed = true
	b.stop()
	b.mu.Unlock()
	b.runs.Wait()
}

// Beside does something beside what is asked for, until it is done or the room is closed.
func (r *room) Beside(f func(context.Context)) { r.background.Go(f) }

// Close stops what is made in the background for those who look at films, and
// waits until it has stopped.
func (r *room) Close() { r.background.Close() }

// makings are the things that are being made, by name, and how many at once.
type makings struct {
	mu    sync.Mutex
	by    map[string]*underway
	slots *semaphore.Weighted
}

// makers is how many segments and loops are made at the same time.
const makers = 2

func (m *makings) lock() {
	m.mu.Lock()
	if m.by == nil {
		m.by, m.slots = map[string]*underway{}, semaphore.NewWeighted(makers)
	}
}

// underway is something one goroutine makes and others wait for. It outlives
// whoever asked for it first.
type underway struct {
	done chan struct{}
	path string
	err  error
}

// begin makes something under a name in the background, unless it is being
// made.
func (r *room) begin(name string, f func(context.Context) (string, error)) *underway {
	r.making.lock()
	defer r.making.mu.Unlock()
	if m, ok := r.making.by[name]; ok {
		return m
	}
	m := &underway{done: make(chan struct{})}
	begun := r.background.Go(func(ctx context.Context) {
		m.path, m.err = f(ctx)
		r.making.mu.Lock()
		delete(r.making.by, name)
		r.making.mu.Unlock()
		close(m.done)
	})
	if !begun {
		m.err = errClosing
		close(m.done)
		return m
	}
	r.making.by[name] = m
	return m
}

// once makes something under a name, unless it is being made: then it waits.
// At most so many things are made at the same time.
func (r *room) once(ctx context.Context, name string, f func(context.Context) (string, error)) (string,
	error) {
	m := r.begin(name, func(ctx context.Context) (string, error) {
		if err := r.making.slots.Acquire(ctx, 1); err != nil {
			return "", err
		}
		defer r.making.slots.Release(1)
		return f(ctx)
	})
	select {
	case <-m.done:
		return m.path, m.err
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

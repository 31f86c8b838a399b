package studio

import (
	"context"
	"errors"
	"sync"
)

// errClosing means that the studio is being closed.
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

// Close stops what the studio makes in the background for those who look at
// films, and waits until it has stopped.
func (s *Studio) Close() { s.background.Close() }

// making is something one goroutine makes and others wait for.
type making struct {
	done chan struct{}
	path string
	err  error
}

// begin makes something under a name in the background, unless it is being
// made.
func (s *Studio) begin(name string, f func(context.Context) (string, error)) *making {
	s.look.lock()
	defer s.look.mu.Unlock()
	if m, ok := s.look.making[name]; ok {
		return m
	}
	m := &making{done: make(chan struct{})}
	begun := s.background.Go(func(ctx context.Context) {
		m.path, m.err = f(ctx)
		s.look.mu.Lock()
		delete(s.look.making, name)
		s.look.mu.Unlock()
		close(m.done)
	})
	if !begun {
		m.err = errClosing
		close(m.done)
		return m
	}
	s.look.making[name] = m
	return m
}

// once makes something under a name, unless it is being made: then it waits.
// At most so many things are made at the same time.
func (s *Studio) once(ctx context.Context, name string, f func(context.Context) (string, error)) (string, error) {
	m := s.begin(name, func(ctx context.Context) (string, error) {
		select {
		case s.look.slots <- struct{}{}:
		case <-ctx.Done():
			return "", ctx.Err()
		}
		defer func() { <-s.look.slots }()
		return f(ctx)
	})
	select {
	case <-m.done:
		return m.path, m.err
	case <-ctx.Done():
		return "", ctx.Err()
	}
}

// Package shared lets those who ask for the same thing at the same time share one making of
// it.
package shared

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
)

// ErrPanic means that what was asked for could not be made because of a fault in the program.
var ErrPanic = errors.New("a fault in the program")

// Group is what is being made, by key. The zero Group is ready.
type Group[V any] struct {
	mu  sync.Mutex
	now map[string]*making[V]
}

type making[V any] struct {
	done    chan struct{} // closed once value and err stand
	value   V
	err     error
	waiters int // guarded by the Group's mu
	end     context.CancelFunc
}

// Do gives what f makes, or waits for whoever makes the same already. f goes on as long as
// anybody waits for it, whoever asked first; its context holds the first one's values and ends
// once nobody waits any more. A panic in f is an error (ErrPanic) for all who wait.
func (g *Group[V]) Do(ctx context.Context, key string, f func(context.Context) (V, error)) (V, error) {
	if ctx.Err() != nil {
		var none V
		return none, context.Cause(ctx)
	}
	g.mu.Lock()
	m, there := g.now[key]
	if !there {
		making, end := context.WithCancel(context.WithoutCancel(ctx))
		m = g.begin(key, end)
		go g.run(making, key, m, f)
	}
	m.waiters++
	g.mu.Unlock()
	select {
	case <-m.done:
		return m.value, m.err
	case <-ctx.Done():
		g.mu.Lock()
		if m.waiters--; m.waiters == 0 {
			g.forget(key, m) // who comes now has it made anew
			m.end()
		}
		g.mu.Unlock()
		var none V
		return none, context.Cause(ctx)
	}
}

func (g *Group[V]) begin(key string, end context.CancelFunc) *making[V] {
	m := &making[V]{done: make(chan struct{}), end: end}
	if g.now == nil {
		g.now = map[string]*making[V]{}
	}
	g.now[key] = m
	return m
}

func (g *Group[V]) run(ctx context.Context, key string, m *making[V], f func(context.Context) (V, error)) {
	defer m.end()
	defer func() {
		if p := recover(); p != nil {
			slog.ErrorContext(ctx, "panic", "panic", p, "stack", string(debug.Stack()))
			m.err = fmt.Errorf("%w: %v", ErrPanic, p)
		}
		g.mu.Lock()
		g.forget(key, m)
		g.mu.Unlock()
		close(m.done)
	}()
	m.value, m.err = f(ctx)
}

func (g *Group[V]) forget(key string, m *making[V]) {
	if g.now[key] == m {
		delete(g.now, key)
	}
}

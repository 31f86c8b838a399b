package render

import (
	"context"
	"errors"
	"sync"
	"time"

	"nelko/internal/film"
)

// Parts hands out the parts of a film: to the goroutines of one process, or
// to workers on several machines.
type Parts interface {
	// Claim takes a part that waits; ok is false if there is none just now.
	Claim(ctx context.Context) (p film.Part, ok bool, err error)
	// Done tells what became of a part. An error that it returns ends the film;
	// else a part that failed may be handed out again.
	Done(ctx context.Context, p film.Part, err error) error
	// Open counts the parts that are not done, by whomever. A part that is
	// being made elsewhere is waited for.
	Open(ctx context.Context) (int, error)
}

// sharePoll is how often it is looked whether others have come further.
const sharePoll = 400 * time.Millisecond

// Share makes a film's parts, so many at a time, until every one is done, by
// this process or another. The first error ends it.
func Share(ctx context.Context, parts Parts, atOnce int, encode func(context.Context,
	film.Part) error) error {
	return share(ctx, parts, atOnce, encode, true)
}

// Help makes parts of a film as long as there are any to take.
func Help(ctx context.Context, parts Parts, atOnce int, encode func(context.Context, film.Part) error) error {
	return share(ctx, parts, atOnce, encode, false)
}

func share(ctx context.Context, parts Parts, atOnce int, encode func(context.Context, film.Part) error,
	toEnd bool) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	var wg sync.WaitGroup
	for range atOnce {
		wg.Go(func() {
			if err := some(ctx, parts, encode, toEnd); err != nil {
				stop(err)
			}
		})
	}
	wg.Wait()
	return context.Cause(ctx)
}

func some(ctx context.Context, parts Parts, encode func(context.Context, film.Part) error, toEnd bool) error {
	for ctx.Err() == nil {
		p, ok, err := parts.Claim(ctx)
		if err != nil {
			return err
		}
		if ok {
			err := encode(ctx, p)
			if ctx.Err() != nil {
				err = errors.Join(err, context.Cause(ctx)) // it was interrupted, whatever came of it
			}
			if err := parts.Done(context.WithoutCancel(ctx), p, err); err != nil {
				return err
			}
			continue
		}
		if !toEnd {
			return nil
		}
		open, err := parts.Open(ctx)
		if err != nil || open == 0 {
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(sharePoll):
		}
	}
	return context.Cause(ctx)
}

// ownParts are parts that only this process makes.
type ownParts struct {
	mu    sync.Mutex
	todo  []film.Part
	files map[string]string // of segments, by key
}

var _ Parts = (*ownParts)(nil)

// Claim implements Parts.
func (o *ownParts) Claim(context.Context) (p film.Part, ok bool, err error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if len(o.todo) == 0 {
		return p, false, nil
	}
	p, o.todo = o.todo[0], o.todo[1:]
	return p, true, nil
}

// Done implements Parts: any failure ends the film.
func (o *ownParts) Done(_ context.Context, _ film.Part, err error) error { return err }

// Open implements Parts: what is not waiting is waited for by its goroutine.
func (o *ownParts) Open(context.Context) (int, error) { return 0, nil }

func (o *ownParts) keep(run []film.Segment, files []string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for i, s := range run {
		o.files[s.Key] = files[i]
	}
}

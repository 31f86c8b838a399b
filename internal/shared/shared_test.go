package shared

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Many who ask at once share one making; who asks later has it made anew.
func TestOneMakingForAll(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g Group[int]
		var made atomic.Int64
		var all sync.WaitGroup
		ask := func() {
			v, err := g.Do(t.Context(), "k", func(context.Context) (int, error) {
				time.Sleep(time.Second)
				return int(made.Add(1)), nil
			})
			require.NoError(t, err)
			assert.Equal(t, 1, v)
		}
		for range 20 {
			all.Go(ask)
		}
		all.Wait()
		v, err := g.Do(t.Context(), "k", func(context.Context) (int, error) { return int(made.Add(1)), nil })
		require.NoError(t, err)
		assert.Equal(t, 2, v)
	})
}

// Who asked first may go; the others get theirs. Once nobody waits the making ends, and who
// comes then has one of his own.
func TestTheFirstMayGo(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var g Group[string]
		ended := make(chan error, 2)
		slow := func(ctx context.Context) (string, error) {
			select {
			case <-time.After(time.Minute):
				return "made", nil
			case <-ctx.Done():
				ended <- ctx.Err()
				return "", ctx.Err()
			}
		}
		first, leave := context.WithCancel(t.Context())
		go func() {
			_, err := g.Do(first, "k", slow)
			assert.ErrorIs(t, err, context.Canceled)
		}()
		var second sync.WaitGroup
		second.Go(func() {
			synctest.Wait()
			v, err := g.Do(t.Context(), "k", slow)
			assert.NoError(t, err)
			assert.Equal(t, "made", v)
		})
		time.Sleep(time.Second)
		leave()
		second.Wait()
		assert.Empty(t, ended)

		alone, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		_, err := g.Do(alone, "k", slow)
		require.ErrorIs(t, err, context.DeadlineExceeded)
		v, err := g.Do(t.Context(), "k", slow)
		require.NoError(t, err)
		assert.Equal(t, "made", v)
		assert.Len(t, ended, 1, "nobody waited for it")
	})
}

// A fault is an error, to all, and the next one asks anew.
func TestAPanicIsAnError(t *testing.T) {
	var g Group[int]
	_, err := g.Do(t.Context(), "k", func(context.Context) (int, error) { panic("broken") })
	require.ErrorIs(t, err, ErrPanic)
	bad := errors.New("bad")
	_, err = g.Do(t.Context(), "k", func(context.Context) (int, error) { return 0, bad })
	require.ErrorIs(t, err, bad)
}

package store

import (
	"bytes"
	"context"
	"runtime"
	"runtime/debug"
	"strconv"
	"sync"

	"github.com/jackc/pgx/v5"
)

// OnSecond, if it is set before stores are opened, hears of every connection that is asked for
// by a goroutine that is in a transaction of the same database: where as many do so at once as
// there are connections, all stand still. It is for tests; stack is where it was asked for.
var OnSecond func(stack string)

// inTx is which goroutines are in a transaction of a database.
type inTx struct {
	mu  sync.Mutex
	now map[int64]int // how deep
}

// goroutine is the number of the running goroutine, which the runtime gives only in words.
func goroutine() int64 {
	var b [64]byte
	words := bytes.Fields(b[:runtime.Stack(b[:], false)])
	n, err := strconv.ParseInt(string(words[1]), 10, 64)
	if err != nil {
		panic(err) // “goroutine 7 [running]:”, as it has been since Go 1
	}
	return n
}

// enter notes that this goroutine is in a transaction, until leave is called.
func (t *inTx) enter() (leave func()) {
	if OnSecond == nil {
		return func() {}
	}
	id := goroutine()
	t.add(id, 1)
	return func() { t.add(id, -1) }
}

func (t *inTx) add(id int64, n int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.now == nil {
		t.now = map[int64]int{}
	}
	if t.now[id] += n; t.now[id] == 0 {
		delete(t.now, id)
	}
}

// prepare implements pgxpool's PrepareConn: it is called by whoever asks for a connection.
func (t *inTx) prepare(context.Context, *pgx.Conn) (bool, error) {
	id := goroutine()
	t.mu.Lock()
	depth := t.now[id]
	t.mu.Unlock()
	if depth > 0 {
		OnSecond(string(debug.Stack()))
	}
	return true, nil
}
